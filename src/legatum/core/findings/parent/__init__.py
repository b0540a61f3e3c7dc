"""Findings about what leads to a domain: parent, registration, names and addresses of its name servers."""
