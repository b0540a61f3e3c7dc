"""The services behind the names: visited, judged, and as names are seen from inside and outside."""
