"""``legatum.toml``: what it may hold, reading it, and the secrets it points to."""
