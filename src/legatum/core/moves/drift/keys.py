"""What servers give of keys, beside what a step means them to: may it begin, and has it come to pass?"""

from collections.abc import Collection, Mapping

from legatum.core.dnssec.serving import ServerKeys, anchors_of, ds_proves, key_label, signs_so
from legatum.core.dnssec.trust import is_known
from legatum.core.moves.effects import DsChanged, Signed
from legatum.core.moves.runbook import Runbook, Step
from legatum.core.records.name import Name
from legatum.core.running.fault import GateShut

Given = Mapping[str, ServerKeys]
"""Server address → what it gives."""


def entries_of(place: str, given: Given) -> tuple[bytes, ...]:
    """The keys that sign the key set, the same at all servers of the place. Raises :class:`GateShut` where they are
    not."""
    for address, each in given.items():
        if each.broken or each.keys is None:
            raise GateShut(
                f"not every server of {place} gives keys, with signatures that hold: {address}: "
                f"{each.broken or 'no keys'}",
                "wait until they do",
            )
    entries = {each.entries for each in given.values()}
    if len(entries) != 1:
        raise GateShut(f"not every server of {place} gives the same keys", "wait until they do")
    return next(iter(entries))


def unproven(domain: Name, wanted: Collection[bytes], given: Mapping[str, Given], ahead: bool) -> list[str]:
    """Why the parent must not have that DS set: ``given``: place → its servers. ``ahead``: keys may be missing that are
    to come."""
    found = list[str]()
    if not wanted:
        return found
    for place, servers in given.items():
        for address, each in servers.items():
            if each.broken or not any(ds_proves(domain, rdata, each) for rdata in wanted):
                said = (
                    each.broken
                    or f"{anchors_of(wanted, 0).text} fits no key there that signs the key set; is a digit missing?"
                )
                found.append(f"{address} of {place}: {said}")
    every = [each for servers in given.values() for each in servers.values()]
    if every and not found and not ahead:
        stray = [rdata for rdata in wanted if not any(ds_proves(domain, rdata, each) for each in every)]
        found += (
            [f"{anchors_of(stray, 0).text} fits no key that signs the key set; is a digit missing?"] if stray else []
        )
    return found[:2]


def unlike(place: str, own: Given, other: str, foreign: Given) -> str:
    """How the algorithms of two sides differ; empty where they do not."""
    left, right = (
        {each.rpartition("/")[2] for one in side.values() if one.keys for each in one.keys.zone}
        for side in (own, foreign)
    )
    if not right or left == right:
        return ""
    return f"{place} signs with algorithm {', '.join(sorted(left))}, and {other} with {', '.join(sorted(right))}"


def shared(own: Given, foreign: Given, effect: Signed) -> tuple[list[bytes], list[bytes], int]:
    """Keys that come into the key set of the place, those that go out of it, and the TTL of its records. ``foreign``:
    the other side, which has perhaps ended."""
    assert effect.before is not None and effect.after is not None
    present = {label: data for each in own.values() for label, data in each.data.items()}
    ttl = max((each.keys.ttl for each in own.values() if each.keys), default=effect.after.ttl)
    theirs = {
        label: each.data[label]
        for each in foreign.values()
        if each.keys
        for label in each.keys.zone
        if label in each.data
    }
    if len(effect.after.published) > len(effect.before.published):
        return [data for label, data in theirs.items() if label not in present], [], ttl
    return [], [data for label, data in present.items() if label in theirs or label in _leaving(effect, own)], ttl


def _leaving(effect: Signed, own: Given) -> set[str]:
    """Labels of the other side's keys in the key set: those that the plan knows, or, where it knows the place's own,
    all others."""
    assert effect.before is not None and effect.after is not None
    named = set(effect.before.published) - set(effect.after.published)
    if all(map(is_known, named)):
        return named
    kept = set(effect.after.published)
    return {label for each in own.values() for label in map(key_label, each.data.values()) if label not in kept}


def following(runbook: Runbook, step: Step, place: str) -> list[Signed]:
    """Stages at the same place that a signer may come to by itself meanwhile: those before the DS set is changed."""
    found = []
    for later in runbook.steps[runbook.steps.index(step) + 1 :]:
        if any(isinstance(each, DsChanged) for each in later.effects):
            break
        found += [each for each in later.effects if isinstance(each, Signed) and each.place == place]
    return found


def becomes(given: ServerKeys, effect: Signed, known: Collection[str]) -> bool:
    """The server gives what the effect comes to, and nothing of what it takes away."""
    if not signs_so(given, effect.after, known):
        return False
    if effect.before is None or effect.after is None or given.made_with is None:
        return True
    sides = zip(effect.before.roles, effect.after.roles, given.made_with.roles, strict=True)
    return not any((set(had) - set(kept)) & set(found) for had, kept, found in sides)
