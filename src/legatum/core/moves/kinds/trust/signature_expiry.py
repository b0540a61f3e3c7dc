"""How a domain is signed, as its servers say, and what stands in the way of leading it elsewhere.

An unsigned copy under a DS is bogus: everybody behind a validating resolver gets nothing. Copied signatures are served
until they run out, and then it is the same (RFC 4035 s5.2, RFC 6781 s4.3.5).
"""

from collections.abc import Collection, Iterable, Iterator, Mapping
from dataclasses import dataclass, field

from legatum.core.calendar.duration import duration_text
from legatum.core.calendar.instant import instant_text
from legatum.core.dnssec.serving import ServerKeys, anchors_of, ds_of_key, entry_points, holds
from legatum.core.dnssec.trust import DsSet, Keys
from legatum.core.moves.runbook import Runbook
from legatum.core.records.name import Name, name_text


@dataclass(frozen=True, slots=True)
class Signing:
    """``ds``: the DS set by parent server address; ``old``, ``new``: each side by address, ``beside``: one that serves
    a zone of its own beside the old side; ``silent``: who did not answer; ``heeded``: the registry may act on CDS
    records, and what is planned would be at odds with that."""

    ds: Mapping[str, DsSet] = field(default_factory=dict)
    old: Mapping[str, ServerKeys] = field(default_factory=dict)
    new: Mapping[str, ServerKeys] = field(default_factory=dict)
    beside: Mapping[str, ServerKeys] = field(default_factory=dict)
    silent: tuple[str, ...] = ()
    heeded: bool = True

    @property
    def anchors(self) -> DsSet:
        """As most of it is handed out; where servers differ, the first that is there."""
        return max(self.ds.values(), key=lambda each: (bool(each), each.ttl), default=DsSet())

    @property
    def is_signed(self) -> bool:
        return bool(self.anchors) or any(each.keys is not None for each in self.old.values())

    @property
    def unsigned_text(self) -> str:
        """What shows that signatures do not stand in the way; empty for a signed domain."""
        if not self.ds and not self.old:
            return "nobody is led to other servers: whoever signs the zone goes on doing so"
        return "" if self.is_signed else self.text

    @property
    def keys(self) -> Keys | None:
        """With which the old side signs."""
        return _keys_of(self.old)

    @property
    def keys_beside(self) -> Keys | None:
        return _keys_of(self.beside)

    def before(self, keys: Keys | None) -> Keys | None:
        """With which the old side may have signed before anybody saw it sign with ``keys``: since when keys are there
        that no DS for yet is not known, nor, without a DS, since when it signs at all."""
        if keys is None or not self.anchors:
            return None
        with_ds = self.anchors.labels & set(keys.entry)
        if not with_ds:
            return keys
        new = set(keys.entry) - with_ds
        published, entry, zone = (tuple(each for each in some if each not in new) for some in keys.roles)
        return Keys(published, entry, zone or tuple(sorted(with_ds)), keys.ttl)

    def offers(self, domain: Name) -> tuple[str, ...]:
        """The DS records of the keys that sign the key set, where all servers of the old side give the same."""
        entries = {each.entries for each in self.old.values()}
        keys = next(iter(entries)) if len(entries) == 1 else ()
        return anchors_of((ds_of_key(domain, each) for each in entry_points(keys)), 0).records

    @property
    def text(self) -> str:
        """What shows how it is, for those who read the plan."""
        asked = (
            f"{len(self.ds)} parent addresses and {len(self.old) + len(self.new) + len(self.beside)} of name "
            "servers asked"
        )
        signs = "; the new side signs by itself" if any(each.keys is not None for each in self.new.values()) else ""
        signs += f"; beside it with {self.keys_beside.text}" if self.keys_beside is not None else ""
        keys = self.keys
        if keys is None and not self.anchors:
            return f"no DS, no DNSKEY, CDS or CDNSKEY ({asked}){signs}"
        signed = f"signed with {keys.text}" if keys is not None else "unsigned"
        return f"{self.anchors.text}; {signed} ({asked}){signs}"


def _keys_of(side: Mapping[str, ServerKeys]) -> Keys | None:
    return next((each.keys for each in side.values() if each.keys is not None), None)


@dataclass(frozen=True, slots=True)
class Obstacle:
    """``silent``: somebody did not answer, and nothing was seen to be in the way."""

    reason: str
    remedy: str
    silent: bool = False


def obstacles(domain: Name, seen: Signing, old: str, new: str, disconnects: bool = False) -> Iterator[Obstacle]:
    """Why the domain is not to be led from provider ``old`` to ``new``. ``disconnects``: the plan does nothing but take
    the DS away, from a broken chain too."""
    text = name_text(domain)
    if seen.silent:
        yield Obstacle(
            f"whether {text} is signed is not known: "
            f"{', '.join(seen.silent[:4])}{' …' if seen.silent[4:] else ''} did not answer",
            "look again when they answer: the same command",
        )
        return
    yield from _not_whole(domain, seen, old) if not disconnects else ()
    for who, side in ((old, seen.old), (new, {**seen.new, **seen.beside})) if seen.heeded else ():
        if asking := {
            address: each.asking
            for address, each in side.items()
            if each.asking and not (disconnects and each.gives_up)
        }:
            address, kinds = next(iter(asking.items()))
            yield Obstacle(
                f"{who} asks the registry for a DS: {address} hands out {', '.join(kinds)}; a registry that "
                "reads it would "
                "connect the keys in the middle of the move",
                f"have {who} publish no CDS and CDNSKEY for {text} until the move is complete; or, where the "
                "registry is known not to read "
                "them, say `reads_cds = false` for the registrar in the settings",
            )


def _not_whole(domain: Name, seen: Signing, old: str) -> Iterator[Obstacle]:
    """A chain that does not hold now, or that not all servers have alike, is no basis for a plan."""
    text = name_text(domain)
    mend = f"mend that first: `legatum ds show {text}` says what to do"
    if len({(each.records, each.of) for each in seen.ds.values()}) > 1:
        yield Obstacle(
            f"the parent's servers hand out different DS sets for {text}", "wait until they agree, then draft again"
        )
    if not seen.anchors:
        return
    for address, each in seen.old.items():
        if not holds(domain, seen.anchors, each):
            why = each.broken or (
                f"{seen.anchors.text} fits no key there" if each.keys is not None else "it serves the zone unsigned"
            )
            yield Obstacle(f"{text} is bogus at {address} of {old}: {why}", mend)
            return
    if len({each.keys for each in seen.old.values()}) > 1:
        yield Obstacle(
            f"the servers of {old} do not sign {text} with the same keys", "wait until they do, then draft again"
        )


def first_to_run_out(servers: Iterable[ServerKeys]) -> float | None:
    """When the first of the signatures that hold now runs out."""
    return min((each.until for each in servers if each.until is not None), default=None)


def running_out(runbook: Runbook, done: Collection[str], until: float | None, now: float) -> Iterator[Obstacle]:
    """Signatures that may run out while somebody still asks for them: they must outlive the longest wait that is ahead,
    and the longest TTL after it (rule 12). ``until``: of the first one that runs out. Not where they are to end: with
    the DS gone nobody asks for them."""
    if runbook.disconnects:
        return
    left = [step for step in runbook.steps if step.id not in done]
    ahead = max((wait.seconds + wait.slack for step in left for wait in step.waits), default=0)
    needed = ahead + runbook.premises.longest_ttl(runbook.domain)
    if until is not None and until - now <= needed:
        yield Obstacle(
            f"signatures of {name_text(runbook.domain)} run out at {instant_text(until)}, and the longest "
            "wait ahead, with the longest TTL "
            f"after it, takes {duration_text(needed)} (rule 12)",
            "have the provider sign the zone anew, then the same command again",
        )
