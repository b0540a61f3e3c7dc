"""Kinds of move: from what was observed to a runbook, one file each."""
