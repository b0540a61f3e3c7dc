"""Kinds of change, one file each: what was observed and what is wanted become pieces of a plan.

A piece is a step with its phase and its needs; :mod:`legatum.core.moves.assembly` puts pieces in order, whatever is
combined.
"""
