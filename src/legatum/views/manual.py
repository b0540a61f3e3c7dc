"""The manual page, in the form that `man` reads (roff), made from the parsers."""

from collections.abc import Iterable, Sequence

Option = tuple[tuple[str, ...], str, str]
"""Flags, what stands after it, what it is for."""
Section = tuple[str, str, Sequence[Option]]
"""The words of a command, what it is for, its options."""

_STATUSES = (
    ("0", "fine; a move that holds is fine too"),
    ("1", "done, but findings of severity error, a difference, or not confirmed"),
    ("2", "bad usage, input or settings"),
    ("3", "the outside failed: time-out, refused, credentials, journal"),
    ("4", "refused because a gate does not hold, or declined"),
    ("130", "interrupted; the same command goes on from there"),
)


def manual(version: str, summary: str, sections: Iterable[Section]) -> str:
    """The whole page."""
    lines = [
        f'.TH LEGATUM 1 "" "Legatum {version}"',
        ".SH NAME",
        f"legatum \\- {_plain(summary)}",
        ".SH SYNOPSIS",
        ".B legatum",
        ".I COMMAND",
        "[options]",
        ".SH DESCRIPTION",
        "Looks at every side of a delegation, gathers and publishes zones, works out when each step of a "
        "change is safe and why, proves",
        "the plan against every kind of cache, carries it out with a journal and a way back, and confirms "
        "with evidence.",
        ".SH COMMANDS",
    ]
    for words, what, options in sections:
        lines += [f".SS legatum {_plain(words)}", _plain(what[:1].upper() + what[1:]) + "."]
        for flags, value, text in options:
            shown = ", ".join(f"\\fB{_plain(flag)}\\fR" for flag in flags) + (
                f" \\fI{_plain(value)}\\fR" if value else ""
            )
            lines += [".TP", shown, _plain(text) or "\\&"]
    lines += [
        ".SH EXIT STATUS",
        *(line for number, text in _STATUSES for line in (".TP", f".B {number}", _plain(text))),
    ]
    lines += [
        ".SH ENVIRONMENT",
        ".TP",
        ".B LEGATUM_SETTINGS",
        "the settings file, or a folder with a legatum.toml",
        ".TP",
        ".B NO_COLOR",
        "no colour, where it is set to anything",
    ]
    return "\n".join(lines) + "\n"


def _plain(text: str) -> str:
    """Nothing in it means anything to the formatter."""
    escaped = text.replace("\\", "\\e").replace("-", "\\-")
    escaped = "".join(each if each.isascii() else f"\\[u{ord(each):04X}]" for each in escaped)
    return f"\\&{escaped}" if escaped.startswith((".", "'")) else escaped
