"""Providers and registrars behind two small interfaces, one file for each kind."""
