"""Moves carried out, kept, and taken back."""
