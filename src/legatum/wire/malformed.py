"""The one thing that can happen to somebody else's bytes."""


class Malformed(ValueError):
    """The bytes are no DNS message: cut off, a pointer that does not lead backwards, a length that does not fit."""
