"""One verdict about a domain: does everybody give what is expected, and if not, until when is that within what TTLs
allow?"""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace

from legatum.core.agreement.expected import Expected
from legatum.core.agreement.soundness import Given, Varieties, unsound
from legatum.core.dnssec.key import ds_set_text
from legatum.core.observation.observation import Observation, ServerView
from legatum.core.records.name import Name, name_text
from legatum.core.records.presentation import rdata_texts
from legatum.core.records.rrset import RRset, targets
from legatum.core.records.rrtype import type_text
from legatum.core.records.soa import parse_soa, serial_is_newer


@dataclass(frozen=True, slots=True)
class Check:
    """What one party says. ``until``: it may keep saying so until then (seconds since 1970) without anything being
    wrong.

    ``about``: what was compared: NS set, DS, serial, a record, glue, signatures; ``because``: the domain's fault that
    makes it so; ``why``: what is remembered, and makes it normal for so long.
    """

    party: str
    who: str
    agrees: bool
    said: str
    until: float | None = None
    about: str = "NS set"
    because: str = ""
    why: str = ""


@dataclass(frozen=True, slots=True)
class RecordView:
    """What one party says when asked for an expected record. ``party``: child or resolver; ``rrset``: None for none."""

    party: str
    who: str
    name: Name
    rtype: int
    rrset: RRset | None
    outcome: str


@dataclass(frozen=True, slots=True)
class Verdict:
    """``expected``: the NS set everybody should have; ``checks``: party by party; ``not_looked_at``: in words;
    ``parent_ttl``: how long an earlier delegation may be kept, in seconds."""

    domain: Name
    at: float
    expected: tuple[Name, ...]
    checks: tuple[Check, ...]
    not_looked_at: tuple[str, ...] = ()
    parent_ttl: int | None = None

    @property
    def confirmed(self) -> bool:
        return bool(self.checks) and all(check.agrees for check in self.checks)

    @property
    def disagreeing(self) -> tuple[Check, ...]:
        return tuple(check for check in self.checks if not check.agrees)

    @property
    def faults(self) -> tuple[Check, ...]:
        """Those who differ and should not any more; what is the cause of others first."""
        found = [check for check in self.disagreeing if check.until is None or check.until <= self.at]
        return tuple(sorted(found, key=lambda check: (bool(check.because), check.party == "resolver")))


def names_said(names: Iterable[Name]) -> str:
    return ", ".join(name_text(name) for name in names) or "nothing"


def agreement(
    observation: Observation,
    expected: "tuple[Name, ...] | Expected | None" = None,
    records: Iterable[RecordView] = (),
    given: Sequence[Given] | None = None,
    not_looked_at: Iterable[str] = (),
    varieties: Varieties | None = None,
) -> Verdict:
    """``expected``: an NS set, or more; without one the parent's NS set, so that the verdict says whether all agree
    with each other.

    ``records``: what was said of the records expected; ``given``: what was given for what visitors come for, where the
    domain is to be sound in itself too; ``not_looked_at``: in words; ``varieties``: as for
    :func:`~legatum.core.agreement.soundness.unsound`.
    """
    wanted = expected if isinstance(expected, Expected) else Expected(ns=expected)
    if wanted.ns is None and wanted.ds is None and wanted.serial is None and not wanted.records:
        wanted = replace(wanted, ns=_usual_ns(observation))
    checks: list[Check] = []
    if wanted.ns is not None:
        checks += _ns_checks(observation, tuple(sorted(wanted.ns)), wanted)
    if wanted.ds is not None:
        checks += _ds_checks(observation, tuple(sorted(wanted.ds)), wanted)
    if wanted.serial is not None:
        checks += _serial_checks(observation, wanted.serial, wanted)
    checks += _record_checks(observation, wanted, records)
    if given is not None:
        checks += _sound_checks(observation, wanted, given, varieties)
    told = _remembered(_with_causes(checks), observation)
    return Verdict(
        observation.domain,
        observation.at,
        tuple(sorted(wanted.ns or ())),
        told,
        tuple(not_looked_at),
        observation.parent_ttl,
    )


def _usual_ns(observation: Observation) -> tuple[Name, ...]:
    """What everybody should have where nothing else is said: the parent's NS set - unless the registration and the zone
    agree on another one, or the registrar's account has another: then it is the parent that is behind."""
    held = {tuple(sorted(view.nameservers)) for _, view in observation.registrations}
    account = observation.registration
    if account is not None and account.nameservers:
        return tuple(sorted(account.nameservers))
    if len(held) == 1 and held == {observation.own_ns} and held != {observation.delegation} and observation.delegation:
        return observation.own_ns
    return observation.delegation


def _sound_checks(
    observation: Observation, wanted: Expected, given: Sequence[Given], varieties: Varieties | None
) -> Iterator[Check]:
    meant = [view for view in observation.servers if view.server in (wanted.ns or ())]
    if meant:  # on the way from one NS set to another the servers of the other one are somebody else's
        observation = replace(observation, servers=tuple(meant))
        own = {view.address for view in meant}
        given = [each for each in given if each.party != "child" or each.address in own]
    views = {f"{name_text(view.server)} ({view.address})": view for view in observation.servers}
    left = {
        (each.who, f"{name_text(each.name)} {type_text(each.rtype)}"): each.left
        for each in given
        if each.party == "resolver"
    }
    for party, who, about, agrees, said in unsound(observation, given, varieties):
        if about == "DS" and wanted.ds is not None:
            continue  # what is expected says more
        until = _copied(views[who], wanted) if who in views and about != "signatures" else None
        if party == "parent":
            until = _published(wanted)
        elif party == "resolver" and left.get((who, about)):
            until = observation.at + left[who, about]
        yield Check(party, who, agrees, said, _unless(agrees, until), about)


_FAILING = ("server failure", "no answer in time")


def _remembered(checks: tuple[Check, ...], observation: Observation) -> tuple[Check, ...]:
    """Resolvers that may go by an NS set of before: one that fails may do so for as long as somebody keeps that."""
    if not observation.kept:
        return checks
    last = observation.kept[0]

    def told(each: Check) -> Check:
        if (
            each.party != "resolver"
            or each.agrees
            or each.because
            or (each.until is None and each.said not in _FAILING)
        ):
            return each
        return replace(each, until=each.until if each.until is not None else last.until, why=last.text)

    return tuple(map(told, checks))


def _with_causes(checks: Iterable[Check]) -> tuple[Check, ...]:
    """Resolvers that fail while something at the domain is wrong fail because of that."""
    checks = tuple(checks)
    faults = [each for each in checks if not each.agrees and each.party in ("parent", "child") and each.until is None]
    worst = next((each for each in faults if each.about == "signatures"), faults[0] if faults else None)
    if worst is None:
        return checks
    cause = f"{worst.who}, {worst.about}: {worst.said}"
    return tuple(
        replace(each, because=cause) if each.party == "resolver" and not each.agrees and each.said in _FAILING else each
        for each in checks
    )


def _published(wanted: Expected) -> float | None:
    """Until when the parent and registration data may be behind."""
    return wanted.since + wanted.publishing if wanted.since is not None else None


def _copied(view: ServerView, wanted: Expected) -> float | None:
    """Until when a secondary that missed the NOTIFY may be behind: REFRESH and one RETRY after the change (RFC 1035
    s3.3.13)."""
    if wanted.since is None or view.soa is None:
        return None
    timers = parse_soa(view.soa.rdatas[0])
    return wanted.since + timers.refresh + timers.retry


def _unless(agrees: bool, until: float | None) -> float | None:
    return None if agrees else until


def _ns_checks(observation: Observation, ns: tuple[Name, ...], wanted: Expected) -> Iterator[Check]:
    own = tuple(sorted(wanted.own_ns)) if wanted.own_ns is not None else ns
    for parent in observation.parents:
        said = names_said(targets(parent.ns)) if parent.ns else parent.outcome
        agrees = bool(ns) and targets(parent.ns) == ns
        yield Check(
            "parent",
            f"{name_text(parent.server)} ({parent.address})",
            agrees,
            said,
            _unless(agrees, _published(wanted)),
        )
    for view in observation.servers:
        if view.serves and not view.ns_asked:
            continue  # a brief look asks one address of each server
        said = names_said(targets(view.ns)) if view.serves else view.outcome
        agrees = view.serves and targets(view.ns) == own
        yield Check(
            "child", f"{name_text(view.server)} ({view.address})", agrees, said, _unless(agrees, _copied(view, wanted))
        )
    for source, held_view in observation.registrations:
        held = tuple(sorted(held_view.nameservers))
        party, who = ("registrar", held_view.registrar) if source != "RDAP" else ("RDAP", held_view.registrar)
        yield Check(party, who, held == ns, names_said(held), _unless(held == ns, _published(wanted)))
    for resolver in observation.resolvers:
        said = names_said(targets(resolver.ns)) if resolver.ns else resolver.outcome
        until = observation.at + resolver.ns.ttl if resolver.ns else None
        agrees = targets(resolver.ns) in (ns, own)
        yield Check("resolver", f"{resolver.name} ({resolver.address})", agrees, said, _unless(agrees, until))


def _ds_checks(observation: Observation, ds: tuple[bytes, ...], wanted: Expected) -> Iterator[Check]:
    for parent in observation.parents:
        held = parent.ds.rdatas if parent.ds else ()
        said = _ds_said(held) if parent.answered else parent.outcome
        agrees = parent.answered and held == ds
        who = f"{name_text(parent.server)} ({parent.address})"
        yield Check("parent", who, agrees, said, _unless(agrees, _published(wanted)), "DS")
    for source, view in observation.registrations:
        if view.ds is not None:
            agrees = tuple(sorted(view.ds)) == ds
            party = "RDAP" if source == "RDAP" else "registrar"
            yield Check(party, view.registrar, agrees, _ds_said(view.ds), _unless(agrees, _published(wanted)), "DS")


def _ds_said(rdatas: Iterable[bytes]) -> str:
    return ds_set_text(rdatas)


def _serial_checks(observation: Observation, serial: int, wanted: Expected) -> Iterator[Check]:
    for view in observation.servers:
        has = parse_soa(view.soa.rdatas[0]).serial if view.serves and view.soa else None
        agrees = has is not None and (has == serial or serial_is_newer(has, serial))
        who = f"{name_text(view.server)} ({view.address})"
        said = f"serial {has}" if has is not None else view.outcome
        yield Check("child", who, agrees, said, _unless(agrees, _copied(view, wanted)), "serial")


def _record_checks(observation: Observation, wanted: Expected, views: Iterable[RecordView]) -> Iterator[Check]:
    expected = {(each.name, each.rtype): each for each in wanted.records}
    slowest = max((until for view in observation.serving if (until := _copied(view, wanted)) is not None), default=None)
    for view in views:
        rrset = expected[view.name, view.rtype]
        said = ", ".join(rdata_texts(view.rrset)) if view.rrset else view.outcome
        agrees = rrset.says_the_same(view.rrset)
        until = (
            observation.at + view.rrset.ttl
            if view.rrset and view.party == "resolver"
            else slowest
            if view.party == "child"
            else None
        )
        about = f"{name_text(view.name)} {rrset.type_text}"
        yield Check(view.party, view.who, agrees, said, _unless(agrees, until), about)
