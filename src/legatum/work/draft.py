"""Drafting a move: what is observed becomes the runbook's premises."""

import secrets
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace

from legatum.core.duration import parse_duration
from legatum.core.fault import GateShut, OutsideFault
from legatum.core.moves.provider import Observed, Side, Wish, draft
from legatum.core.moves.signing import obstacles
from legatum.core.name import Name, name_text
from legatum.core.picture import Picture
from legatum.core.registration import forbids_updates
from legatum.core.rrset import targets
from legatum.core.rrtype import SOA
from legatum.core.runbook import Runbook
from legatum.core.soa import negative_ttl
from legatum.core.verdict import names_said
from legatum.core.zone import Zone
from legatum.services.provider import Provider
from legatum.work.look.wanted import Wanted
from legatum.work.outside import Outside
from legatum.work.signing import look_at_signing
from legatum.work.steps.registered import is_own
from legatum.work.survey import survey


@dataclass(frozen=True)
class MoveWish:
    """What the user asks for. ``publishing``: seconds that the registry is expected to take, for the forecast only."""

    domain: Name
    old: str
    new: str
    registrar: str
    low_ttl: int
    publishing: int


async def draft_move(outside: Outside, wish: MoveWish, told: Callable[[str], None]) -> Runbook:
    """Looks at everything that the move rests on. ``told`` is told what must be done before it can end.

    Raises :class:`GateShut` for a domain that cannot be moved like this.
    """
    old, new = outside.provider(wish.old), outside.provider(wish.new)
    registrar = outside.registrar(wish.registrar)
    if set(old.servers) & set(new.servers):
        raise GateShut(f"{old.name} and {new.name} share name servers", "a move between them changes nothing")
    picture = (await survey(outside, wish.domain, wanted=Wanted(resolvers=False, rdap=False))).picture
    _movable(picture, old)
    signing = await look_at_signing(outside, wish.domain, old.servers, new.servers)
    for obstacle in obstacles(wish.domain, signing, old.name, new.name):
        raise GateShut(obstacle.reason, obstacle.remedy)
    held = await registrar.registration(wish.domain)
    if not is_own(registrar, held):
        text = f"{name_text(wish.domain)} is registered with {held.registrar}, not through {registrar.name}"
        raise GateShut(text, "give the account that has it with --registrar")
    if locks := [status for status in held.statuses if forbids_updates(status)]:
        domain = name_text(wish.domain)
        told(
            f"the registration of {domain} is locked ({', '.join(locks)}): unlock it before the NS sets change: "
            f"`legatum registration unlock {domain} --registrar {registrar.name}`"
        )
    zone = await old.fetch(wish.domain)
    addresses = {
        "parent": _grouped((view.server, view.address) for view in picture.parents),
        "old": _grouped((view.server, view.address) for view in picture.servers),
        "new": {name_text(name): each for name, each in (await outside.addresses(new.servers)).items()},
    }
    glue_ttl = max((each.ttl for view in picture.parents for each in view.glue), default=None)
    seen = replace(
        _observed(picture, zone, await _host_negative_ttls(outside, new)),
        addresses=addresses,
        glue_ttl=glue_ttl,
        unsigned=signing.unsigned_text,
    )
    house = outside.settings.house
    return draft(
        seen,
        Wish(
            ident=f"{name_text(wish.domain)}-{secrets.token_hex(4)}",
            old=Side(old.name, old.servers, old.changes_apex_ns),
            new=Side(new.name, new.servers, new.changes_apex_ns),
            registrar=wish.registrar,
            low_ttl=wish.low_ttl,
            final_ttl=parse_duration(house.ns_ttl),
            publishing=wish.publishing,
            caution=outside.caution,
        ),
    )


def _grouped(servers: Iterable[tuple[Name, str]]) -> dict[str, tuple[str, ...]]:
    found: dict[str, tuple[str, ...]] = {}
    for name, address in servers:
        found[name_text(name)] = (*found.get(name_text(name), ()), address)
    return found


def _movable(picture: Picture, old: Provider) -> None:
    domain = name_text(picture.domain)
    if not picture.delegation:
        raise GateShut(f"{domain} is not delegated", f"`legatum survey {domain}` says more")
    if set(picture.delegation) != set(old.servers):
        raise GateShut(
            f"{domain} is delegated to {names_said(picture.delegation)}, not to {old.name}'s {names_said(sorted(old.servers))}",
            "is --from the right provider, and its `servers` in the settings complete?",
        )
    silent = [view.address for view in picture.servers if not view.serves] + [view.address for view in picture.parents if not view.answered]
    if silent:
        raise GateShut(
            f"not every server answers for {domain}: {', '.join(silent)}",
            f"what they hand out counts for every wait; `legatum survey {domain}` says more (no IPv6 here? set ipv6 = false in [network])",
        )


def _observed(picture: Picture, zone: Zone, host_negative_ttls: tuple[tuple[Name, int], ...]) -> Observed:
    assert picture.parent_ttl is not None and picture.apex_ttl is not None
    return Observed(
        domain=picture.domain,
        at=picture.at,
        parent_zone=picture.parent_zone,
        parent_ttl=picture.parent_ttl,
        apex_ttl=max(picture.apex_ttl, zone.apex_ns.ttl if zone.apex_ns else 0),
        longest_ttl=max(each.ttl for each in zone),
        negative_ttl=negative_ttl(zone.soa_rrset),
        serial=zone.soa.serial,
        refresh=zone.soa.refresh,
        old_ns=targets(zone.apex_ns),
        host_negative_ttls=host_negative_ttls,
    )


async def _host_negative_ttls(outside: Outside, new: Provider) -> tuple[tuple[Name, int], ...]:
    """For each new NS name how long caches may keep “no such name” in the zone that holds it."""
    found = []
    for host, addresses in (await outside.addresses(new.servers)).items():
        walker = outside.walker()
        cut = await walker.parent_of(host)
        reply = await outside.asker.ask(cut.addresses[0], cut.zone, SOA)
        soa = reply.find(SOA)
        if soa is None:
            raise OutsideFault(
                f"{name_text(cut.zone)}, which holds {name_text(host)} ({addresses[0]}), shows no SOA",
                "does that zone answer?",
            )
        found.append((host, negative_ttl(soa)))
    return tuple(found)
