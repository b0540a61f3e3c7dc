"""Commands to learn the program by."""
