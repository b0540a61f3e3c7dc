"""Asking: UDP, TCP, TLS and HTTPS, one asker for all of it, walking the tree; with time-outs, limits and a pace."""
