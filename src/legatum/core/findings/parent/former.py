"""The provider that answered before a switch."""

from collections.abc import Iterator

from legatum.core.findings.finding import Occurrence, Severity, finding
from legatum.core.findings.servers.answering import where
from legatum.core.observation.observation import Observation
from legatum.core.records.name import name_text
from legatum.core.records.rrset import targets


def concerned(observation: Observation) -> bool:
    return bool(observation.former)


@finding(
    "moved-too-early",
    Severity.ERROR,
    "The delegation leads to servers without the zone, while another provider still serves it",
    why=(
        "The NS set was changed before the zone was there: the domain is down for everybody whose cache has "
        "let go of the old NS set."
    ),
    remedy=(
        "Keep the service at the other provider, and put its NS set back at the registrar; publish the "
        "zone at the new one first."
    ),
    standard="RFC 1034 s4.2.2",
)
def moved_too_early(observation: Observation) -> Iterator[Occurrence]:
    alive = [view for view in observation.former if view.serves]
    if observation.servers and not observation.serving and alive:
        named = ", ".join(sorted({name_text(view.server) for view in alive}))
        replies = tuple(number for view in alive for number in view.replies)
        yield Occurrence(f"{named} answer for it, the servers of the delegation do not", replies)


@finding(
    "former-still-answers",
    Severity.NOTICE,
    "The old provider still answers for the domain",
    why=(
        "Until every cache has let go that is needed; afterwards an edit that nobody copies there leads some "
        "visitors astray."
    ),
    remedy="Keep both sides the same until the move says that the old one may end; then end it there.",
    standard="RFC 1034 s4.3.5",
    after=("moved-too-early", "former-keeps-old-ns"),
)
def former_still_answers(observation: Observation) -> Iterator[Occurrence]:
    for view in observation.former:
        if view.serves:
            yield Occurrence(f"{where(view)} still answers with authority", view.replies, view.address)


@finding(
    "former-keeps-old-ns",
    Severity.WARNING,
    "The old provider still hands out the old NS set",
    why=(
        "Some caches are renewed by each of its answers and never come over: they stay with the old side until it ends."
    ),
    remedy=(
        "Set the NS set at the old provider to the new names, or end the zone there once rule 4 of "
        "docs/timing.md has passed."
    ),
    standard="RFC 2181 s5.4.1",
    after=("moved-too-early",),
)
def former_keeps_old_ns(observation: Observation) -> Iterator[Occurrence]:
    for view in observation.former:
        if view.serves and view.ns and set(targets(view.ns)) != set(observation.delegation) and observation.delegation:
            names = ", ".join(name_text(name) for name in targets(view.ns))
            yield Occurrence(f"{where(view)}: {names}, TTL {view.ns.ttl}", view.replies, view.address)


@finding(
    "former-disagrees",
    Severity.WARNING,
    "The old provider gives other addresses than the new one",
    why="In the overlap both sides answer visitors: whoever still asks the old one is sent somewhere else.",
    remedy=(
        "Make every edit on both sides until the move is over; `legatum compare PROVIDER PROVIDER "
        "--domain DOMAIN` shows what differs."
    ),
    standard="RFC 1034 s4.3.5",
)
def former_disagrees(observation: Observation) -> Iterator[Occurrence]:
    given = {view.apex_address.rdatas for view in observation.serving if view.apex_address}
    for view in observation.former:
        if view.serves and view.apex_address and given and view.apex_address.rdatas not in given:
            yield Occurrence(
                f"{where(view)} gives another address for {name_text(observation.domain)}", view.replies, view.address
            )
