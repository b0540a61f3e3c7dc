"""How much a survey asks, and how it asks."""
