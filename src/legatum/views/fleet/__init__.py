"""Lists of domains: results as they come, and moves in waves."""
