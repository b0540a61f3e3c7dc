"""Findings about what a zone says."""
