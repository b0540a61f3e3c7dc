"""Legatum moves domains between registrars and authoritative DNS providers, with computed instants and proof."""

__version__ = "0.1.0"
