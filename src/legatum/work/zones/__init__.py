"""Zones compared, checked, put at providers and changed there."""
