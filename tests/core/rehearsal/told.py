"""A stage made again from nothing but the document of a rehearsal, for checkers of another make."""

from typing import Any

from legatum.core.dnssec.trust import DsSet, Keys
from legatum.core.moves.place import KnownHost, Place, Premises, Served
from legatum.core.moves.timeline import FOREVER, Content, Period, Timeline, ValueHistory
from legatum.core.records.name import Name, parse_domain
from legatum.core.records.presentation import parse_rdata
from legatum.core.records.rrset import rrset
from legatum.core.records.rrtype import parse_type
from legatum.core.rehearsal import Playback

Document = dict[str, Any]


def told_stages(document: Document) -> dict[str, Playback]:
    """By schedule."""
    premises, ground = _premises(document), document["ground"]
    copies = tuple((follower, parse_domain(zone), primary) for follower, zone, primary in ground["copies"])
    return {
        each["schedule"]: Playback(premises, _timeline(each), document["lag"], document["floor"], copies)
        for each in document["timelines"]
    }


def _premises(document: Document) -> Premises:
    ground = document["ground"]
    places = tuple(
        Place(name, {parse_domain(host): tuple(addresses) for host, addresses in servers.items()})
        for name, servers in ground["servers"].items()
    )
    served = tuple(
        Served(places[0].name, parse_domain(zone), (), negative, ground["longest_ttls"][zone])
        for zone, negative in ground["negative_ttls"].items()
    )
    hosts = tuple(
        KnownHost(parse_domain(host), each["since"], each["negative_ttl"])
        for host, each in ground["known_hosts"].items()
    )
    return Premises(parse_domain(ground["parent_zone"]), "", places, served, hosts, unsigned="told")


def _timeline(told: Document) -> Timeline:
    def data(name: Name, rtype: int, each: Document) -> Any:
        return (
            None
            if each["data"] is None
            else rrset(name, rtype, each["ttl"], [parse_rdata(rtype, one, name) for one in each["data"]])
        )

    def keys(each: Document) -> Keys | None:
        roles = (tuple(each[role] or ()) for role in ("published", "sign_keys", "sign_rest"))
        return None if each["published"] is None else Keys(*roles, each["ttl"])

    timeline = Timeline()
    for one in told["rrsets"]:
        zone, name, rtype = parse_domain(one["zone"]), parse_domain(one["name"]), parse_type(one["type"])
        timeline.rrsets[one["place"], zone, name, rtype] = _track(
            one, lambda each, name=name, rtype=rtype: data(name, rtype, each)
        )
    for one in told["zones"]:
        timeline.served[one["place"], parse_domain(one["zone"])] = _track(one, lambda each: Content(each["content"]))
    for one in told["servers"]:
        timeline.answering[one["address"]] = _track(one, lambda each: each["place"])
    for one in told["services"]:
        timeline.services[one["address"]] = _track(one, lambda each: each["works"])
    for one in told["signing"]:
        timeline.signed[one["place"], parse_domain(one["zone"])] = _track(one, keys)
    for one in told["ds"]:
        timeline.ds_sets[parse_domain(one["domain"])] = _track(one, lambda each: _anchors(each["keys"], each["ttl"]))
    return timeline


def _anchors(labels: list[str], ttl: int) -> DsSet:
    known = tuple(f"{each.replace('/', ' ')} 2 00" for each in labels if "/" in each)
    to_come = [each for each in labels if "/" not in each]
    places = tuple(each.partition(" of ")[2].partition(",")[0] for each in to_come)
    algorithm = next((int(each.rpartition(" ")[2]) for each in to_come if ", algorithm " in each), 0)
    return DsSet(known, places, ttl, any("new key" in each for each in to_come), algorithm)


def _track(one: Document, value: Any) -> ValueHistory[Any]:
    track: ValueHistory[Any] = ValueHistory(None)
    periods = [
        (
            Period(_instant(each["begins"], -FOREVER), _instant(each["ends"], FOREVER), value(each), each["step"]),
            each["beside"],
        )
        for each in one["periods"]
    ]
    track._periods = [period for period, beside in periods if not beside]
    track._beside = [period for period, beside in periods if beside]
    return track


def _instant(told: float | None, otherwise: float) -> float:
    return otherwise if told is None else told
