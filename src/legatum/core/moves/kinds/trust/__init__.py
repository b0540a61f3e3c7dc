"""Who signs a domain, and who vouches for that: connected and disconnected, keys exchanged, and led to another provider."""
