"""What places say, over time: contents that are constant between changes.

A change reaches the first server of a place at one instant and the last one at another; in between either may be had,
so the two *periods* overlap. Before the first change everything was as it was observed, for ever; after the last one
everything stays. What is remembered of a place beside that has periods of its own, and changes nothing of what the
place gives.
"""

from collections.abc import Iterable
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Generic, TypeVar

from legatum.core.dnssec.trust import DsSet, Keys
from legatum.core.moves.place import Premises, RRsetKey
from legatum.core.records.name import Name
from legatum.core.records.rrset import RRset

FOREVER = float("inf")
_K = TypeVar("_K")
_V = TypeVar("_V")


class Content(StrEnum):
    """What a place has of a zone."""

    NOTHING = "not served"
    BLANK = "an empty zone"
    WHOLE = "the whole zone"


@dataclass(frozen=True, slots=True)
class Period(Generic[_V]):
    """From the first server that says so to the last one that does; ``step`` began it, empty for the beginning."""

    begins: float
    ends: float
    value: _V
    step: str = ""


class ValueHistory(Generic[_V]):
    """One thing that a place says, over time."""

    __slots__ = ("_beside", "_periods")

    def __init__(self, value: _V) -> None:
        self._periods = [Period(-FOREVER, FOREVER, value)]
        self._beside: list[Period[_V]] = []

    def copy(self) -> "ValueHistory[_V]":
        made = ValueHistory(self.value)
        made._periods, made._beside = list(self._periods), list(self._beside)
        return made

    @property
    def value(self) -> _V:
        return self._periods[-1].value

    def change(self, first: float, everywhere: float, value: _V, step: str) -> None:
        """When every server has the new value, nobody has any of the earlier ones."""
        if value == self.value:
            return
        self._periods = [
            Period(each.begins, min(each.ends, everywhere), each.value, each.step) for each in self._periods
        ]
        self._periods.append(Period(first, FOREVER, value, step))

    def beside(self, first: float, last: float, value: _V, label: str) -> None:
        """Another value that may have been had from the first instant to the last."""
        self._beside.append(Period(first, last, value, label))

    @property
    def periods(self) -> tuple[Period[_V], ...]:
        return tuple(each for each in (*self._periods, *self._beside) if each.begins < each.ends)

    @property
    def own(self) -> tuple[Period[_V], ...]:
        """Without what is remembered beside: each follows the one before it, and the last one stays."""
        return tuple(each for each in self._periods if each.begins < each.ends)

    @property
    def versions(self) -> list[tuple[_V, str | None]]:
        """Every value it ever had, and the step that ended it, None for the present one; the present one's history
        first."""
        ends = [each.step for each in self._periods[1:]]
        own = [(each.value, end) for each, end in zip(self._periods, [*ends, None], strict=True)]
        return [*own, *((each.value, each.step) for each in self._beside)]


@dataclass
class Timeline:
    """``rrsets``: (place, zone, name, type) → the RRset that is given for it; ``served``: (place, zone) → what is there
    of it; ``answering``: address → the place whose contents are given at it, None where nobody answers; ``services``:
    address that visitors are sent to → whether it works; ``signed``: (place, zone) → with which keys it is signed
    there, None for unsigned; ``ds_sets``: domain → the DS set that its parent hands out."""

    rrsets: dict[tuple[str, Name, Name, int], ValueHistory[RRset | None]] = field(default_factory=dict)
    served: dict[tuple[str, Name], ValueHistory[Content]] = field(default_factory=dict)
    answering: dict[str, ValueHistory[str | None]] = field(default_factory=dict)
    services: dict[str, ValueHistory[bool]] = field(default_factory=dict)
    signed: dict[tuple[str, Name], ValueHistory[Keys | None]] = field(default_factory=dict)
    ds_sets: dict[Name, ValueHistory[DsSet]] = field(default_factory=dict)

    def copy(self) -> "Timeline":
        """One that can be played on without changing this one."""
        return Timeline(
            _copied(self.rrsets),
            _copied(self.served),
            _copied(self.answering),
            _copied(self.services),
            _copied(self.signed),
            _copied(self.ds_sets),
        )

    def set_rrset(
        self, place: str, zone: Name, key: RRsetKey, value: RRset | None, first: float, everywhere: float, step: str
    ) -> None:
        """A place gives something else from now on."""
        history = self.rrsets.get((place, zone, *key))
        if history is None:
            history = self.rrsets[place, zone, *key] = ValueHistory(None)
        history.change(first, everywhere, value, step)

    def remember_rrset(self, place: str, zone: Name, value: RRset, first: float, last: float, label: str) -> None:
        """It is remembered that the place gave this for a time."""
        self.rrsets.setdefault((place, zone, value.name, value.rtype), ValueHistory(None)).beside(
            first, last, value, label
        )

    def remember_ds_set(self, domain: Name, anchors: DsSet, first: float, last: float, label: str) -> None:
        """It is remembered that the parent gave this DS set for a time."""
        self.ds_sets.setdefault(domain, ValueHistory(DsSet())).beside(first, last, anchors, label)

    def set_content(self, place: str, zone: Name, content: Content, first: float, everywhere: float, step: str) -> None:
        self.served.setdefault((place, zone), ValueHistory(Content.NOTHING)).change(first, everywhere, content, step)

    def set_place(self, address: str, place: str | None, first: float, everywhere: float, step: str) -> None:
        self.answering.setdefault(address, ValueHistory(None)).change(first, everywhere, place, step)

    def set_service(self, address: str, works: bool, first: float, everywhere: float, step: str) -> None:
        self.services.setdefault(address, ValueHistory(True)).change(first, everywhere, works, step)

    def set_keys(self, place: str, zone: Name, keys: Keys | None, first: float, everywhere: float, step: str) -> None:
        self.signed.setdefault((place, zone), ValueHistory(None)).change(first, everywhere, keys, step)

    def set_ds(self, domain: Name, anchors: DsSet, first: float, everywhere: float, step: str) -> None:
        self.ds_sets.setdefault(domain, ValueHistory(DsSet())).change(first, everywhere, anchors, step)

    def keys_at(self, place: str, zone: Name) -> Keys | None:
        history = self.signed.get((place, zone))
        return history.value if history is not None else None

    def ds_set(self, domain: Name) -> DsSet:
        history = self.ds_sets.get(domain)
        return history.value if history is not None else DsSet()

    def rrset(self, place: str, zone: Name, name: Name, rtype: int) -> RRset | None:
        """As it stands after everything that was played."""
        history = self.rrsets.get((place, zone, name, rtype))
        return history.value if history is not None else None

    def content(self, place: str, zone: Name) -> Content:
        history = self.served.get((place, zone))
        return history.value if history is not None else Content.NOTHING

    def serving(self, zone: Name) -> list[str]:
        """Places that have it whole now."""
        return [
            place for (place, each), history in self.served.items() if each == zone and history.value == Content.WHOLE
        ]

    def keys(self, zone: Name) -> list[RRsetKey]:
        """Names and types of the zone that are followed."""
        return list(dict.fromkeys((name, rtype) for _, each, name, rtype in self.rrsets if each == zone))

    def histories(self, zone: Name, key: RRsetKey) -> Iterable[tuple[str, ValueHistory[RRset | None]]]:
        """Of every place that ever gave it."""
        return (
            (place, history)
            for (place, each, *named), history in self.rrsets.items()
            if each == zone and tuple(named) == key
        )


def _copied(tracks: dict[_K, ValueHistory[_V]]) -> dict[_K, ValueHistory[_V]]:
    return {key: track.copy() for key, track in tracks.items()}


def timeline_at_the_beginning(premises: Premises) -> Timeline:
    """As it was observed."""
    timeline = Timeline()
    for place in premises.places:
        for addresses in place.servers.values():
            for address in addresses:
                timeline.answering[address] = ValueHistory(place.name)
    for served in premises.served:
        timeline.served[served.place, served.zone] = ValueHistory(Content.WHOLE)
        for rrset in served.rrsets:
            timeline.rrsets[served.place, served.zone, rrset.name, rrset.rtype] = ValueHistory(rrset)
        timeline.signed[served.place, served.zone] = ValueHistory(served.keys)
    timeline.ds_sets |= {domain: ValueHistory(anchors) for domain, anchors in premises.anchors.items()}
    return timeline
