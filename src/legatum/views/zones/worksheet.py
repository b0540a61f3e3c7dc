"""A worksheet for a provider's form: every value ready to copy, in the forms in which such pages ask for it."""

from html import escape
from pathlib import Path

from legatum.core.calendar.instant import for_people, instant_text
from legatum.core.records.name import Name, absolute_text, file_name, name_text
from legatum.core.records.presentation import rdata_text
from legatum.core.records.rrset import RRset, names_in, strings_of
from legatum.core.records.rrtype import CNAME, DNAME, MX, NS, PTR, SRV, TXT, type_text
from legatum.core.zones.changing.worksheet import Worksheet
from legatum.core.zones.difference import Difference
from legatum.core.zones.masterlines import master_text
from legatum.net.file import write_whole
from legatum.views.document import Document, Part
from legatum.views.screen import QUIET, STRONG, Screen

_WORDS = {"only left": "take away", "only right": "add", "data differ": "change", "TTL differs": "change the TTL of"}


class FieldPart(Part):
    """One value of a form: what such pages call it, and the text to copy, in each form that they may want."""

    label: str
    values: list[str]


class LinePart(Part):
    """``todo``: add, change, take away; ``fields``: a list for each record to end up with."""

    todo: str
    name: str
    type: str
    old: list[str]
    records: list[list[FieldPart]]


class WorksheetDocument(Document, tag="legatum.worksheet/1"):
    """``whole``: what is there now is known whole; ``file``: the worksheet; ``master``: the zone as a master file, for
    pages that import one; ``seen``: when every server answered as meant."""

    domain: str
    provider: str
    whole: bool
    lines: list[LinePart]
    file: str | None
    seen: str | None
    master: str | None = None


def worksheet_document(sheet: Worksheet, path: Path | None, seen: float | None = None) -> WorksheetDocument:
    """``path``: where the worksheet is, None where nothing is written."""
    return WorksheetDocument(
        domain=name_text(sheet.wanted.origin),
        provider=sheet.place,
        whole=sheet.whole,
        lines=[_line(sheet.wanted.origin, each) for each in sheet.to_do],
        file=str(path) if path else None,
        master=str(_master_path(path, sheet)) if path else None,
        seen=instant_text(seen) if seen is not None else None,
    )


def _line(origin: Name, each: Difference) -> LinePart:
    return LinePart(
        todo=_WORDS[str(each.kind)],
        name=name_text(each.name),
        type=type_text(each.rtype),
        old=[f"{each.left.ttl} {rdata_text(each.rtype, rdata)}" for rdata in each.left.rdatas] if each.left else [],
        records=[fields_of(origin, each.right, rdata) for rdata in each.right.rdatas] if each.right else [],
    )


def fields_of(origin: Name, rrset: RRset, rdata: bytes) -> list[FieldPart]:
    """One record as a form asks for it."""
    host = name_text(rrset.name)
    label = "@" if rrset.name == origin else name_text(Name(rrset.name[: len(rrset.name) - len(origin)] + b"\0"))
    fields = [("name", [label, host, absolute_text(rrset.name)]), ("TTL", [str(rrset.ttl)])]
    if rrset.rtype in (CNAME, NS, PTR, DNAME):
        fields.append(("target", _names(Name(rdata))))
    elif rrset.rtype == MX:
        fields += [("preference", [str(int.from_bytes(rdata[:2]))]), ("mail server", _names(Name(rdata[2:])))]
    elif rrset.rtype == SRV:
        numbers = (rdata[at : at + 2] for at in (0, 2, 4))
        fields += [
            (word, [str(int.from_bytes(two))])
            for word, two in zip(("priority", "weight", "port"), numbers, strict=True)
        ]
        fields.append(("target", _names(names_in(SRV, rdata)[0])))
    elif rrset.rtype == TXT:
        plain = b"".join(strings_of(rdata)).decode("ascii", "backslashreplace")
        fields.append(("text", [plain, rdata_text(TXT, rdata)]))
    else:
        fields.append(("value", [rdata_text(rrset.rtype, rdata)]))
    return [FieldPart(label=word, values=list(dict.fromkeys(values))) for word, values in fields]


def _names(name: Name) -> list[str]:
    return [name_text(name), absolute_text(name)]


def sheet_path(domain: Name) -> Path:
    """Where the worksheet of a zone is written if nothing else is said."""
    return Path(f"{file_name(domain)}.worksheet.md")


def _master_path(path: Path, sheet: Worksheet) -> Path:
    return path.with_name(f"{file_name(sheet.wanted.origin)}.{sheet.place}.zone")


def write_worksheet(path: Path, sheet: Worksheet) -> None:
    """As Markdown, or as a page where the path ends in ``.html``, and the master file beside it. Raises as
    :func:`~legatum.net.file.write_whole`."""
    document = worksheet_document(sheet, path)
    comment = f"{document.domain} for {document.provider}: for a page that imports master files"
    write_whole(_master_path(path, sheet), master_text(sheet.importable, [comment]))
    text = _page(document) if path.suffix.lower() in (".html", ".htm") else markdown(document)
    write_whole(path, for_people(text))


def markdown(document: WorksheetDocument) -> str:
    """A list to work through: what, old, and every value in a line of its own."""
    lines = [f"# {document.domain} at {document.provider}", "", *_advice(document), ""]
    for number, each in enumerate(document.lines, 1):
        lines += [f"## {number}. {each.todo} {each.name} {each.type}", ""]
        lines += [f"- [ ] now: `{old}`" for old in each.old]
        for record in each.records:
            lines += [f"- [ ] {field.label}: {' or '.join(f'`{value}`' for value in field.values)}" for field in record]
            lines.append("")
        lines.append("")
    return "\n".join(lines).rstrip() + "\n"


def _page(document: WorksheetDocument) -> str:
    rows = []
    for number, each in enumerate(document.lines, 1):
        rows.append(f"<h2>{number}. {escape(each.todo)} {escape(each.name)} {escape(each.type)}</h2>")
        rows += [f"<p>now: <code>{escape(old)}</code></p>" for old in each.old]
        for record in each.records:
            cells = "".join(
                f"<tr><th>{escape(field.label)}</th>"
                f"<td>{' or '.join(f'<code>{escape(value)}</code>' for value in field.values)}</td></tr>"
                for field in record
            )
            rows.append(f"<table>{cells}</table>")
    advice = "".join(f"<p>{escape(text)}</p>" for text in _advice(document) if text)
    title = f"{escape(document.domain)} at {escape(document.provider)}"
    style = (
        "body{font:16px/1.5 system-ui,sans-serif;max-width:60rem;margin:2rem auto;padding:0 1rem;"
        "color:#1d2733;background:#fff}"
        "h2{font-size:1.05rem;margin:1.6rem 0 .3rem}th{text-align:left;font-weight:normal;"
        "padding-right:1.5rem;color:#5a6675}"
        "code{user-select:all;background:#eef3f6;padding:.1rem .35rem;border-radius:3px;overflow-wrap:anywhere}"
        "table{margin:.3rem 0 .8rem;border-collapse:collapse}td,th{padding:.15rem .6rem .15rem 0;vertical-align:top}"
    )
    return (
        f'<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width">'
        f"<title>{title}</title><style>{style}</style><h1>{title}</h1>{advice}{''.join(rows)}</html>\n"
    )


def _advice(document: WorksheetDocument) -> list[str]:
    told = [
        "Leave SOA and the NS records of the domain itself alone: they are the provider's.",
        "Where a value is given in several forms, take the one that the page asks for; a final dot is right "
        "only where names of other "
        "zones need it. Look at the saved list before you leave the page: some pages add the domain once more.",
    ]
    if document.master:
        told.append(
            f"A page that imports master files may take {document.master}: the zone whole, with this "
            "provider's name servers in it."
        )
    if not document.whole:
        told.append(
            "What else stands there now is not known, as the provider lets nobody read the zone: compare its "
            "list with this one."
        )
    return told


def show_worksheet(document: WorksheetDocument, screen: Screen) -> None:
    where = f"{document.domain} at {document.provider}"
    if document.seen:
        screen.verdict(True, f"{where}: done, every server has answered as meant since {document.seen}", "")
        return
    if not document.lines:
        screen.verdict(True, f"{where}: nothing to change, it is served like this already", "")
        return
    following = (
        f"work through {document.file}, then the same command with --wait"
        if document.file
        else "without --dry-run it is written"
    )
    screen.verdict(True, f"{where}: {len(document.lines)} RRsets to change by hand", following)
    for text in _advice(document):
        screen.line(text, QUIET)
    for number, each in enumerate(document.lines, 1):
        screen.line()
        screen.line(f"{number}. {each.todo} {each.name} {each.type}", STRONG)
        for old in each.old:
            screen.line(f"   now: {old}", QUIET, indent=8)
        for record in each.records:
            screen.pairs([(f"  {field.label}", "   ".join(field.values)) for field in record])
