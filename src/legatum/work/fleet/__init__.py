"""Many domains at once."""
