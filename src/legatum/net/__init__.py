"""Asking: UDP and TCP, walking the tree, transfers, updates, EPP; with time-outs, limits and evidence."""
