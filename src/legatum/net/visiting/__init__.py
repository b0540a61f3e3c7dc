"""Services looked at as their clients do: by name, at an address that is given. Everything is bounded in time and
size."""
