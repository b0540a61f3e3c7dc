"""What can go wrong for a user, each with the exit status the program ends with.

Every fault carries one line that says what happened and one that says what to do about it.
"""


class Fault(Exception):
    """Something the user can be told in one line. ``remedy`` says what to do next; ``usage`` is told before it, in
    lines of its own."""

    status = 1
    usage = ""

    def __init__(self, message: str, remedy: str = "") -> None:
        super().__init__(message)
        self.message = message
        self.remedy = remedy


class BadInput(Fault):
    """The words, names, files or settings given cannot be used."""

    status = 2


class AlreadySo(BadInput):
    """What is wished for, or a part of it, is so already."""


class OutsideFault(Fault):
    """A server, registry or file system did not do its part: silent, refused, wrong credentials."""

    status = 3


class GateShut(Fault):
    """A step was refused because something that must hold before it does not hold."""

    status = 4
