"""The registry: EPP sessions for registrars, RDAP for everybody."""
