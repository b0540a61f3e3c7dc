"""Pure computation: no sockets, no files, no clock, no printing."""
