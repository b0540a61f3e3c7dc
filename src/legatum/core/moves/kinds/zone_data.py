"""TTLs and the SOA record changed in place (docs/timing.md, rules 1, 2 and 11)."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field

from legatum.core.moves.assembly import Phase, PlannedStep
from legatum.core.moves.effects import Answered, RRsetChange
from legatum.core.moves.needs import OldDataExpired
from legatum.core.moves.place import RRsetKey
from legatum.core.moves.plan_input import PlanInput
from legatum.core.moves.runbook import Step
from legatum.core.records.name import Name, name_text
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import SOA, type_text
from legatum.core.records.soa import SoaFields, next_serial, serial_by_rule, serial_path
from legatum.core.running.fault import AlreadySo, BadInput


@dataclass(frozen=True, slots=True)
class Ttls:
    """``wanted``: name and type → TTL in seconds."""

    wanted: Mapping[RRsetKey, int]


@dataclass(frozen=True, slots=True)
class Soa:
    """Only what shall change. Timers in seconds; ``serial``: one to come to, even where it is lower than the present
    one."""

    refresh: int | None = None
    retry: int | None = None
    expire: int | None = None
    minimum: int | None = None
    primary: Name | None = None
    mailbox: Name | None = None
    serial: int | None = None
    timers: tuple[str, ...] = field(default=("refresh", "retry", "expire", "minimum"))


def ttl_pieces(inputs: PlanInput, wish: Ttls) -> Iterator[PlannedStep]:
    """Raises :class:`BadInput` for what is not there, or has the TTL already."""
    zone, changes = inputs.contents, []
    for (name, rtype), ttl in wish.wanted.items():
        present = zone.get(name, rtype)
        text = f"{name_text(name)} {type_text(rtype)}"
        if present is None:
            raise BadInput(f"{text} is not in the zone", "is it spelt right?")
        if present.ttl == ttl:
            raise AlreadySo(f"{text} has a TTL of {ttl} already", "leave it out")
        changes.append(RRsetChange(present, present.with_ttl(ttl)))
    keys = [each.key for each in changes]
    words = ", ".join(f"{name_text(name)} {type_text(rtype)}" for name, rtype in keys)
    for place in inputs.sides:
        yield PlannedStep(Phase.CHANGE, Step(
            "ttl", f"Set the TTL of {words} at {place}", (inputs.records(place, inputs.domain, changes),),
            ("they are what was seen when drafting",), f"every server of {place} hands them out so",
            "set them back to " + ", ".join(str(each.before.ttl) for each in changes if each.before), estimate=10,
        ))  # fmt: skip
    new = tuple(each.after for each in changes if each.after is not None)
    yield PlannedStep(
        Phase.CONFIRM,
        Step(
            "confirm-ttl",
            f"Nobody holds {words} with the old TTL any more",
            (Answered(inputs.domain, tuple(inputs.sides), new),),
            (),
            "every server hands them out with the new TTL",
            "set them back",
        ),
        tuple(OldDataExpired(inputs.domain, key) for key in keys),
    )


def soa_pieces(inputs: PlanInput, wish: Soa) -> Iterator[PlannedStep]:
    """The fields first; then, where a serial is wanted that is lower, step by step, each on every server before the
    next (RFC 1982)."""
    zone = inputs.contents
    present, soa = zone.soa_rrset, zone.soa
    given = {
        field: value for field in (*wish.timers, "primary", "mailbox") if (value := getattr(wish, field)) is not None
    }
    changed = soa._replace(**given)
    if changed != soa:
        by_rule = serial_by_rule(inputs.serial_rule, soa.serial, inputs.at)
        changed = changed._replace(serial=by_rule if wish.serial is None else next_serial(soa.serial))
    if changed == soa and wish.serial in (None, soa.serial):
        raise AlreadySo(
            "the SOA record has these values already", f"`legatum survey {name_text(inputs.domain)}` shows it"
        )
    _refuse_senseless(changed)
    serials = serial_path(changed.serial, wish.serial) if wish.serial is not None else ()
    before = present
    if changed != soa:
        after = _with(present, changed)
        words = ", ".join(f"{field} {_text(getattr(soa, field))} → {_text(value)}" for field, value in given.items())
        yield _step(inputs, "soa", f"Change the SOA record at {inputs.main}: {words}", before, after)
        before = after
    for number, serial in enumerate(serials, 1):
        after = _with(present, changed._replace(serial=serial))
        words = f"Set the serial to {serial}" + (f", step {number} of {len(serials)}" if len(serials) > 1 else "")
        yield _step(
            inputs, "serial", f"{words}, on every server of {', '.join((inputs.main, *inputs.follows))}", before, after
        )
        before = after
    yield PlannedStep(
        Phase.CONFIRM,
        Step(
            "confirm-soa",
            "Nobody holds the old SOA record any more",
            (Answered(inputs.domain, (inputs.main, *inputs.follows), (before,)),),
            (),
            "every server has the new one",
            "set it back",
        ),
        (OldDataExpired(inputs.domain, (inputs.domain, SOA)),),
    )


def _with(present: RRset, fields: SoaFields) -> RRset:
    return rrset(present.name, SOA, present.ttl, [fields.rdata()])


def _step(inputs: PlanInput, ident: str, title: str, before: RRset, after: RRset) -> PlannedStep:
    return PlannedStep(
        Phase.CHANGE,
        Step(
            ident,
            title,
            (inputs.records(inputs.main, inputs.domain, [RRsetChange(before, after)]),),
            (),
            "every server has it, the secondaries too: one that misses a step keeps the old zone until it expires",
            "set it back",
            estimate=30,
        ),
    )


def _text(value: object) -> str:
    return name_text(Name(value)) if isinstance(value, bytes) else str(value)


def _refuse_senseless(soa: SoaFields) -> None:
    """RFC 1912 s2.2: what contradicts itself."""
    if soa.retry >= soa.refresh:
        raise BadInput(
            f"retry {soa.retry} is not shorter than refresh {soa.refresh}",
            "a secondary retries before it would ask again anyway (RFC 1912 s2.2)",
        )
    if soa.expire <= soa.refresh + soa.retry:
        raise BadInput(
            f"expire {soa.expire} is not longer than refresh and retry together",
            "secondaries would stop before they have tried again (RFC 1912 s2.2)",
        )
