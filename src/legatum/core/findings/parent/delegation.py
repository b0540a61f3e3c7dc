"""What the parent hands out, beside what the domain's own servers say."""

from collections.abc import Iterable, Iterator

from legatum.core.findings.finding import Occurrence, Severity, finding
from legatum.core.observation.observation import Observation
from legatum.core.records.name import Name, name_text
from legatum.core.records.rrset import targets


def _named(names: Iterable[Name]) -> str:
    return ", ".join(name_text(name) for name in sorted(names))


@finding(
    "no-such-domain",
    Severity.ERROR,
    "The parent says that there is no such domain",
    why="Nobody can find the domain: the zone above denies that it exists, and caches keep that for its negative TTL.",
    remedy=(
        "Check the spelling and that the registration is paid for and not on hold; then set the NS set at "
        "the registrar."
    ),
    standard="RFC 2308 s2.1",
)
def no_such_domain(observation: Observation) -> Iterator[Occurrence]:
    denied = [view for view in observation.parents if view.answered and view.denied]
    if not observation.delegation and denied:
        others = sum(view.answered and not view.denied for view in observation.parents)
        words = f"{len(denied)} parent server addresses say: no such name" + (
            f"; {others} do not say so" if others else ""
        )
        yield Occurrence(words, tuple(view.reply for view in denied))


@finding(
    "not-delegated",
    Severity.ERROR,
    "The parent hands out no name servers for the domain",
    why=(
        "The name exists, but nobody is sent to the domain's own servers: it is a record of the zone above, "
        "or a domain without an NS set."
    ),
    remedy=(
        "Set the NS set at the registrar; check that the name asked for is the registered domain and not "
        "a name inside one."
    ),
    standard="RFC 1034 s4.2.1",
)
def not_delegated(observation: Observation) -> Iterator[Occurrence]:
    answered = [view for view in observation.parents if view.answered]
    if answered and not observation.delegation and not any(view.denied for view in answered):
        words = ", ".join(sorted({view.outcome for view in answered}))
        yield Occurrence(
            f"{len(answered)} parent server addresses say: {words}", tuple(view.reply for view in answered)
        )


@finding(
    "parent-silent", Severity.WARNING, "A server of the parent zone does not answer",
    why="What that server hands out is unknown; while a change is under way it may still be the old NS set.",
    remedy="Look again later. If only you cannot reach it, survey from another network.",
    standard="RFC 2182 s3",
)  # fmt: skip
def parent_silent(observation: Observation) -> Iterator[Occurrence]:
    for view in observation.parents:
        if not view.answered:
            yield Occurrence(f"{name_text(view.server)} ({view.address}): {view.outcome}", (view.reply,), view.address)


@finding(
    "parents-disagree", Severity.WARNING, "The servers of the parent zone hand out different NS sets",
    why="A change is on its way through the parent's servers; until the last one has it, visitors go to either side.",
    remedy="Wait and look again: `legatum confirm DOMAIN` says which server still has the old set.",
    standard="RFC 1034 s4.3.5",
)  # fmt: skip
def parents_disagree(observation: Observation) -> Iterator[Occurrence]:
    groups: dict[tuple[Name, ...], list[int]] = {}
    for view in observation.parents:
        if view.answered:
            groups.setdefault(targets(view.ns), []).append(view.reply)
    if len(groups) > 1:
        for names, replies in groups.items():
            yield Occurrence(f"{len(replies)} server addresses hand out: {_named(names) or 'nothing'}", tuple(replies))


@finding(
    "ns-sets-disjoint",
    Severity.ERROR,
    "Parent and child name entirely different servers",
    why=(
        "Some resolvers follow the parent's NS set, others the child's own: visitors are divided between two "
        "sides that may differ."
    ),
    remedy=(
        "Decide which side is right; set the NS set at the registrar, and in the zone on every server, to "
        "the same names."
    ),
    standard="RFC 1034 s4.2.2",
    after=("ns-doubled-suffix", "parents-disagree", "servers-disagree-on-ns", "serials-differ"),
)
def ns_sets_disjoint(observation: Observation) -> Iterator[Occurrence]:
    parent, child = set(observation.delegation), set(observation.own_ns)
    if parent and child and not parent & child:
        yield Occurrence(f"parent: {_named(parent)}; child: {_named(child)}")


@finding(
    "ns-only-at-parent",
    Severity.WARNING,
    "The parent names a server that the zone itself does not",
    why=(
        "Resolvers that trust the child never use that server, the others do: an old server left behind will "
        "answer with old data."
    ),
    remedy="Take the name out of the NS set at the registrar, or add it to the zone's NS set, whichever was meant.",
    standard="RFC 1034 s4.2.2",
    after=("ns-doubled-suffix", "parents-disagree", "servers-disagree-on-ns", "serials-differ"),
)
def ns_only_at_parent(observation: Observation) -> Iterator[Occurrence]:
    parent, child = set(observation.delegation), set(observation.own_ns)
    if parent & child and parent - child:
        yield Occurrence(f"only at the parent: {_named(parent - child)}")


@finding(
    "ns-only-at-child",
    Severity.WARNING,
    "The zone names a server that the parent does not",
    why=(
        "That server is asked only by resolvers that have seen the child's own NS set; it is easily "
        "forgotten when something changes."
    ),
    remedy="Add the name to the NS set at the registrar, or take it out of the zone, whichever was meant.",
    standard="RFC 1034 s4.2.2",
    after=("ns-doubled-suffix", "parents-disagree", "servers-disagree-on-ns", "serials-differ"),
)
def ns_only_at_child(observation: Observation) -> Iterator[Occurrence]:
    parent, child = set(observation.delegation), set(observation.own_ns)
    if parent & child and child - parent:
        yield Occurrence(f"only in the zone: {_named(child - parent)}")


@finding(
    "single-name-server", Severity.WARNING, "Only one name server",
    why="When it is down or cut off, the whole domain is gone: web, mail and everything else.",
    remedy="Add a second server on another network, to the zone and at the registrar.",
    standard="RFC 2182 s5",
)  # fmt: skip
def single_name_server(observation: Observation) -> Iterator[Occurrence]:
    if len(observation.delegation) == 1:
        yield Occurrence(f"the delegation names {_named(observation.delegation)} alone")


@finding(
    "delegation-crowded",
    Severity.NOTICE,
    "The NS set is very long",
    why=(
        "Beyond a handful name servers add nothing; the answer no longer fits into one UDP packet and every "
        "visitor pays for it."
    ),
    remedy="Keep two to seven name servers and take the others out, at the registrar and in the zone.",
    standard="RFC 2182 s5",
)
def delegation_crowded(observation: Observation) -> Iterator[Occurrence]:
    count = max(len(observation.delegation), len(observation.own_ns))
    if count > 13:
        yield Occurrence(f"{count} name servers; the first {min(count, 32)} were looked at")
