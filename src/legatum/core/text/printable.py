"""Texts from anywhere made fit to be shown: nothing in them can steer a terminal."""


def clean(text: object) -> str:
    """Other white space than line ends as a space, control characters as ``\\ddd``; line ends stay."""
    shown = str(text)
    return shown if shown.isprintable() else "".join(each if each == "\n" else _shown(each) for each in shown)


def one_line(text: object) -> str:
    """As :func:`clean`, on one line."""
    shown = str(text)
    return shown if shown.isprintable() else " ".join("".join(map(_shown, shown)).split())


def clipped(text: object, most: int) -> str:
    """As :func:`one_line`, in at most ``most`` characters: an ellipsis stands for the rest."""
    shown = one_line(text)
    return shown if len(shown) <= most else f"{shown[: most - 1].rstrip()}…"


def cell_text(cell: object) -> str:
    """For a table: what a spreadsheet would take for a formula is quoted with an apostrophe."""
    return f"'{cell}" if str(cell)[:1] in ("=", "+", "-", "@", "\t") else str(cell)


def _shown(character: str) -> str:
    if character.isprintable():
        return character
    return " " if character.isspace() else f"\\{ord(character):03d}"


def file_word(text: str) -> str:
    """As a part of a path: letters, digits and what stands between them."""
    import re  # every command loads this file, few need it

    return re.sub(r"[^\w-]+", "-", text).strip("-")
