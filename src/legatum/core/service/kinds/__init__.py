"""Findings on services: one family a file; each is a generator over a :class:`~legatum.core.service.seen.Visit`."""
