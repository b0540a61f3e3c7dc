"""The worked example: a practice world, and the very commands that a user types, one after the other."""
