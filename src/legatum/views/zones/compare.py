"""Two copies of a zone side by side: contents and answers."""

import csv
import io
from collections.abc import Iterable

import msgspec

from legatum.core.observation.answers import AnswerDifference, AnswersComparison
from legatum.core.records.name import Name, name_text, parse_name
from legatum.core.records.presentation import parse_rdata, rdata_texts
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import parse_type, type_text
from legatum.core.running.fault import BadInput
from legatum.core.text.printable import cell_text
from legatum.core.zones.difference import Difference, ForVisitors
from legatum.views.document import Document, Part
from legatum.views.everywhere import EverywherePart, show_everywhere
from legatum.views.screen import BAD, DOUBT, QUIET, Screen
from legatum.work.zones.compare import ContentsComparison


class SidePart(Part):
    ttl: int
    data: list[str]


class DifferencePart(Part):
    name: str
    type: str
    kind: str
    weight: str
    expected: bool
    left: SidePart | None
    right: SidePart | None


class SaidPart(Part):
    said: list[str]
    addresses: list[str]


class AnswerPart(Part):
    name: str
    type: str
    weight: str
    expected: bool
    answers: list[SaidPart]
    varied: str = ""


class CompareDocument(Document, tag="legatum.compare/1"):
    """What differs between two places. ``expected`` differences - SOA and NS at the apex, what a signer makes - say
    nothing. ``weight``: what a difference means for visitors who are led from the left side to the right one;
    ``worse``: there is one that they would suffer, or of which that is not known."""

    domain: str
    left: str
    right: str
    left_serial: int
    right_serial: int
    equal: bool
    worse: bool
    same: int
    differences: list[DifferencePart]
    questions: int = 0
    addresses: list[str] = []
    answers: list[AnswerPart] = []
    everywhere: EverywherePart | None = None


class CompareListDocument(Document, tag="legatum.compare-list/1"):
    """One place beside several others."""

    comparisons: list[CompareDocument]


_COLUMNS = (
    "domain",
    "left",
    "right",
    "name",
    "type",
    "what",
    "for visitors",
    "left TTL",
    "left data",
    "right TTL",
    "right data",
)


def compare_csv(documents: Iterable[CompareDocument]) -> str:
    """The differences in contents and in answers, a row each; cells that a spreadsheet would take for a formula are
    quoted with an apostrophe."""
    file = io.StringIO()
    rows = csv.writer(file)
    rows.writerow(_COLUMNS)
    for document in documents:
        places = (document.domain, document.left, document.right)
        for each in document.differences:
            sides = [(side.ttl, " | ".join(side.data)) if side else ("", "") for side in (each.left, each.right)]
            rows.writerow(map(cell_text, (*places, each.name, each.type, each.kind, each.weight, *sides[0], *sides[1])))
        for answer in document.answers:
            left, right = (_said_by(answer, side).replace("\n", " | ") for side in places[1:])
            what = (answer.name, answer.type, "answers differ", answer.weight)
            rows.writerow(map(cell_text, (*places, *what, "", left, "", right)))
    return file.getvalue()


def read_difference(text: bytes) -> CompareDocument:
    """A comparison as it was written. Raises :class:`BadInput`."""
    try:
        return msgspec.json.decode(text, type=CompareDocument)
    except msgspec.DecodeError as error:
        raise BadInput(
            f"no comparison: {error}",
            "give a file that `legatum compare LEFT RIGHT --domain DOMAIN --difference FILE` wrote",
        ) from None


def differences_of(document: CompareDocument, origin: Name) -> list[Difference]:
    """The differences that are not expected, from a document. Raises :class:`BadInput` for data that cannot be."""
    found = []
    for each in document.differences:
        name, rtype = parse_name(each.name + "."), parse_type(each.type)
        left, right = (
            rrset(name, rtype, side.ttl, (parse_rdata(rtype, text, origin) for text in side.data)) if side else None
            for side in (each.left, each.right)
        )
        if not each.expected:
            found.append(Difference(name, rtype, left, right))
    return found


def compare_document(contents: ContentsComparison, answers: AnswersComparison | None) -> CompareDocument:
    left, right = contents.left, contents.right
    differing = {(each.name, each.rtype) for each in contents.differences}
    weights = [each.weight for each in contents.differences] + [
        each.weight for each in (answers.differences if answers else ())
    ]
    return CompareDocument(
        domain=name_text(left.zone.origin),
        left=left.source,
        right=right.source,
        left_serial=left.zone.soa.serial,
        right_serial=right.zone.soa.serial,
        equal=all(weight == ForVisitors.OWN for weight in weights),
        worse=bool(contents.worse or (answers and answers.worse)),
        same=len((left.zone.keys | right.zone.keys) - differing),
        differences=[difference_part(each) for each in contents.differences],
        questions=answers.questions if answers else 0,
        addresses=[f"{address} ({side})" for address, side in answers.sides.items()] if answers else [],
        answers=[_answer(each, answers) for each in answers.differences] if answers else [],
    )


def difference_part(each: Difference) -> DifferencePart:
    return DifferencePart(
        name=name_text(each.name),
        type=type_text(each.rtype),
        kind=str(each.kind),
        weight=str(each.weight),
        expected=each.expected,
        left=_side(each.left),
        right=_side(each.right),
    )


def _side(rrset: RRset | None) -> SidePart | None:
    return SidePart(ttl=rrset.ttl, data=rdata_texts(rrset)) if rrset else None


def _answer(each: AnswerDifference, answers: AnswersComparison) -> AnswerPart:
    said = [
        SaidPart(
            said=[f"{rrset.ttl} {rrset.type_text} {text}" for rrset in what.rrsets for text in rdata_texts(rrset)]
            or [what.outcome],
            addresses=[f"{address} ({answers.sides[address]})" for address in where],
        )
        for what, where in each.said.items()
    ]
    return AnswerPart(
        name=name_text(each.name),
        type=type_text(each.rtype),
        weight=str(each.weight),
        expected=each.weight == ForVisitors.OWN,
        answers=said,
        varied=each.varied,
    )


def show_compare(document: CompareDocument, screen: Screen) -> None:
    asked = (
        f"; {document.questions} questions to each of {len(document.addresses)} addresses" if document.questions else ""
    )
    if document.equal:
        same = ", same answers" if document.questions else ""
        first = (
            f"{document.domain}: {document.left} and {document.right} say the same: {document.same} RRsets "
            f"equal{asked}{same}"
        )
        following = "" if document.questions else "ask the servers themselves too: add --answers"
    elif document.worse:
        first = (
            f"{document.domain}: {document.right} is not as good as {document.left}: {_counted(document, _REFUSING)}"
        )
        following = "bring the sides to the same contents before a delegation points at both"
    else:
        first = (
            f"{document.domain}: visitors miss nothing at {document.right}: {document.same} RRsets "
            f"equal{asked}; {_counted(document, ())}"
        )
        following = "" if document.questions else "ask the servers themselves too: add --answers"
    everywhere = document.everywhere
    if everywhere is not None and not everywhere.good:
        first, following = f"{first}. Not so from everywhere", following or "see below who gets what"
    screen.verdict(not document.worse and (everywhere is None or everywhere.good), first, following)
    if everywhere is not None:
        show_everywhere(everywhere, screen)
    screen.heading(
        f"Contents: serial {document.left_serial} at {document.left}, {document.right_serial} at {document.right}"
    )
    ordered = sorted(document.differences, key=lambda each: each.expected)
    rows = [
        (each.name, each.type, f"{each.kind}: {each.weight}", _cell(each.left), _cell(each.right)) for each in ordered
    ]
    if rows:
        columns = ("name", "type", "what", document.left, document.right)
        screen.table(columns, rows, [_style(each) for each in ordered])
    else:
        screen.line("equal in every RRset")
    if document.questions:
        _show_answers(document, screen)


_REFUSING = tuple(str(each) for each in ForVisitors if each.refuses)


def _style(part: DifferencePart | AnswerPart) -> str:
    return BAD if part.weight in _REFUSING else QUIET if part.expected else DOUBT


def _counted(document: CompareDocument, weights: Iterable[str]) -> str:
    """``2 RRsets and 1 answer worse at the new side``; all that are told where no weights are given."""
    wanted = tuple(weights) or tuple(str(each) for each in ForVisitors if not each.refuses and each != ForVisitors.OWN)
    said = []
    for weight in wanted:
        sets, answers = (
            sum(each.weight == weight for each in some) for some in (document.differences, document.answers)
        )
        parts = [
            f"{count} {word}{'' if count == 1 else 's'}"
            for count, word in ((sets, "RRset"), (answers, "answer"))
            if count
        ]
        if parts:
            said.append(f"{' and '.join(parts)} {weight}")
    return ", ".join(said)


def _show_answers(document: CompareDocument, screen: Screen) -> None:
    screen.heading(f"Answers: {document.questions} questions to each of {len(document.addresses)} addresses")
    for side in (document.left, document.right):
        ending = f" ({side})"
        screen.line(
            f"{side}: {', '.join(each.removesuffix(ending) for each in document.addresses if each.endswith(ending))}",
            QUIET,
        )
    wrong = [each for each in document.answers if not each.expected]
    own = ", ".join(f"{each.name} {each.type}" for each in document.answers if each.expected)
    if not wrong:
        screen.line("the same from every address" + (f", but for what each side has of its own: {own}" if own else ""))
    else:
        rows: dict[tuple[str, ...], list[str]] = {}
        for each in wrong:  # types of a name to which the sides say the same share a row
            key = (each.name, each.weight, *(_said_by(each, side) for side in (document.left, document.right)))
            rows.setdefault(key, []).append(each.type)
        screen.table(
            ("name", "type", "what", document.left, document.right),
            [(name, ", ".join(types), *more) for (name, *more), types in rows.items()],
            [BAD if weight in _REFUSING else DOUBT for _, weight, *_ in rows],
        )
        for each in wrong:
            if each.varied:
                screen.line(f"{each.name} {each.type}: {each.varied}", DOUBT)


def _said_by(answer: AnswerPart, side: str) -> str:
    """What one side says; with the addresses where not all of its servers say the same."""
    ending = f" ({side})"
    said = {
        "\n".join(part.said): [each.removesuffix(ending) for each in part.addresses if each.endswith(ending)]
        for part in answer.answers
    }
    given = {text: addresses for text, addresses in said.items() if addresses}
    return (
        next(iter(given))
        if len(given) == 1
        else "\n".join(f"{text}\n  from {', '.join(where)}" for text, where in given.items())
    )


def _cell(side: SidePart | None) -> str:
    return "-" if side is None else "\n".join(f"{side.ttl} {text}" for text in side.data)
