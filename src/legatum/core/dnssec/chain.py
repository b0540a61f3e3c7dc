"""The chain of trust from the top down to a domain, link by link, as every server shows it (RFC 4035 s5)."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from itertools import combinations

from legatum.core.calendar.instant import instant_text
from legatum.core.dnssec.key import ENTRY_POINT, fits, parse_ds, parse_key
from legatum.core.dnssec.serving import ServerKeys, ds_rdatas, entry_points, holds, key_label
from legatum.core.dnssec.slip import ds_slip
from legatum.core.dnssec.trust import DsSet, proven_by
from legatum.core.records.name import Name, name_text
from legatum.core.running.fault import GateShut

_AGED = (
    "either the anchors here are out of date: renew the program, or compare [network] anchors with what the "
    "zone's operator publishes (for "
    "the root: IANA); or others answer here in its servers' place: [network] roots"
)
_OLD_KEY = (
    "have the provider sign with the old key again; if that is lost, take the DS set out at the registrar, "
    "wait its TTL, and put the right "
    "one in"
)


def unsigned_remedy(domain: str) -> str:
    """Of an unsigned zone under a DS. ``domain``: as people write it."""
    return (
        "where the old side still serves it signed, lead it back there: "
        f"`legatum registration nameservers {domain} --to PROVIDER`; "
        f"else have it signed with the old keys, or take the DS set out: `legatum ds withdraw {domain}`"
    )


class State(StrEnum):
    """Of one zone, or of the whole chain to it."""

    UNSIGNED = "unsigned"
    UNCONNECTED = "signed, not connected"
    VALID = "connected and valid"
    BROKEN = "connected and broken"
    UNKNOWN = "not known"


@dataclass(frozen=True, slots=True)
class Served:
    """What one address of the zone's servers gives; ``answered``: whether it did at all."""

    server: Name
    address: str
    given: ServerKeys
    answered: bool


@dataclass(frozen=True, slots=True)
class Link:
    """One zone. ``ds``: address of the parent's servers → the DS set, None where it did not answer; ``anchor``: the DS
    set that stands in the settings instead, no DS where there is none."""

    zone: Name
    parent: Name | None
    ds: Mapping[str, DsSet | None]
    servers: Sequence[Served]
    anchor: DsSet = field(default=DsSet())

    @property
    def anchors(self) -> DsSet:
        """Its trust anchors: the settings', else what the parent hands out."""
        given = [each for each in self.ds.values() if each is not None]
        return self.anchor or max(given, key=lambda each: (bool(each), each.ttl), default=DsSet())

    @property
    def state(self) -> State:
        """Broken by one server; anything else only where all have answered."""
        return self.seen if self.seen == State.BROKEN or not any(self.unseen()) else State.UNKNOWN

    @property
    def seen(self) -> State:
        """By those who answered."""
        if not any(each.answered for each in self.servers) or (
            self.ds and all(each is None for each in self.ds.values())
        ):
            return State.UNKNOWN
        signed = any(each.given.keys is not None for each in self.servers)
        if not self.anchors:
            return State.UNCONNECTED if signed else State.UNSIGNED
        return State.BROKEN if any(self.broken()) else State.VALID

    def broken(self) -> Iterator[tuple[str, str]]:
        """What makes it bogus to those who validate, and what to do, in the order in which to do it."""
        if not self.anchors:
            return
        text = name_text(self.zone)
        for each in self.servers:
            who = f"{name_text(each.server)} ({each.address})"
            if not each.answered:
                continue
            if each.given.keys is None:
                yield (
                    f"{who} serves {text} unsigned, under {self.anchors.brief_text}",
                    _AGED if self.anchor else unsigned_remedy(text),
                )
            elif not each.given.broken and not holds(self.zone, self.anchors, each.given):
                begun = f", signed so from {instant_text(each.given.begun)} on" if each.given.begun is not None else ""
                slips = [
                    slip for rdata in ds_rdatas(self.anchors) if (slip := ds_slip(self.zone, rdata, each.given.entries))
                ]
                remedy = (
                    f"copy the DS anew into the registrar's form: `legatum ds derive {text}` shows the right one"
                    if slips
                    else _OLD_KEY
                )
                yield (
                    f"{who} has keys {each.given.keys.text}{begun}, and none of them matches {self.anchors.brief_text}"
                    + (f" ({'; '.join(slips)})" if slips else ""),
                    _AGED if self.anchor else remedy,
                )
            elif each.given.broken:
                yield f"{who}: {each.given.broken}", "have the provider sign anew, now; everything else waits for that"
        for one, other in self._unshared():
            yield (
                f"{name_text(one.server)} ({one.address}) has no key with which {name_text(other.server)} "
                f"({other.address}) signs its "
                "answers: who validates with the keys of the one finds the other's bogus",
                "have each provider put the zone keys of the other into its key set, or bring the zone to "
                "the same version everywhere; "
                "until then take one of them out of the NS set",
            )

    def _unshared(self) -> Iterator[tuple[Served, Served]]:
        """Servers with keys that do not prove what another one signs (RFC 8901 s2.1)."""
        given = {
            each.given.keys: each
            for each in self.servers
            if each.answered and each.given.keys is not None and not each.given.broken
        }
        pairs = ((one, other) for one in given.items() for other in given.items() if one is not other)
        yield from (
            (one, other) for (keys, one), (signed, other) in pairs if keys and signed and not proven_by(keys, signed)
        )

    def disagreeing(self) -> Iterator[str]:
        """Servers that do not say the same, though nothing is broken by it yet."""
        sets = {each.records for each in self.ds.values() if each is not None}
        if len(sets) > 1:
            yield f"the parent's servers hand out different DS sets: {len(sets)} of them"
        keys = {each.given.keys for each in self.servers if each.answered and each.given.keys is not None}
        if len(keys) > 1:
            shared = not any(set(one.entry) & set(other.entry) for one, other in combinations(keys, 2)) and not any(
                self._unshared()
            )
            yield (
                "each with keys of its own, and those of the other in its key set"
                if shared
                else "its servers do not give the same keys"
            )

    def aging(self) -> Iterator[str]:
        """Keys of an anchored zone that the anchors do not know: what is published to be trusted next (RFC 5011 s2.4),
        in words."""
        if not self.anchor or not any(holds(self.zone, self.anchor, each.given) for each in self.servers):
            return
        given = dict.fromkeys(data for each in self.servers for data in each.given.data.values())
        known = [ds for rdata in ds_rdatas(self.anchor) if (ds := parse_ds(rdata)) is not None]
        for data in given:
            key = parse_key(data)
            entry = key is not None and key.signs_zone and key.flags & ENTRY_POINT
            if entry and not any(fits(self.zone, ds, data) for ds in known):
                yield (
                    f"a key {key_label(data)} is published that no anchor here stands for: where it signs "
                    "alone one day (RFC 5011), "
                    "nothing below can be validated from here; renew the program, or see [network] anchors"
                )

    def unseen(self) -> Iterator[str]:
        """Who did not answer."""
        yield from (f"{address}, which would have the DS set" for address, each in self.ds.items() if each is None)
        yield from (f"{name_text(each.server)} ({each.address})" for each in self.servers if not each.answered)

    @property
    def until(self) -> float | None:
        """When the first of the signatures that hold now runs out."""
        return min((each.given.until for each in self.servers if each.given.until is not None), default=None)

    def running_out(self, now: float, floor: float) -> str:
        """In words, where that is within ``floor`` seconds (rule 12)."""
        if self.until is None or self.until - now > floor:
            return ""
        return f"the signatures of {name_text(self.zone)} run out at {instant_text(self.until)}"


def refuse_silent(link: Link) -> None:
    """Raises :class:`GateShut` where somebody did not answer."""
    for silent in link.unseen():
        raise GateShut(f"{silent} does not answer: whether it has the same is not known", "look again")


def agreed_keys(link: Link) -> tuple[bytes, ...]:
    """The keys that sign the key set, the same at all servers. Raises :class:`GateShut` where they are not, or
    signatures do not hold."""
    refuse_silent(link)
    text = name_text(link.zone)
    for each in link.servers:
        if each.given.keys is None or each.given.broken:
            why = each.given.broken or "it serves the zone unsigned"
            raise GateShut(
                f"{name_text(each.server)} ({each.address}): {why}", f"the chain whole: `legatum ds show {text}`"
            )
    entries = {each.given.entries for each in link.servers}
    if len(entries) != 1:
        raise GateShut(
            f"the servers of {text} do not give the same keys", f"wait until they do: `legatum ds show {text}`"
        )
    return entry_points(next(iter(entries)))


def broken_since(seen: Sequence[tuple[str, float, float]]) -> str:
    """In words, of states with the instants at which they were first and last seen, oldest first; empty where the last
    is not broken."""
    if not seen or seen[-1][0] != State.BROKEN:
        return ""
    whole = max((last for state, _, last in seen if state == State.VALID), default=None)
    before = f"seen whole last at {instant_text(whole)}" if whole is not None else "never seen whole from here"
    return f"{before}, seen broken first at {instant_text(seen[-1][1])}"


@dataclass(frozen=True, slots=True)
class Chain:
    """From the top down; the domain's own link is the last. ``left_out``: what was not asked, ``since``: since when it
    is broken as far as was seen, both in words."""

    links: Sequence[Link]
    left_out: str = ""
    since: str = ""

    @property
    def domain(self) -> Name:
        return self.links[-1].zone

    @property
    def anchored(self) -> int | None:
        """The lowest link that an anchor of the settings stands for; None where there is none."""
        return max((number for number, each in enumerate(self.links) if each.anchor), default=None)

    @property
    def state(self) -> State:
        """To those who validate by the anchors of the settings; without any, of the domain's own link."""
        below = self.links[self.anchored :] if self.anchored is not None else self.links[-1:]
        broken = next((each for each in below if each.state in (State.BROKEN, State.UNKNOWN)), None)
        if broken is not None:
            return broken.state
        if all(each.state == State.VALID for each in below):
            return State.VALID
        return self.links[-1].state if self.links[-1].state != State.VALID else State.UNCONNECTED

    @property
    def why(self) -> str:
        """In one sentence."""
        text, own = name_text(self.domain), self.links[-1]
        if self.state == State.VALID:
            if self.anchored is None:
                return (
                    f"{own.anchors.brief_text} holds at every server; no anchor in the settings: what is "
                    f"above {text} was held against none"
                )
            top = self.links[self.anchored].zone
            return (
                f"every link holds, from the anchor of {name_text(top) if len(top) > 1 else 'the root'} "
                "down, at every server"
            )
        if self.state == State.UNKNOWN:
            silent = [each for link in self.links for each in link.unseen()]
            more = f" and {len(silent) - 3} more" if len(silent) > 3 else ""
            return f"by those who answered its own link is {own.seen}; no answer from {', '.join(silent[:3])}{more}"
        if self.state == State.BROKEN:
            first = next(each for each in self.links if each.state == State.BROKEN)
            since = f"; {self.since}" if self.since and first is own else ""
            return f"everybody behind a validating resolver gets nothing: {next(first.broken())[0]}{since}"
        if own.state == State.VALID:
            gap = next(each for each in reversed(self.links) if each.state in (State.UNSIGNED, State.UNCONNECTED))
            return (
                f"its own link holds, and nothing connects {name_text(gap.zone)} above it: to validating "
                "resolvers it is unsigned"
            )
        if own.state == State.UNCONNECTED:
            return "the parent has no DS: to validating resolvers it is unsigned"
        return "neither keys nor a DS at any server"
