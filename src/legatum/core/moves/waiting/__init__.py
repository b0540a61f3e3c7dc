"""Needs turned into waits: after which steps, and for how long."""
