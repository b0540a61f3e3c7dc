"""Commands for zones and records."""
