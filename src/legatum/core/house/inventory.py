"""Everything that the house holds, matched: who serves a domain, who is led to for it, in which account it is
registered."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum

from legatum.core.calendar.instant import parse_instant
from legatum.core.running.fault import BadInput

_SOON = 30 * 86400.0  # seconds until a registration runs out, within which it is told


class Group(StrEnum):
    """A domain may be in several."""

    LAME = "lame"
    RUNNING_OUT = "running-out"
    TWO_COPIES = "two-copies"
    ELSEWHERE = "delegated-elsewhere"
    UNDELEGATED = "not-delegated"
    UNREGISTERED = "not-registered-here"
    ODD_NAMES = "odd-names"
    NOT_SERVED = "not-served-here"
    UNKNOWN = "not-known"
    WELL = "served-here"

    @property
    def heading(self) -> str:
        return _TITLES[self][0]

    @property
    def remedy(self) -> str:
        return _TITLES[self][1]


_TITLES = {
    Group.LAME: ("delegated to us, not served", "publish the zone there, or take the delegation back"),
    Group.RUNNING_OUT: ("running out within 30 days", "renew: `legatum registration renew DOMAIN`"),
    Group.TWO_COPIES: (
        "at two providers, with different contents",
        "`legatum compare LEFT RIGHT --domain DOMAIN` shows what differs",
    ),
    Group.ELSEWHERE: (
        "served here, delegated elsewhere",
        "end the zone when nobody asks for it any more: `legatum survey DOMAIN --leftovers`",
    ),
    Group.UNDELEGATED: ("registered, not delegated", "delegate it, or let it go"),
    Group.UNREGISTERED: (
        "registered in no account that is known here",
        "find out whose it is: `legatum survey DOMAIN`",
    ),
    Group.NOT_SERVED: (
        "neither served here nor delegated to us",
        "gone elsewhere, or a slip of the list: `legatum survey DOMAIN`",
    ),
    Group.ODD_NAMES: ("name servers' names that differ from the rest", "bring the NS set to the provider's own names"),
    Group.UNKNOWN: ("not known: could not be looked at", "look again: the same command"),
    Group.WELL: ("served here and delegated to us", ""),
}


@dataclass(frozen=True, slots=True)
class Item:
    """One domain. ``delegation``: the NS names that its parent hands out, None where that is not known; ``served``:
    provider → serial, and ``refused`` who answers and does not serve it, ``silent`` who did not answer; ``accounts``:
    registrars that have it, and ``asked`` those who said so or not; ``expires``: an instant as the registry says it,
    ``by_data`` the registrar that registration data name; ``differ``: what is not the same at two who serve it, in
    words; ``addresses``: NS name → glue, where the parent hands that out."""

    domain: str
    delegation: tuple[str, ...] | None = None
    served: Mapping[str, int] = field(default_factory=dict)
    refused: tuple[str, ...] = ()
    silent: tuple[str, ...] = ()
    accounts: tuple[str, ...] = ()
    asked: tuple[str, ...] = ()
    expires: str = ""
    statuses: tuple[str, ...] = ()
    by_data: str = ""
    differ: tuple[str, ...] = ()
    unknown: tuple[str, ...] = ()
    addresses: Mapping[str, tuple[str, ...]] = field(default_factory=dict)


@dataclass(frozen=True)
class Side:
    """A provider or secondary: its NS names, and the addresses of each."""

    name: str
    servers: Mapping[str, tuple[str, ...]]


def led_to(item: Item, sides: Sequence[Side]) -> list[str]:
    """Whose servers the delegation names."""
    named = set(item.delegation or ())
    return [each.name for each in sides if named & set(each.servers)]


def groups_of(item: Item, sides: Sequence[Side], now: float) -> list[tuple[Group, str]]:
    """In which a domain is, and why, worst first."""
    found = list[tuple[Group, str]]()
    ours = led_to(item, sides)
    led = ", ".join(item.delegation or ())
    if lame := [each for each in ours if each in item.refused]:
        found.append((Group.LAME, f"delegated to {led}; {' and '.join(lame)} does not serve it"))
    if (left := _left(item.expires, now)) is not None and left < _SOON:
        found.append(
            (
                Group.RUNNING_OUT,
                f"{'ran' if left < 0 else 'runs'} out on {item.expires[:10]}, at "
                f"{', '.join(item.accounts) or item.by_data}",
            )
        )
    if item.differ:
        found.append((Group.TWO_COPIES, f"at {' and '.join(item.served)}: {', '.join(item.differ)}"))
    away = [each for each in item.served if each not in ours]
    if away and item.delegation is not None and not set(item.served) & set(ours):
        found.append((Group.ELSEWHERE, f"served by {' and '.join(away)}; delegated to {led or 'nobody'}"))
    if item.accounts and item.delegation == ():
        found.append((Group.UNDELEGATED, f"registered at {', '.join(item.accounts)}"))
    if (item.served or ours) and not item.accounts and item.asked and not item.unknown:
        with_whom = f"; with {item.by_data}, as registration data say" if item.by_data else ""
        found.append((Group.UNREGISTERED, f"not at {', '.join(item.asked)}{with_whom}"))
    if odd := _odd(item, sides):
        found.append((Group.ODD_NAMES, odd))
    if item.unknown:
        found.append((Group.UNKNOWN, "; ".join(item.unknown)))
    if set(item.served) & set(ours):
        found.append((Group.WELL, f"by {' and '.join(each for each in item.served if each in ours)}"))
    return found or [(Group.NOT_SERVED, f"served by nobody here; delegated to {led or 'nobody'}{_elsewhere(item)}")]


def _elsewhere(item: Item) -> str:
    """Where it is registered, as far as anybody said."""
    said = ", ".join(item.accounts) or item.by_data
    return f"; registered at {said}" if said else f"; not at {', '.join(item.asked)}" if item.asked else ""


def _odd(item: Item, sides: Sequence[Side]) -> str:
    """Some of a provider's names and not all, with strangers between them, or names of others that lead to its
    addresses."""
    named = set(item.delegation or ())
    ours = [each for each in sides if named & set(each.servers)]
    whole = [each for each in ours if set(each.servers) <= named]
    known = {name for each in ours for name in each.servers}
    if ours and not whole:
        missing = sorted(set(ours[0].servers) - named)
        return f"without {', '.join(missing)} of {ours[0].name}"
    if strangers := sorted(named - known) if ours else []:
        return f"{', '.join(strangers)} beside {' and '.join(each.name for each in ours)}"
    of_address = {
        address: (each.name, name) for each in sides for name, some in each.servers.items() for address in some
    }
    for name, addresses in item.addresses.items():
        for address in addresses:
            if name not in known and address in of_address:
                side, own = of_address[address]
                return f"{name} is {own} of {side} by another name ({address})"
    return ""


def _left(expires: str, now: float) -> float | None:
    try:
        return parse_instant(expires) - now if expires else None
    except BadInput:
        return None


def changes_between(old: Item, new: Item) -> list[str]:
    """What is no longer as it was the last time, in words; of what was not known either time nothing."""
    told = []
    if old.delegation is not None and new.delegation is not None and old.delegation != new.delegation:
        told.append(f"delegation {', '.join(old.delegation) or 'nobody'} → {', '.join(new.delegation) or 'nobody'}")
    for side in sorted({*old.served, *new.served}):
        if (side in old.served) != (side in new.served) and side not in (*old.silent, *new.silent):
            told.append(f"{'served' if side in new.served else 'no longer served'} by {side}")
    if set(old.asked) == set(new.asked) and old.accounts != new.accounts:
        told.append(f"registered at {', '.join(old.accounts) or 'nobody'} → {', '.join(new.accounts) or 'nobody'}")
    if old.expires and new.expires and old.expires != new.expires:
        told.append(f"runs out {old.expires[:10]} → {new.expires[:10]}")
    if bool(old.differ) != bool(new.differ):
        told.append("copies differ" if new.differ else "copies no longer differ")
    return told
