"""Names, types, RRsets and their data: as wire bytes, as text."""
