"""What was done to a domain, for people, programs and customers."""

import base64
import csv
import io
from collections import Counter
from collections.abc import Mapping, Sequence
from pathlib import Path

from legatum.core.calendar.instant import for_people, instant_text
from legatum.core.house.letter import Letter, Said, asks_of, differences_of
from legatum.core.memory.given import ABSENT, Given
from legatum.core.memory.history import Act, Became, Changed, before_and_after
from legatum.core.records.name import name_text, unicode_text
from legatum.core.records.rrtype import type_text
from legatum.core.text.printable import cell_text, clipped, one_line
from legatum.net.file import write_whole
from legatum.views.document import Document, Part
from legatum.views.letters.letter import Step, letter_text, write_letter
from legatum.views.page import render
from legatum.views.screen import BAD, DOUBT, QUIET, Screen
from legatum.work.history import History

_MOST_SHOWN, _LONGEST = 6, 80


class ActPart(Part):
    """``became``: what became of it; ``first``, ``everywhere``: from when on the first and all servers showed it;
    ``proof``: the entry whose replies show it, for ``--evidence``; ``replies``: how many."""

    domain: str
    who: str
    became: str
    what: str
    said: str
    changes: list[str]
    begun: str
    ended: str | None
    first: str | None
    everywhere: str | None
    move: str
    step: str
    proof: int | None
    replies: int


class GivenPart(Part):
    """What was given, and from when to when that was seen. ``by``: the parent, or empty for the domain's own
    servers."""

    name: str
    type: str
    ttl: int
    data: str
    by: str
    first: str
    last: str


class ChangedPart(Part):
    what: str
    before: str
    after: str


class HistoryDocument(Document, tag="legatum.history/1"):
    """Everything that the journal has of a domain, oldest first. ``changed``: what all of it came to."""

    domain: str
    since: str | None
    acts: list[ActPart]
    seen: list[GivenPart]
    changed: list[ChangedPart]


class HouseHistoryDocument(Document, tag="legatum.history-list/1"):
    """Several domains, by name."""

    histories: list[HistoryDocument]


def history_document(found: History, since: float | None) -> HistoryDocument:
    return HistoryDocument(
        domain=name_text(found.domain),
        since=_instant(since),
        acts=[_act(each) for each in found.acts],
        seen=[_given(each) for each in found.seen if (each.data or each.ttl) and each.data != ABSENT],
        changed=[_changed(each) for each in before_and_after(found.acts)],
    )


def _act(each: Act) -> ActPart:
    return ActPart(
        domain=each.domain,
        who=each.who,
        became=str(each.became),
        what=each.what,
        said=each.said,
        changes=list(each.changes),
        begun=instant_text(each.begun),
        ended=_instant(each.ended),
        first=_instant(each.first),
        everywhere=_instant(each.everywhere),
        move=each.move,
        step=each.step,
        proof=each.proof,
        replies=each.replies,
    )


def _given(each: Given) -> GivenPart:
    return GivenPart(
        name=name_text(each.name),
        type=type_text(each.rtype),
        ttl=each.ttl,
        data=each.data,
        by=each.place,
        first=instant_text(each.first),
        last=instant_text(each.last),
    )


def _changed(each: Changed) -> ChangedPart:
    return ChangedPart(what=each.what, before=each.before, after=each.after)


def _instant(at: float | None) -> str | None:
    return instant_text(at) if at is not None else None


def show_history(document: HistoryDocument, screen: Screen, whole: bool = False) -> None:
    """``whole``: what never changed too."""
    count = Counter(each.became for each in document.acts)
    left = count[Became.OPEN]
    more = {"failed": count[Became.FAILED], "refused": count[Became.REFUSED], "begun and not known to have ended": left}
    counted = ", ".join(
        [f"{count[Became.DONE]} done", *(f"{number} {what}" for what, number in more.items() if number)]
    )
    since = f" since {document.since}" if document.since else ""
    good = not left
    last = document.acts[-1] if document.acts else None
    if left:
        following = f"`legatum move status {document.domain}`, or the same command again: it looks first"
    elif last is not None and last.became in (str(Became.FAILED), str(Became.REFUSED)):
        following = f"mend what stands in the way of the last one ({_what(last)}), then the same command again"
    else:
        following = ""
    screen.verdict(good, f"{document.domain}: {counted}{since}", following)
    if document.acts:
        screen.heading("What was done")
        rows = [
            (
                each.proof if each.proof is not None else "",
                (each.ended or each.begun).replace("T", " ").rstrip("Z"),
                each.who,
                _what(each),
                each.became,
                _lines(each.changes) or each.said,
            )
            for each in document.acts
        ]
        styles = [
            {
                str(Became.FAILED): BAD,
                str(Became.REFUSED): DOUBT,
                str(Became.OPEN): DOUBT,
                str(Became.UNDONE): DOUBT,
            }.get(each.became, "")
            for each in document.acts
        ]
        screen.table(("proof", "when (UTC)", "who", "what", "", "old → new, or what was seen"), rows, styles)
    _show_seen(document, screen, whole)
    screen.line()
    screen.line(
        "The journal has what this program did and saw; changes that others made are in it only where they were seen.",
        QUIET,
    )


def _show_seen(document: HistoryDocument, screen: Screen, whole: bool) -> None:
    seen = [each for each in document.seen if each.data]
    states = Counter((each.name, each.type, each.by) for each in seen)
    told = [each for each in seen if whole or states[each.name, each.type, each.by] > 1]
    if told:
        screen.heading("What was given, and when that was seen")
        rows = [
            (
                each.name,
                each.type,
                each.ttl,
                clipped(each.data, _LONGEST),
                each.by,
                _minute(each.first),
                _minute(each.last),
            )
            for each in told
        ]
        screen.table(("name", "type", "TTL", "data", "by", "first", "last"), rows)
    if len(told) < len(seen):
        screen.line(f"{len(seen) - len(told)} RRsets were never seen otherwise (-v shows them)", QUIET)


def _minute(text: str) -> str:
    return text[:16].replace("T", " ")


def _what(each: ActPart) -> str:
    step = f" [{each.step}]" if each.move and each.step != each.what else ""
    return f"{each.what}{step}"


def _lines(changes: Sequence[str]) -> str:
    more = f"\nand {len(changes) - _MOST_SHOWN} more" if len(changes) > _MOST_SHOWN else ""
    return "\n".join(clipped(each, 2 * _LONGEST) for each in changes[:_MOST_SHOWN]) + more


def history_csv(documents: Sequence[HistoryDocument]) -> str:
    """A row for each thing that was done; cells that a spreadsheet would take for a formula are quoted with an
    apostrophe."""
    out = io.StringIO()
    rows = csv.writer(out, lineterminator="\n")
    rows.writerow(
        ("domain", "begun", "ended", "who", "what", "became", "changes", "said", "move", "step", "proof", "replies")
    )
    for each in (act for document in documents for act in document.acts):
        cells = (
            each.domain,
            each.begun,
            each.ended or "",
            each.who,
            each.what,
            each.became,
            " ; ".join(each.changes),
            each.said,
            each.move,
            each.step,
            each.proof if each.proof is not None else "",
            each.replies,
        )
        rows.writerow([cell_text(one_line(cell)) for cell in cells])
    return out.getvalue()


def write_history(path: Path, documents: Sequence[HistoryDocument]) -> None:
    """As one HTML file. Raises as :func:`~legatum.net.file.write_whole`."""
    write_whole(path, for_people(render("history.html", histories=documents)))


def write_note(
    file: str,
    form: str,
    found: History,
    evidence: Mapping[int, str],
    pending: str,
    house: str,
    folder: Path | None,
    now: float,
) -> None:
    """The letter for the customer. ``evidence``: entry → the replies, as they stand in a file, attached to a page;
    ``pending``: what is still under way, in words; ``folder``: of the house's own letters. Raises as
    :func:`~legatum.views.letters.letter.write_letter`."""
    domain = unicode_text(found.domain)
    done = [_act(each) for each in found.acts if each.became == Became.DONE and each.changes]
    attached = [
        (
            f"evidence-{number}.jsonl",
            f"data:application/jsonl;base64,{base64.b64encode(text.encode()).decode()}",
            _title(found, number),
        )
        for number, text in evidence.items()
    ]
    left = [each.what for each in found.acts if each.became == Became.OPEN]
    pending = "; ".join([pending, *left]).strip("; ")
    differences = differences_of(before_and_after(found.acts), name_text(found.domain))
    lead = Said("history.under_way" if pending else "history.done", {"domain": domain})
    told = (Said("letter.under_way", {"what": pending}),) if pending else ()
    letter = Letter(domain, "waiting" if pending else "good", lead, told, differences, asks_of(differences))
    steps = [Step(each.what, _minute(each.begun), _minute(each.everywhere or each.ended or "")) for each in done]
    write_letter(file, letter_text(letter, form, now, folder, house, steps, attached, of_changes=True))


def _title(found: History, number: int) -> str:
    return next((f"{each.what} ({each.replies} replies)" for each in found.acts if each.proof == number), "")
