"""Worksheets for a registrar's form: what to change, old → new, each value in every form in which such pages ask for
it."""

import re
from collections.abc import Sequence
from html import escape
from pathlib import Path

from legatum.core.calendar.instant import for_people
from legatum.core.dnssec.policy import algorithm, digest_type
from legatum.core.moves.effects import Delegated, DsChanged, HostSet, Records, Signed, Transfer, ZoneEnded, ZoneMade
from legatum.core.moves.runbook import Runbook, Step
from legatum.core.records.name import Name, absolute_text, name_text, unicode_text
from legatum.core.records.presentation import rdata_text
from legatum.core.records.rrtype import DS
from legatum.net.file import write_whole
from legatum.services.registrar import ByHand


def nameserver_sheet(domain: Name, registrar: str, page: str, old: Sequence[Name], new: Sequence[Name]) -> str:
    """The NS set, as Markdown."""
    gone, come = [name for name in old if name not in new], [name for name in new if name not in old]
    lines = _head(f"Name servers of {name_text(domain)} at {registrar}", page)
    lines += ["Before: " + _listed(old), "", "After: " + _listed(new), ""]
    for title, names in (("Take out", gone), ("Put in", come), ("Leave alone", [name for name in new if name in old])):
        if names:
            lines += [f"## {title}", "", *(f"- [ ] {_in_forms(*_forms(name))}" for name in names), ""]
    return _whole(
        lines,
        f"{len(new)} names in the list, none of the old ones left, each in a field of its own.",
        "A final dot only where the page's own example has one. Some pages hang the domain on a name without it.",
        "Leave contact data, DS records and the lock alone. Fields for addresses are for name servers below "
        "the domain itself only.",
    )


def ds_sheet(domain: Name, registrar: str, page: str, old: Sequence[bytes], new: Sequence[bytes]) -> str:
    """The DS set, as Markdown."""
    gone, come = [each for each in old if each not in new], [each for each in new if each not in old]
    lines = _head(f"DS records of {name_text(domain)} at {registrar}", page)
    if gone:
        lines += ["## Take out", "", *(f"- [ ] `{rdata_text(DS, each)}`" for each in gone), ""]
    for each in come:
        tag, number, kind, digest = rdata_text(DS, each).split(" ", 3)
        digest = digest.replace(" ", "").upper()
        lines += [
            f"## Put in: key tag {tag}", "",
            f"- [ ] key tag: `{tag}`",
            f"- [ ] algorithm: `{number}` (in lists: {algorithm(int(number)).name})",
            f"- [ ] digest type: `{kind}` (in lists: {digest_type(int(kind)).name})",
            f"- [ ] digest: `{digest}` ({len(digest)} digits)", "",
            "Pages that want it in one line:", "", f"    {tag} {number} {kind} {digest}", "",
        ]  # fmt: skip
        lines += [f"Pages that want the key instead (DNSKEY): `legatum ds derive {name_text(domain)}` shows it.", ""]
    if kept := [each for each in new if each in old]:
        lines += ["## Leave alone", "", *(f"- `{rdata_text(DS, each)}`" for each in kept), ""]
    return _whole(
        lines,
        "The digest is there to its last digit: pages cut off what is too long for their field, and say nothing.",
        "Algorithm and digest type are numbers; a list of names may be in another order than you think.",
        "Leave name servers, contact data and the lock alone.",
    )


def host_sheet(domain: Name, host: Name, registrar: str, page: str, old: Sequence[str], new: Sequence[str]) -> str:
    """A host and its addresses, as Markdown."""
    label = name_text(Name(host[: len(host) - len(domain)] + b"\0"))
    lines = _head(f"Host {name_text(host)} at {registrar}", page)
    lines += ["Such pages call it host, child name server, private name server or glue record.", ""]
    lines += [f"- [ ] the host: {_in_forms(label, *_forms(host))}"]
    lines += [f"- [ ] address to take out: `{each}`" for each in old if each not in new]
    lines += [
        f"- [ ] address to put in: `{each}` ({'IPv6' if ':' in each else 'IPv4'})" for each in new if each not in old
    ]
    lines += [f"- address to leave alone: `{each}`" for each in new if each in old]
    if not new:
        lines += ["- [ ] then take the host itself away"]
    return _whole(
        [*lines, ""],
        "Each address in a field of its own; IPv6 may have a field that must be opened first.",
        "Leave the list of name servers alone: that is another page, and another step.",
    )


def transfer_sheet(domain: Name, registrar: str, page: str, to_do: Sequence[str]) -> str:
    """What a person does in a transfer, as Markdown. The authorisation code does not stand in it."""
    lines = _head(f"Transfer of {name_text(domain)}: at {registrar}", page)
    lines += [*(f"- [ ] {each}" for each in to_do), ""]
    return _whole(
        lines,
        "Answer *keep the present name servers* where the page asks; leave DS records alone.",
        "The authorisation code is not written here: keep it out of tickets and mail.",
    )


def form_sheet(domain: Name, registrar: str, page: str, what: str, to_do: Sequence[str]) -> str:
    """Anything else that a registrar's form has, as Markdown."""
    lines = _head(f"{name_text(domain)} at {registrar}: {what}", page)
    return _whole(
        [*lines, *(f"- [ ] {each}" for each in to_do), ""], "Leave name servers, DS records and contact data alone."
    )


def step_sheet(runbook: Runbook, step: Step, by_hand: ByHand) -> str:
    """What a person has to do for one step of a move, as Markdown."""
    domain = runbook.domain
    effect, to_do = step.effects[0], list(by_hand.to_do)
    match effect:
        case Delegated():
            return nameserver_sheet(domain, by_hand.registrar, by_hand.page, effect.before, effect.after)
        case DsChanged():
            return ds_sheet(domain, by_hand.registrar, by_hand.page, *by_hand.ds)
        case HostSet():
            return host_sheet(domain, effect.host, by_hand.registrar, by_hand.page, effect.before, effect.after)
        case Transfer(op="request"):
            fetch = f"`legatum registration code {name_text(domain)} --registrar {effect.losing} --into FILE`"
            to_do.insert(0, f"have the authorisation code at hand, in a file and nowhere else: {fetch}")
        case Records() | ZoneMade() | ZoneEnded() | Signed():
            return form_sheet(domain, by_hand.registrar, by_hand.page, step.title, to_do)
    return transfer_sheet(domain, by_hand.registrar, by_hand.page, to_do)


def _head(title: str, page: str) -> list[str]:
    return [f"# {title}", "", *([f"The form is at {page}", ""] if page else [])]


def _whole(lines: Sequence[str], *advice: str) -> str:
    return "\n".join([*lines, "## Before you save", "", *(f"- {each}" for each in advice), ""])


def _listed(names: Sequence[Name]) -> str:
    return ", ".join(name_text(name) for name in names) or "none"


def _in_forms(*texts: str) -> str:
    return " or ".join(f"`{text}`" for text in dict.fromkeys(texts))


def _forms(name: Name) -> list[str]:
    return list(dict.fromkeys((name_text(name), absolute_text(name), unicode_text(name))))


def write_sheet(path: Path, text: str) -> None:
    """As Markdown, or as a page where the path ends in ``.html``. Raises as :func:`~legatum.net.file.write_whole`."""
    text = for_people(text)
    write_whole(path, _page(text) if path.suffix.lower() in (".html", ".htm") else text)


_STYLE = (
    "body{font:16px/1.5 system-ui,sans-serif;max-width:52rem;margin:2rem auto;padding:0 1rem;"
    "color:#1b2430}h1{font-size:1.5rem}"
    "h2{font-size:1.1rem;margin-top:1.6rem}code,pre{background:#eef1f5;border-radius:4px;"
    "padding:.1rem .35rem;user-select:all}"
    "pre{padding:.6rem;overflow-x:auto}ul{list-style:none;padding-left:.2rem}"
    "li{margin:.35rem 0}@media print{code,pre{border:1px solid #99a}}"
)


def _page(text: str) -> str:
    """The sheet's own few marks as HTML: headings, boxes to tick, values that a click selects whole."""
    parts: list[str] = []
    for line in text.splitlines():
        if line.startswith("#"):
            level = 1 if line.startswith("# ") else 2
            parts.append(f"<h{level}>{escape(line.lstrip('# '))}</h{level}>")
        elif line.startswith("    "):
            parts.append(f"<pre>{escape(line.strip())}</pre>")
        elif line.startswith("- "):
            box = "<input type=checkbox> " if line.startswith("- [ ] ") else "· "
            parts.append(f"<li>{box}{_marked(line.removeprefix('- ').removeprefix('[ ] '))}</li>")
        elif line:
            parts.append(f"<p>{_marked(line)}</p>")
    title = escape(text.split("\n", 1)[0].lstrip("# "))
    head = f'<!doctype html><html lang="en"><meta charset="utf-8"><title>{title}</title><style>{_STYLE}</style>'
    items = "\n".join(parts).replace("</li>\n<li>", "</li><li>")
    listed = re.sub(r"(<li>.*</li>)", r"<ul>\1</ul>", items).replace("</li><li>", "</li>\n<li>")
    return f"{head}<body>{listed}</body></html>\n"


def _marked(text: str) -> str:
    """What stands between back-ticks is a value."""
    return "".join(
        f"<code>{escape(part)}</code>" if odd % 2 else escape(part) for odd, part in enumerate(text.split("`"))
    )
