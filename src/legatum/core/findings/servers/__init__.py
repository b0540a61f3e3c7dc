"""Findings about who answers: own servers, how answers travel, resolvers."""
