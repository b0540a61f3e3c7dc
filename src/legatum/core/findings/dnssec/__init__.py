"""Findings about the chain of trust."""
