"""Commands that look."""
