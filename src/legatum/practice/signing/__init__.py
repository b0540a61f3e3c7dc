"""Zones signed, proofs given, and answers validated, as servers and resolvers of the practice world do."""
