"""The practice world: root, registries, providers and resolvers that speak the real protocols on loopback."""
