"""Commands about the house itself."""
