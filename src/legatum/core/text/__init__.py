"""Texts and tables from people and for people."""
