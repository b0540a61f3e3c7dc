"""The registrar's side of a domain, and the worksheet for one that has only a form."""

from collections.abc import Sequence
from html import escape
from pathlib import Path

from legatum.core.name import Name, absolute_text, name_text, unicode_text
from legatum.net.file import write_whole
from legatum.views.document import Document, Part
from legatum.views.screen import BAD, QUIET, Screen
from legatum.work.registration import Sides


class HeldPart(Part):
    """One source. ``agrees``: its NS set is the one that the parent's servers hand out; None where it says nothing about it."""

    source: str
    registrar: str
    nameservers: list[str]
    statuses: list[str]
    expires: str
    agrees: bool | None


class RegistrationDocument(Document, tag="legatum.registration/1"):
    """What the registry holds beside what is published. ``agreed``: nobody says anything else; ``why``: why RDAP says nothing."""

    domain: str
    agreed: bool
    held: list[HeldPart]
    why: str


class RegistrationChangeDocument(Document, tag="legatum.registration-change/1"):
    """``state``: ``unchanged``, ``shown``, ``declined``, ``changed``, ``worksheet`` or ``published``; ``since``: when it was seen at
    every server of the parent zone."""

    domain: str
    registrar: str
    action: str
    state: str
    old: list[str]
    new: list[str]
    said: str = ""
    since: str | None = None
    file: str | None = None


def registration_document(sides: Sides) -> RegistrationDocument:
    sets = [each for each in sides.published.values() if each is not None]
    common = sets[0] if sets and all(each == sets[0] for each in sets) else None
    held = []
    for source, found in (("the registrar's account", sides.account), ("RDAP", sides.rdap)):
        if found is not None:
            names = tuple(sorted(found.nameservers))
            agrees = names == common if names else None
            held.append(_held(source, found.registrar, names, found.statuses, found.expires, agrees))
    for address, handed in sides.published.items():
        agrees = handed == common if handed is not None and common is not None else None
        held.append(_held(f"the parent's server {address}", "", handed or (), () if handed is not None else ("no answer",), "", agrees))
    agreed = common is not None and all(each.agrees is not False for each in held)
    return RegistrationDocument(domain=name_text(sides.domain), agreed=agreed, held=held, why=sides.why)


def _held(source: str, registrar: str, names: Sequence[Name], statuses: Sequence[str], expires: str, agrees: bool | None) -> HeldPart:
    texts = [name_text(name) for name in names]
    return HeldPart(source=source, registrar=registrar, nameservers=texts, statuses=list(statuses), expires=expires, agrees=agrees)


def show_registration(document: RegistrationDocument, screen: Screen) -> None:
    sources = len(document.held)
    if document.agreed:
        screen.verdict(True, f"{document.domain}: {sources} places name the same name servers", "")
    else:
        following = "a change on its way is published after a while; else set it right: legatum registration nameservers"
        screen.verdict(False, f"{document.domain}: not everybody names the same name servers", following)
    screen.line()
    rows = [
        (each.source, each.registrar or "-", "\n".join(each.nameservers) or "-", "\n".join(each.statuses) or "-", each.expires or "-")
        for each in document.held
    ]
    styles = [BAD if each.agrees is False else "" for each in document.held]
    screen.table(("who says so", "registrar", "name servers", "statuses", "expires"), rows, styles)
    if document.why:
        screen.line(f"RDAP: {document.why}", QUIET)


def show_change(document: RegistrationChangeDocument, screen: Screen) -> None:
    what = f"{document.domain} at {document.registrar}"
    new = ", ".join(document.new) or "nothing"
    match document.state:
        case "changed":
            following = f"legatum watch {document.domain} follows it until everybody has it" if document.action == "nameservers" else ""
            screen.verdict(True, f"{what}: {document.said}; now {new}", following)
        case "published":
            screen.verdict(True, f"{what}: seen at every server of the parent zone since {document.since}: {new}", "")
        case "worksheet":
            screen.verdict(True, f"{what}: to be changed by hand, {document.file} says how", "then the same command with --wait")
        case "unchanged":
            screen.verdict(True, f"{what}: it is like this already: {new}", "")
        case "shown":
            screen.verdict(True, f"{what}: {', '.join(document.old) or 'nothing'} → {new}; nothing was touched", "leave out --dry-run")
        case _:
            screen.verdict(False, f"{what}: declined, nothing was changed", "")


def nameserver_sheet(domain: Name, registrar: str, page: str, old: Sequence[Name], new: Sequence[Name]) -> str:
    """What to type into a registrar's form, as Markdown: each name in every form in which such pages ask for it."""
    gone, come = [name for name in old if name not in new], [name for name in new if name not in old]
    lines = [f"# Name servers of {name_text(domain)} at {registrar}", ""]
    if page:
        lines += [f"The form is at {page}", ""]
    lines += ["Before: " + ", ".join(name_text(name) for name in old), "", "After: " + ", ".join(name_text(name) for name in new), ""]
    for title, names in (("Take out", gone), ("Put in", come), ("Leave alone", [name for name in new if name in old])):
        if names:
            lines += [f"## {title}", ""]
            lines += [f"- [ ] {' or '.join(f'`{text}`' for text in _forms(name))}" for name in names]
            lines.append("")
    lines += [
        "## Before you save",
        "",
        f"- {len(new)} names in the list, none of the old ones left, each in a field of its own.",
        "- A final dot only where the page's own example has one. Some pages hang the domain on a name without it.",
        "- Leave contact data, DS records and the lock alone. Fields for addresses are for name servers below the domain itself only.",
        "",
    ]
    return "\n".join(lines)


def _forms(name: Name) -> list[str]:
    return list(dict.fromkeys((name_text(name), absolute_text(name), unicode_text(name))))


def write_sheet(path: Path, text: str) -> None:
    """As Markdown, or as a plain page where the path ends in ``.html``. Raises as :func:`~legatum.net.file.write_whole`."""
    if path.suffix.lower() in (".html", ".htm"):
        style = "white-space:pre-wrap;max-width:60rem;margin:2rem auto"
        head = '<!doctype html><html lang="en"><meta charset="utf-8"><title>worksheet</title>'
        text = f'{head}<pre style="{style}">{escape(text)}</pre></html>\n'
    write_whole(path, text)
