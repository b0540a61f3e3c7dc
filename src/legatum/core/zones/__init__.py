"""Zones: what is in one, read, written, compared, and what an authoritative server makes of it."""
