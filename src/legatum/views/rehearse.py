"""A rehearsal: safe under a printed model, or how somebody would notice, with the remedy."""

from collections.abc import Iterator

from legatum.core.instant import instant_text
from legatum.core.name import is_under, name_text, parse_name
from legatum.core.rehearsal import Counterexample, Rehearsal, Stage, Which
from legatum.core.rehearsal.stage import FOREVER, Content, NsSet, Period
from legatum.core.rehearsal.verdict import MODEL
from legatum.core.zone import Zone
from legatum.views.document import Document, Part
from legatum.views.screen import BAD, QUIET, Screen
from legatum.views.survey import RecordPart, record_part


class CounterexamplePart(Part):
    caches: list[str]
    schedule: str
    at: str
    story: list[str]
    remedy: str


class ContentPart(Part):
    """What one address may say between two instants (null: for ever). ``serves``: ``not served``, ``an empty zone``, ``the whole zone``;
    for a parent's server null. ``glue``: addresses that the parent gives along, by host; ``negative_ttl``: how long *no such name* from
    this address is kept."""

    begins: str | None
    ends: str | None
    serves: str | None
    ns: list[str]
    ns_ttl: int | None
    glue: dict[str, list[str]]
    glue_ttl: int | None
    negative_ttl: int | None


class AddressPart(Part):
    schedule: str
    group: str
    server: str
    address: str
    contents: list[ContentPart]


class RehearsalDocument(Document, tag="legatum.rehearsal/1"):
    """``assumed``: everything the verdict rests on, for each address, so that another checker can be run on it. ``zone``: what
    *the whole zone* is, but for the NS set at the apex,
    which ``assumed`` gives, and the SOA's primary name and serial. Overlapping contents: either may be had. ``uncovered``: what the model
    knows nothing of; ``safe`` is then false."""

    domain: str
    safe: bool
    uncovered: list[str]
    model: list[str]
    counterexamples: list[CounterexamplePart]
    copies_followed: int
    lag: int
    floor: int
    host_negative_ttl: int
    new_hosts_known_from: str | None
    assumed: list[AddressPart]
    zone: list[RecordPart]


def rehearsal_document(rehearsal: Rehearsal, zone: Zone | None) -> RehearsalDocument:
    stage = next(iter(rehearsal.stages.values()))
    return RehearsalDocument(
        domain=name_text(rehearsal.runbook.domain),
        safe=rehearsal.safe,
        uncovered=list(rehearsal.uncovered),
        model=list(MODEL),
        counterexamples=[_example(each) for each in rehearsal.counterexamples],
        copies_followed=rehearsal.checked,
        lag=stage.lag,
        floor=stage.floor,
        host_negative_ttl=stage.host_negative_ttl,
        new_hosts_known_from=_instant(stage.hosts_known),
        assumed=[part for schedule, each in rehearsal.stages.items() for part in _addresses(rehearsal, schedule, each)],
        zone=[record_part(each) for each in zone] if zone else [],
    )


def _example(each: Counterexample) -> CounterexamplePart:
    return CounterexamplePart(
        caches=[str(kind) for kind in each.kinds],
        schedule=each.schedule,
        at=instant_text(each.at),
        story=list(each.story),
        remedy=each.remedy,
    )


def _addresses(rehearsal: Rehearsal, schedule: str, stage: Stage) -> Iterator[AddressPart]:
    premises = rehearsal.runbook.premises
    for group, servers in premises.get("addresses", {}).items():
        for server, addresses in servers.items():
            for address in addresses:
                contents = [_delegation(rehearsal, each) for each in stage.delegation]
                if group != "parent":
                    contents = list(_contents(rehearsal, stage, Which(group)))
                yield AddressPart(schedule=schedule, group=group, server=server, address=address, contents=contents)


def _delegation(rehearsal: Rehearsal, period: Period[NsSet]) -> ContentPart:
    return ContentPart(
        begins=_instant(period.begins),
        ends=_instant(period.ends),
        serves=None,
        ns=list(rehearsal.runbook.premises[f"{period.value.which}_ns"]),
        ns_ttl=period.value.ttl,
        glue=(glue := _glue(rehearsal, period.value.which)),
        glue_ttl=int(rehearsal.runbook.premises["glue_ttl"]) if glue else None,
        negative_ttl=None,
    )


def _glue(rehearsal: Rehearsal, which: Which) -> dict[str, list[str]]:
    """The hosts of an NS set that stand inside the parent zone, with their addresses."""
    premises = rehearsal.runbook.premises
    parent = parse_name(str(premises["parent_zone"]).rstrip(".") + ".")
    hosts = premises.get("addresses", {}).get(str(which), {})
    return {host: list(addresses) for host, addresses in hosts.items() if is_under(parse_name(host + "."), parent)}


def _contents(rehearsal: Rehearsal, stage: Stage, which: Which) -> Iterator[ContentPart]:
    for served in stage.content[which]:
        if served.value == Content.NOTHING:
            yield ContentPart(
                begins=_instant(served.begins),
                ends=_instant(served.ends),
                serves=str(served.value),
                ns=[],
                ns_ttl=None,
                glue={},
                glue_ttl=None,
                negative_ttl=None,
            )
            continue
        for apex in stage.apex[which]:
            begins, ends = max(served.begins, apex.begins), min(served.ends, apex.ends)
            if begins < ends:
                yield ContentPart(
                    begins=_instant(begins),
                    ends=_instant(ends),
                    serves=str(served.value),
                    ns=list(rehearsal.runbook.premises[f"{apex.value.which}_ns"]),
                    ns_ttl=apex.value.ttl,
                    glue={},
                    glue_ttl=None,
                    negative_ttl=int(rehearsal.runbook.premises["negative_ttl"]),
                )


def _instant(instant: float) -> str | None:
    return None if instant in (FOREVER, -FOREVER) else instant_text(instant)


def show_rehearsal(document: RehearsalDocument, screen: Screen) -> None:
    if document.safe:
        text = f"{document.domain}: safe under this model. {document.copies_followed} copies followed, none leads astray"
        screen.verdict(True, text, f"`legatum move advance {document.domain}`")
    elif not document.counterexamples:
        text = f"{document.domain}: not known to be safe: the model does not cover what this domain has. {document.uncovered[0]}"
        screen.verdict(False, text, f"`legatum move redraw {document.domain}` looks at it anew, and says what to do")
    else:
        first = document.counterexamples[0]
        count = len(document.counterexamples)
        text = f"{document.domain}: not safe. {count} way{'s' if count > 1 else ''} in which visitors would fail, first at {first.at}"
        screen.verdict(False, text, first.remedy)
    for number, each in enumerate(document.counterexamples, 1):
        screen.line()
        screen.line(f"{number}. A cache ({', '.join(each.caches)}), {_words(each.schedule)}:", BAD)
        for sentence in each.story:
            screen.line(f"   {sentence}", indent=3)
        screen.line(f"   Remedy: {each.remedy}", indent=11)
    for text in document.uncovered:
        screen.line(f"Not covered: {text}", BAD, indent=13)
    screen.heading("The model")
    for sentence in document.model:
        screen.line(f"- {sentence}", QUIET, indent=2)
    screen.line(
        f"- Here: floor {document.floor} s; time-out and a second: {document.lag} s; the new name servers' addresses known since "
        f"{document.new_hosts_known_from or 'long ago'}.",
        QUIET,
        indent=2,
    )


def _words(schedule: str) -> str:
    return {"as estimated": "when all goes as estimated", "every step at once": "when every step takes no time"}.get(
        schedule, f"when {schedule}"
    )
