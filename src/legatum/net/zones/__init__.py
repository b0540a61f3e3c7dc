"""Whole zones and their changes: transfers, dynamic updates, notices, with signatures of keys that are shared."""
