"""One RRset of a zone changed, as a person says it."""

from dataclasses import dataclass

from legatum.core.fault import BadInput
from legatum.core.records.name import Name, is_under, name_text
from legatum.core.records.presentation import typed_rdata
from legatum.core.records.rrset import rrset
from legatum.core.records.rrtype import CNAME, NSEC, RRSIG, SOA, type_text
from legatum.core.zones.signer import PROOFS
from legatum.core.zones.zone import Zone


@dataclass(frozen=True)
class Amendment:
    """``way``: ``set`` the data, ``add`` to them, ``drop`` some of them, ``clear`` the set, or ``keep`` the data and change the TTL alone.
    ``ttl`` in seconds, None for the present one. ``instead``: an alias there gives way to data, or data to an alias."""

    name: Name
    rtype: int
    way: str
    data: tuple[str, ...] = ()
    ttl: int | None = None
    instead: bool = False


def amended(zone: Zone, amendment: Amendment) -> Zone:
    """The zone after the change, its serial not raised yet. Raises :class:`BadInput` for what cannot be meant."""
    name, rtype = amendment.name, amendment.rtype
    what = f"{name_text(name)} {type_text(rtype)}"
    if not is_under(name, zone.origin):
        raise BadInput(f"{name_text(name)} is not in the zone {name_text(zone.origin)}", "give a name of the zone, or one relative to it")
    if rtype in PROOFS:
        raise BadInput(f"{type_text(rtype)} is made by whoever signs the zone", "change the data: the signer makes the rest anew")
    if rtype == SOA:
        raise BadInput("the SOA is not amended like this", "--serial takes the zone to another serial")
    present = zone.get(name, rtype)
    given = _given(amendment, zone.origin)
    held = set(present.rdatas) if present else set()
    match amendment.way:
        case "clear" | "keep" if present is None:
            raise BadInput(f"there is no {what}", "`legatum gather DOMAIN --from PROVIDER` shows what there is")
        case "drop" if given - held:
            raise BadInput(
                f"{what} does not hold that", f"it holds {len(held)} records; `legatum gather DOMAIN --from PROVIDER` shows them"
            )
        case "clear":
            wanted = set[bytes]()
        case "drop":
            wanted = held - given
        case "keep":
            wanted = held
        case "add":
            wanted = held | given
        case _:
            wanted = given
    if not wanted:
        return zone.without([(name, rtype)])
    rivals = [each for each in zone.at(name) if CNAME in (rtype, each.rtype) and each.rtype not in (rtype, RRSIG, NSEC)]
    if rivals and not amendment.instead:
        kinds = ", ".join(each.type_text for each in rivals)
        raise BadInput(f"{name_text(name)} has {kinds}, and nothing can stand beside an alias", "say --instead to put this in its place")
    if any(each.name == zone.origin for each in rivals):
        raise BadInput("the domain itself cannot be an alias", "SOA and NS stand there: give it the addresses the alias would lead to")
    zone = zone.without((each.name, each.rtype) for each in rivals)
    ttl = amendment.ttl if amendment.ttl is not None else present.ttl if present else zone.usual_ttl(name)
    return zone.with_rrsets([rrset(name, rtype, ttl, wanted)])


def _given(amendment: Amendment, origin: Name) -> set[bytes]:
    """The records that were typed. Raises :class:`BadInput`, with what to do where a shell has taken one apart at its spaces."""
    try:
        return {typed_rdata(amendment.rtype, text, origin) for text in amendment.data}
    except BadInput as fault:
        whole = " ".join(amendment.data)
        try:
            typed_rdata(amendment.rtype, whole, origin)
        except BadInput:
            raise fault from None
        raise BadInput(fault.message, f"each record is one word for the shell: put it between quotation marks, '{whole}'") from None
