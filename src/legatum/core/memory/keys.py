"""With which keys places signed a zone, as the journal remembers it: caches may hold key sets, and signatures, of
before (docs/timing.md, rules 6, 8 and 9)."""

from collections.abc import Iterable
from typing import NamedTuple

from legatum.core.dnssec.trust import Keys
from legatum.core.memory.given import ABSENT, Given, GivenSet
from legatum.core.records.name import Name
from legatum.core.records.rrtype import DNSKEY

_BEFORE, _ROLE, _LABEL = "the signing at ", " / ", " "


class KeyState(NamedTuple):
    """With which keys a place signed a zone, None for unsigned; from ``since`` on at its first server, and at every one
    ``everywhere``, in seconds since 1970."""

    keys: Keys | None
    since: float
    everywhere: float


def signing_at(place: str) -> str:
    """Under which place the journal keeps how it signs: apart from the RRsets that it gives."""
    return _BEFORE + place


def is_signing(place: str) -> bool:
    return place.startswith(_BEFORE)


def seen_keys(place: str, zone: Name, keys: Keys | None) -> GivenSet:
    data = _ROLE.join(_LABEL.join(labels) for labels in keys.roles) if keys is not None else ABSENT
    return GivenSet(signing_at(place), zone, DNSKEY, keys.ttl if keys is not None else 0, data)


def key_states(memory: Iterable[Given], place: str, zone: Name) -> list[KeyState]:
    """As far as was seen, oldest first; the last is the one that the place was seen in last."""
    rows = [each for each in memory if (each.place, each.name, each.rtype) == (signing_at(place), zone, DNSKEY)]
    rows.sort(key=lambda each: (each.first, each.gone is None))
    found = list[KeyState]()
    for number, row in enumerate(rows):
        before = [each.gone for each in rows[:number] if each.gone is not None]
        found.append(KeyState(_keys_of(row), row.first, max([row.first, *before])))
    return found


def _keys_of(row: Given) -> Keys | None:
    if row.data == ABSENT:
        return None
    published, entry, zone = (tuple(each.split()) for each in (*row.data.split(_ROLE), "", "")[:3])
    return Keys(published, entry, zone, row.ttl)
