"""Zones: gathered, compared, linted, published, and what somebody types into a provider's form."""
