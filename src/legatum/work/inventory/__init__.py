"""Everything that the house holds: what providers serve, what accounts have, and where the two, and our lists,
contradict each other."""
