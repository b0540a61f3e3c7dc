"""One RRset of a zone changed, as a person says it."""

from dataclasses import dataclass

from legatum.core.records.name import Name, is_under, name_text
from legatum.core.records.presentation import rdata_text, typed_rdata
from legatum.core.records.rrset import RRset, names_in, rrset, strings_of
from legatum.core.records.rrtype import AAAA, CAA, CNAME, MX, NSEC, RRSIG, SOA, TXT, A, type_text
from legatum.core.running.fault import BadInput
from legatum.core.zones.signer import PROOFS
from legatum.core.zones.zone import Zone

ADDRESSED = (A, AAAA)
_MARKS = ((b"v=spf1", "the SPF record"), (b"v=dmarc1", "the DMARC record"))


@dataclass(frozen=True)
class Amendment:
    """``way``: ``set`` the data, ``add`` to them, ``drop`` some of them, ``clear`` the set, or ``keep`` the data and
    change the TTL alone. ``ttl`` in seconds, None for the present one. ``instead``: an alias there gives way to data,
    or data to an alias."""

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
        raise BadInput(
            f"{name_text(name)} is not in the zone {name_text(zone.origin)}",
            "give a name of the zone, or one relative to it",
        )
    if rtype in PROOFS:
        raise BadInput(
            f"{type_text(rtype)} is made by whoever signs the zone", "change the data: the signer makes the rest anew"
        )
    if rtype == SOA:
        raise BadInput("the SOA is not amended like this", "--serial takes the zone to another serial")
    present = zone.get(name, rtype)
    given = _given(amendment, zone.origin)
    held = set(present.rdatas) if present else set()
    match amendment.way:
        case "clear" | "keep" if present is None:
            raise BadInput(
                f"there is no {what}", f"`legatum gather {name_text(zone.origin)} --from PROVIDER` shows what there is"
            )
        case "drop" if given - held:
            raise BadInput(
                f"{what} does not hold that",
                f"it holds {len(held)} records; `legatum gather {name_text(zone.origin)} --from PROVIDER` shows them",
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
        raise BadInput(
            f"{name_text(name)} has {kinds}, and nothing can stand beside an alias",
            "say --instead to put this in its place",
        )
    if any(each.name == zone.origin for each in rivals):
        raise BadInput(
            "the domain itself cannot be an alias",
            "SOA and NS stand there: give it the addresses the alias would lead to",
        )
    zone = zone.without((each.name, each.rtype) for each in rivals)
    ttl = amendment.ttl if amendment.ttl is not None else present.ttl if present else zone.usual_ttl(name)
    return zone.with_rrsets([rrset(name, rtype, ttl, wanted)])


def losses(before: Zone, after: Zone, amendment: Amendment) -> list[str]:
    """What a changed set no longer has, and would be missed: who may send mail, who takes it, who may issue
    certificates, the last address of a name that something leads to. In words; nothing where it was said that it
    goes."""
    key = (amendment.name, amendment.rtype)
    had, has = before.get(*key), after.get(*key)
    found, name = list[str](), name_text(amendment.name)
    if had is None:
        return found
    if amendment.way == "set":
        gone = set(had.rdatas) - set(has.rdatas if has is not None else ())
        for mark, what in _MARKS if amendment.rtype == TXT else ():
            if any(_begins(each, mark) for each in gone) and not any(
                _begins(each, mark) for each in (has.rdatas if has is not None else ())
            ):
                found.append(f"{what} of {name}")
        if amendment.rtype in (MX, CAA) and gone:
            found.append(
                f"{type_text(amendment.rtype)} "
                f"{', '.join(rdata_text(amendment.rtype, each) for each in sorted(gone))} of {name}"
            )
    if amendment.rtype in ADDRESSED and not any(after.get(amendment.name, rtype) for rtype in (*ADDRESSED, CNAME)):
        users = sorted(
            f"{name_text(each.name)} {each.type_text}"
            for each in after
            if each.rtype != SOA and _leads_to(each, amendment.name)
        )
        found += [f"the last address of {name}, to which {', '.join(users[:3])} leads"] if users else []
    return found


def _leads_to(each: RRset, name: Name) -> bool:
    return any(name in names_in(each.rtype, rdata) for rdata in each.rdatas)


def _begins(rdata: bytes, mark: bytes) -> bool:
    text = b"".join(strings_of(rdata)).lower()
    return text == mark or text.startswith((mark + b" ", mark + b";"))


def _given(amendment: Amendment, origin: Name) -> set[bytes]:
    """The records that were typed. Raises :class:`BadInput`, with what to do where a shell has taken one apart at its
    spaces."""
    if (
        amendment.rtype == TXT
        and len(amendment.data) > 1
        and not any(set(each) & set(' "=') for each in amendment.data)
    ):
        whole = " ".join(amendment.data)
        raise BadInput(
            f"one text or {len(amendment.data)}? A shell takes it apart at its spaces",
            f"one: '{whole}'; {len(amendment.data)} records: " + " ".join(f"'\"{each}\"'" for each in amendment.data),
        )
    try:
        return {typed_rdata(amendment.rtype, text, origin) for text in amendment.data}
    except BadInput as fault:
        whole = " ".join(amendment.data)
        try:
            typed_rdata(amendment.rtype, whole, origin)
        except BadInput:
            raise fault from None
        raise BadInput(
            fault.message, f"each record is one word for the shell: put it between quotation marks, '{whole}'"
        ) from None
