"""Moves: as they are planned and stand, proven, drawn, looked back on, and all of the house."""
