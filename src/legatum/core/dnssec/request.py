"""What a zone asks its parent for, by CDS and CDNSKEY records, and whether a parent would act on it (RFC 7344, RFC
8078, RFC 9615)."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from legatum.core.dnssec.key import parse_key
from legatum.core.dnssec.serving import Asked, ServerKeys, anchors_of, ds_of_key, ds_proves, signers
from legatum.core.dnssec.signature import signatures_over
from legatum.core.dnssec.trust import DsSet
from legatum.core.records.name import Name, below, name_text
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import CDNSKEY, CDS
from legatum.core.running.fault import GateShut

_NO_DS, _NO_KEY = (b"\0\0\0\0", b"\0\0\0\0\0"), b"\0\0\3\0\0"  # RFC 8078 s4, as corrected by erratum 5049
_LONGEST_NAME = 255


@dataclass(frozen=True, slots=True)
class Request:
    """The DS set that the zone asks for, by its data; none at all where it ``removes`` what there is. ``why``: what
    shows that it is the zone's own."""

    ds: tuple[bytes, ...]
    why: str

    @property
    def removes(self) -> bool:
        return not self.ds

    @property
    def records(self) -> tuple[str, ...]:
        return anchors_of(self.ds, 0).records


def asked_at(
    domain: Name,
    sets: Iterable[RRset],
    sections: Sequence[RRset],
    keys: RRset | None,
    now: float,
    owner: Name | None = None,
) -> Asked | None:
    """Of one server: its CDS and CDNSKEY sets. ``sections``: the signatures over them; ``keys``: of the zone that they
    stand in, and ``owner``: the name, where that is not the domain. None where it asks for nothing."""
    given = {each.rtype: each for each in sets}
    if not given:
        return None
    named = dict[int, tuple[bytes, ...]]()
    if CDS in given:
        named[CDS] = () if set(given[CDS].rdatas) <= set(_NO_DS) else given[CDS].rdatas
    if CDNSKEY in given:
        gone = given[CDNSKEY].rdatas == (_NO_KEY,)
        named[CDNSKEY] = (
            () if gone else tuple(sorted(ds_of_key(domain, each) for each in given[CDNSKEY].rdatas if parse_key(each)))
        )
    signed = ((each, signatures_over(each.rtype, sections, owner or domain)) for each in given.values())
    by = [frozenset(signers(each, over, keys, now) if keys else ()) for each, over in signed]
    ds = named.get(CDS, named.get(CDNSKEY, ()))
    differ = len(named) == 2 and not _alike(named[CDS], named[CDNSKEY])
    return Asked(
        ds, frozenset.intersection(*by), "CDS and CDNSKEY do not name the same keys (RFC 7344 s4)" if differ else ""
    )


def _alike(cds: tuple[bytes, ...], cdnskey: tuple[bytes, ...]) -> bool:
    """They name the same keys, by tag and algorithm; the digests of a CDS may be of several types."""
    return {each[:3] for each in cds} == {each[:3] for each in cdnskey}


def request_of(domain: Name, given: Mapping[str, ServerKeys], anchors: DsSet) -> Request:
    """What the servers ask for together. ``given``: address → what it gives; ``anchors``: the DS set that is there.
    Raises :class:`GateShut` for what a parent should not act on."""
    text = name_text(domain)
    asked = {address: each.asked for address, each in given.items()}
    if not any(asked.values()):
        raise GateShut(
            f"no server of {text} asks for anything: neither CDS nor CDNSKEY", "the signer has to publish them"
        )
    if silent := [address for address, each in asked.items() if each is None]:
        raise GateShut(
            f"{silent[0]} hands out neither CDS nor CDNSKEY, and others do", "wait until all servers have them"
        )
    every = [each for each in asked.values() if each is not None]
    if wrong := next((each.wrong for each in every if each.wrong), ""):
        raise GateShut(f"{text}: {wrong}", "have the signer publish both for the same keys, or one of them")
    if len({each.ds for each in every}) > 1:
        raise GateShut(f"the servers of {text} do not ask for the same", "wait until they do")
    ds = every[0].ds
    for address, each in given.items():
        if each.broken or each.keys is None or each.asked is None:
            raise GateShut(
                f"{address}: {each.broken or 'it serves the zone unsigned'}",
                f"the chain whole: `legatum ds show {text}`",
            )
        trusted = anchors.labels & set(each.keys.published) if anchors else set(each.keys.published)
        if not each.asked.by & trusted:
            whom = "a key that the parent has a DS for" if anchors else "a key of the zone"
            raise GateShut(
                f"{address}: what asks for a DS is not signed by {whom} (RFC 7344 s4.1)",
                "do not act on it; look at the signer",
            )
        if ds and not any(ds_proves(domain, rdata, each) for rdata in ds):
            said = (
                f"{address}: {anchors_of(ds, 0).text} is asked for, and fits no key there that signs the key "
                "set (RFC 7344 s4.1)"
            )
            raise GateShut(said, "it would be bogus: look at the signer")
    by = ", ".join(sorted(frozenset.intersection(*(one.by for one in every))))
    return Request(ds, f"asked for at all {len(every)} addresses, signed by {by}")


def signal_name(domain: Name, host: Name) -> Name | None:
    """Where a name server's operator says that a zone's first request is its own (RFC 9615 s2); None where the name
    would be too long, or the server lies in the zone itself."""
    front = domain[:-1] + below("_signal", host)
    name = Name(b"\x07_dsboot" + front)
    return None if len(name) > _LONGEST_NAME or (host + b"").endswith(domain) else name


def refuse_first(request: Request, signals: Mapping[Name, tuple[str, tuple[bytes, ...] | None]]) -> str:
    """Why a first DS is not to be put in by its request alone; empty where every server's operator confirms it.
    ``signals``: name server → the state of the zone that it is in, and what is asked for at its signalling name, by
    signatures that hold."""
    if not signals:
        return "no name server lies outside the zone, so nobody can confirm it (RFC 9615 s4.2)"
    for host, (state, ds) in signals.items():
        if state != "connected and valid":
            return (
                f"{name_text(host)} lies in a zone that is {state}: what it says of others is nobody's word "
                "(RFC 9615 s4.2)"
            )
        if ds is None:
            return f"{name_text(host)} says nothing of the zone under its signalling name (RFC 9615 s4.2)"
        if set(ds) != set(request.ds):
            return f"{name_text(host)} says something else of the zone under its signalling name (RFC 9615 s4.2)"
    return ""
