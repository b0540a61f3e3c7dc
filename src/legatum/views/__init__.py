"""Results for people and programs: text, JSON."""
