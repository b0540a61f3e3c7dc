"""Asking every server about a domain, and putting what they say side by side: one file for each kind of place asked."""
