"""Commands that draft moves and carry them out."""
