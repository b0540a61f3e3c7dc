"""Mail by another service: who it is brought to, who may send, and where programs find their settings (docs/timing.md,
rules 1 to 3).

What the new service needs stands, and is known, before anybody brings mail there; both may send as long as either does.
What lies in the mailboxes no DNS moves.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

from legatum.core.moves.assembly import Phase, PlannedStep
from legatum.core.moves.effects import Answered, Effect, RRsetChange
from legatum.core.moves.needs import Lowered, Need, OldDataExpired
from legatum.core.moves.place import RRsetKey
from legatum.core.moves.plan_input import PlanInput
from legatum.core.moves.runbook import Step
from legatum.core.records.name import Name, is_under, labels_of, name_text
from legatum.core.records.presentation import txt_rdata
from legatum.core.records.rrset import RRset, rrset, targets
from legatum.core.records.rrtype import CNAME, MX, NS, TXT, type_text
from legatum.core.running.fault import AlreadySo, BadInput, GateShut
from legatum.core.service.spf import spf_texts
from legatum.core.service.spf_change import spf_left, spf_of_both
from legatum.core.zones.changing.template import Demand
from legatum.core.zones.zone import Zone


@dataclass(frozen=True, slots=True)
class Mail:
    """``demands``: what the service wants of the zone, as its template has it."""

    service: str
    demands: tuple[Demand, ...]


def refuse_unfit(wish: Mail, domain: Name) -> None:
    """Raises :class:`BadInput` for a template that is none of a service that takes the domain's mail."""
    wanted, template = (
        {(each.rrset.name, each.rrset.rtype): each.rrset for each in wish.demands},
        f"template {wish.service}",
    )
    mx = wanted.get((domain, MX))
    if mx is None:
        raise BadInput(f"{template} says of no server that takes mail", "give it an MX record at @: docs/templates.md")
    if any(not labels_of(host) for host in targets(mx)):
        raise BadInput(
            f"{template} says that no mail is taken: an MX of `.` (RFC 7505)",
            f"`legatum amend {name_text(domain)} @ MX '0 .'` where the domain is to have no mail at all",
        )
    if zones := [name for name, rtype in wanted if rtype == NS]:
        raise BadInput(
            f"{template} has {name_text(zones[0])} NS: who serves a zone is no matter of its mail",
            "take it out; --to, --part and --second change it with all that goes with it",
        )
    if len(found := spf_texts(wanted.get((domain, TXT)))) > 1:
        raise BadInput(f"{template} has {len(found)} SPF records: receivers take none of them", "make one of them")


@dataclass
class _Sorted:
    """``made``: what is not there yet; ``exchanged``: what is something else now; ``both``: the senders of either
    service, ``alone``: then of the new one, and ``left`` those that may not send any more."""

    made: list[RRsetChange] = field(default_factory=list)
    exchanged: list[RRsetChange] = field(default_factory=list)
    both: list[RRsetChange] = field(default_factory=list)
    alone: list[RRsetChange] = field(default_factory=list)
    left: tuple[str, ...] = ()


def mail_pieces(inputs: PlanInput, wish: Mail) -> Iterator[PlannedStep]:
    """``wish``: fit (:func:`refuse_unfit`). Raises :class:`BadInput` for a mail server that does not exist,
    :class:`GateShut` where SPF cannot let both send, and :class:`AlreadySo`."""
    zone, old = inputs.contents, inputs.contents.get(inputs.domain, MX)
    found = _sorted(zone, wish)
    if not any((found.made, found.exchanged, found.both)):
        raise AlreadySo(f"{name_text(inputs.domain)} has its mail at {wish.service} already", "leave --mail out")
    low = {
        each.key: each.before.ttl if inputs.at_once else min(inputs.low_ttl, each.before.ttl)
        for each in found.exchanged
        if each.before
    }
    for place in inputs.sides if found.made or found.both else ():
        yield PlannedStep(
            Phase.MAKE,
            Step(
                "mail-records",
                f"Give {place} what {wish.service} needs beside what is there: {_list([*found.made, *found.both])}",
                (inputs.records(place, inputs.domain, [*found.made, *found.both]),),
                ("it is what was seen when drafting",),
                f"every server of {place} hands it out",
                "take it out again",
                estimate=10,
            ),
        )
    lowered = [
        RRsetChange(each.before, each.before.with_ttl(low[each.key]))
        for each in found.exchanged
        if each.before is not None and low[each.key] != each.before.ttl
    ]
    for place in inputs.sides if lowered else ():
        yield PlannedStep(
            Phase.LOWER,
            Step(
                "lower-mail",
                f"Lower the TTL of {_list(lowered)} at {place} to {inputs.low_ttl}",
                (inputs.records(place, inputs.domain, lowered),),
                ("they are what was seen when drafting",),
                f"every server of {place} hands them out so",
                "raise it again",
                estimate=10,
            ),
        )
    yield from _led(inputs, wish, found, low)
    new = {
        host for each in found.exchanged if each.key[1] == MX and each.after is not None for host in targets(each.after)
    }
    servers = ", ".join(name_text(host) for host in (targets(old) if old is not None else ()) if host not in new)
    yield from _afterwards(inputs, wish, found, low, servers)


def _sorted(zone: Zone, wish: Mail) -> _Sorted:
    wanted = {(each.rrset.name, each.rrset.rtype): each for each in wish.demands}
    mx = wanted[zone.origin, MX]
    for host in targets(mx.rrset):
        given = zone.at(host) or [each for each in wanted if each[0] == host]
        if is_under(host, zone.origin) and not given:
            raise BadInput(
                f"{name_text(host)}, which is to take mail, is not in the zone, nor in template {wish.service}",
                "add its address",
            )
    found = _Sorted()
    for key, demand in wanted.items():
        if key == (zone.origin, TXT):
            _sort_texts(zone, demand, found)
            continue
        present, after = zone.get(*key), demand.met_in(zone)
        rivals = [
            RRsetChange(each, None)
            for each in zone.at(key[0])
            if each.rtype != key[1] and CNAME in (each.rtype, key[1])
        ]
        if present is not None and set(present.rdatas) == set(after.rdatas) and not rivals:
            continue
        leading = present is not None or rivals or key[1] == MX
        (found.exchanged if leading else found.made).extend([*rivals, RRsetChange(present, after)])
    return found


def _sort_texts(zone: Zone, demand: Demand, found: _Sorted) -> None:
    """Those at the apex: the one by which senders are known (RFC 7208 s3.2: only one may be) on its own, others beside
    what is there."""
    present, origin = zone.get(zone.origin, TXT), zone.origin
    old, new = spf_texts(present), spf_texts(demand.rrset)
    if len(old) > 1:
        raise GateShut(
            f"{name_text(origin)} has {len(old)} SPF records: receivers take none of them",
            f"make one of them: `legatum amend {name_text(origin)} @ TXT TEXT`",
        )
    standing = present.rdatas if present is not None else ()
    others = [each for each in (*standing, *demand.rrset.rdatas) if not spf_texts(rrset(origin, TXT, 0, [each]))]
    ttl = present.ttl if present is not None else demand.rrset.ttl
    mx = zone.get(origin, MX)
    servers = targets(mx) if mx is not None else ()
    said = old[0] if old else ""
    both = spf_of_both(said, new[0], servers) if old and new else said or "".join(new)

    def texts(spf: str) -> RRset:
        return rrset(origin, TXT, ttl, dict.fromkeys([*others, *([txt_rdata(spf)] if spf else [])]))

    last = new[0] if new else said
    beside, alone = texts(last if said == last else both), texts(last)
    if present is None or set(present.rdatas) != set(beside.rdatas):
        (found.both if present is not None else found.made).append(RRsetChange(present, beside))
    if set(beside.rdatas) != set(alone.rdatas):
        found.alone.append(RRsetChange(beside, alone))
        found.left = spf_left(said, last, servers)


def _led(inputs: PlanInput, wish: Mail, found: _Sorted, low: dict[RRsetKey, int]) -> Iterator[PlannedStep]:
    zone = inputs.domain
    needs: list[Need] = [Lowered(zone, each.key) for each in found.exchanged if each.before is not None]
    needs += [OldDataExpired(zone, each.key, negative=True) for each in found.made] + [
        OldDataExpired(zone, each.key) for each in found.both
    ]
    for place in inputs.sides if found.exchanged else ():
        yield PlannedStep(
            Phase.CHANGE,
            Step(
                "mail",
                f"Have mail brought to {wish.service}, at {place}",
                (inputs.records(place, zone, _low(found.exchanged, low)),),
                (
                    f"the mailboxes are there, and {wish.service} takes mail for {name_text(zone)}: look "
                    "before you say yes",
                ),
                f"every server of {place} hands it out so",
                "set it back: the old service takes mail until its end",
                estimate=10,
            ),
            tuple(needs),
        )


def _low(changes: Sequence[RRsetChange], low: dict[RRsetKey, int]) -> list[RRsetChange]:
    """With the lowered TTL, as they stand before and after."""
    usual = min(low.values(), default=None)

    def lowered(change: RRsetChange) -> Iterator[RRset | None]:
        ttl = low.get(change.key, usual)
        yield change.before.with_ttl(ttl) if change.before is not None and ttl is not None else change.before
        yield (
            change.after.with_ttl(min(ttl, change.after.ttl))
            if change.after is not None and ttl is not None
            else change.after
        )

    return [RRsetChange(*lowered(each)) for each in changes]


def _afterwards(
    inputs: PlanInput, wish: Mail, found: _Sorted, low: dict[RRsetKey, int], servers: str
) -> Iterator[PlannedStep]:
    zone, led = inputs.domain, _low(found.exchanged, low)
    given = tuple(each.after for each in (*found.made, *found.both, *led) if each.after is not None)
    yield PlannedStep(
        Phase.CONFIRM,
        Step(
            "confirm-mail",
            f"Confirm that everybody brings mail to {wish.service}",
            (Answered(zone, tuple(inputs.sides), given),),
            (),
            "every server and every resolver gives it",
            "set it back",
        ),
        tuple(
            OldDataExpired(zone, each.key, negative=each.before is None)
            for each in (*found.made, *found.both, *found.exchanged)
        ),
    )
    raised = [
        RRsetChange(each.after, each.after.with_ttl(full.after.ttl))
        for each, full in zip(led, found.exchanged, strict=True)
        if each.after is not None and full.after is not None and each.after.ttl != full.after.ttl
    ]
    for place in inputs.sides[-1:] if raised else ():
        yield PlannedStep(Phase.RAISE, Step(
            "raise-mail", f"Raise the TTL of {_list(raised)} at {place}", (inputs.records(place, zone, raised),), (),
            f"every server of {place} hands them out so", "lower it again", estimate=10,
        ))  # fmt: skip
    if not found.alone and not servers:
        return
    senders = f"nothing sends by {', '.join(found.left)} any more" if found.left else ""
    boxes = f"what lies in the mailboxes at {servers} has been brought over" if servers else ""
    effects: tuple[Effect, ...] = tuple(
        inputs.records(place, zone, found.alone) for place in inputs.sides[-1:] if found.alone
    )
    yield PlannedStep(
        Phase.END,
        Step(
            "old-mail",
            f"Nobody brings mail to {servers or 'the old service'} any "
            f"more{': it sends no more either' if found.left else ''}",
            effects or (Answered(zone, tuple(inputs.sides[-1:]), tuple(each for each in given if each.rtype == MX)),),
            tuple(each for each in (boxes, senders) if each),
            "every server hands out the new service's senders alone"
            if effects
            else "every server and every resolver gives the new servers",
            "let both send again",
            estimate=10,
        ),
        (OldDataExpired(zone, (zone, MX)),),
    )


def _list(changes: Sequence[RRsetChange]) -> str:
    keys = dict.fromkeys(each.key for each in changes)
    return ", ".join(f"{name_text(name)} {type_text(rtype)}" for name, rtype in keys)
