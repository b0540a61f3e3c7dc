"""What a house has: its inventory, letters to its customers, renewals, and its viewpoints."""
