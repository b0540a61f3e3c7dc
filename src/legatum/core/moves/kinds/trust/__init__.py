"""Who signs a domain, and its DS set: connected and disconnected, keys exchanged, and led to another provider."""
