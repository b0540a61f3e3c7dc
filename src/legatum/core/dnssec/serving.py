"""What one server gives of a zone's signing: its keys, and which of them sign the key set and the rest, by signatures
that hold."""

from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass, field, replace
from functools import lru_cache
from typing import NamedTuple

from legatum.core.calendar.instant import instant_text
from legatum.core.dnssec.key import ENTRY_POINT, Ds, digest_of, fits, parse_ds, parse_key
from legatum.core.dnssec.signature import Validity, best_validity, check_signature, parse_signature, signatures_over
from legatum.core.dnssec.trust import DsSet, Keys
from legatum.core.records.name import ROOT, Name
from legatum.core.records.presentation import parse_rdata, rdata_text
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import CDNSKEY, CDS, DNSKEY, DS, SOA
from legatum.core.running.fault import OutsideFault

_SHA_256 = 2
_MOST_SIGNATURES = 16  # over one RRset
_KINDS = {CDS: "CDS", CDNSKEY: "CDNSKEY"}


@dataclass(frozen=True, slots=True)
class Asked:
    """The DS set that a server's CDS and CDNSKEY records ask for, by its data; none where they ask for its removal.
    ``by``: the keys whose signatures over them hold; ``wrong``: why they are no request."""

    ds: tuple[bytes, ...]
    by: frozenset[str] = frozenset()
    wrong: str = ""


@dataclass(frozen=True, slots=True)
class ServerKeys:
    """What one server address gives of the zone's signing. ``keys``: None where it serves it unsigned; ``broken``: why
    what it gives does not hold; ``asking``: types by which it asks the registry for a DS; ``entries``: data of the keys
    that sign the key set; ``until``: when the first of the signatures that hold runs out, in seconds since 1970;
    ``data``: of every key, by label; ``unproven``: keys of signatures over the key set, and over the rest, that are not
    in the key set; ``asked``: what it asks the registry for; ``begun``: since when the signatures over the key set as
    it is are valid: nobody had this set long before, unless it was signed anew."""

    keys: Keys | None
    broken: str = ""
    asking: tuple[str, ...] = ()
    entries: tuple[bytes, ...] = ()
    until: float | None = None
    data: Mapping[str, bytes] = field(default_factory=dict)
    unproven: tuple[tuple[str, ...], tuple[str, ...]] = ((), ())
    asked: Asked | None = None
    begun: float | None = None

    @property
    def gives_up(self) -> bool:
        """It asks for the DS set to be removed."""
        return self.asked is not None and not self.asked.ds

    @property
    def made_with(self) -> Keys | None:
        """The keys of all signatures, those that nobody can check yet too."""
        if self.keys is None:
            return None
        entry, zone = (
            tuple(sorted({*had, *more}))
            for had, more in zip((self.keys.entry, self.keys.zone), self.unproven, strict=True)
        )
        return replace(self.keys, entry=entry, zone=zone)


def server_keys(
    domain: Name, keys: RRset | None, soa: RRset | None, signatures: Iterable[RRset], asking: Iterable[int], now: float
) -> ServerKeys:
    """From one server's answers for DNSKEY and SOA. ``signatures``: the RRSIG records of both; ``asking``: CDS and
    CDNSKEY, where given."""
    kinds = tuple(_KINDS[each] for each in sorted(asking, reverse=True))
    if keys is None:
        return ServerKeys(None, "", kinds)
    sections = list(signatures)
    entry = signers(keys, signatures_over(DNSKEY, sections, domain), keys, now)
    zone = signers(soa, signatures_over(SOA, sections, domain), keys, now) if soa is not None else {}
    broken = "" if entry else _why(keys, signatures_over(DNSKEY, sections, domain), keys, "the keys", now)
    if not broken and soa is not None and not zone:
        broken = _why(soa, signatures_over(SOA, sections, domain), keys, "the SOA record", now)
    published = tuple(sorted(label for each in keys.rdatas if (label := key_label(each))))
    told = Keys(published, tuple(sorted(entry)), tuple(sorted(zone)), keys.ttl)
    data = sorted(each.key for each in entry.values())
    until = min((float(each.expires) for each in (*entry.values(), *zone.values())), default=None)
    begun = min((float(each.begins) for each in entry.values()), default=None)
    unproven = _unproven(DNSKEY, sections, domain, published), _unproven(SOA, sections, domain, published)
    by_label = {key_label(each): each for each in keys.rdatas}
    return ServerKeys(told, broken, kinds, tuple(data), until, by_label, unproven, begun=begun)


def _unproven(rtype: int, sections: list[RRset], domain: Name, published: tuple[str, ...]) -> tuple[str, ...]:
    """Of signatures by keys that are not published."""
    few = _few(signatures_over(rtype, sections, domain))
    made = [each for rdata in few.rdatas if (each := parse_signature(rdata)) is not None] if few is not None else []
    return tuple(sorted({f"{each.tag}/{each.algorithm}" for each in made} - set(published)))


class Signer(NamedTuple):
    """A key of which a signature holds: its data, and the validity of the signature that holds longest, in seconds
    since 1970."""

    key: bytes
    begins: int
    expires: int


def signers(signed: RRset, signatures: RRset | None, keys: RRset, now: float) -> dict[str, Signer]:
    """By label."""
    found = dict[str, Signer]()
    by_label = {key_label(each): each for each in keys.rdatas}
    for rdata in few.rdatas if (few := _few(signatures)) is not None else ():
        signature = parse_signature(rdata)
        if signature is not None and check_signature(signed, signature, keys, now) == Validity.GOOD:
            made_by = f"{signature.tag}/{signature.algorithm}"
            told = Signer(by_label[made_by], signature.begins, signature.expires)
            found[made_by] = max(told, found.get(made_by, told), key=lambda each: each.expires)
    return found


def _why(signed: RRset, signatures: RRset | None, keys: RRset, what: str, now: float) -> str:
    """Of none of the signatures that holds, in words."""
    validity, best = best_validity(signed, _few(signatures), keys, now)
    if best is None:
        return f"there is no signature over {what}"
    match validity:
        case Validity.EXPIRED:
            return f"the signatures over {what} ran out at {instant_text(best.expires)}"
        case Validity.EARLY:
            return f"the signatures over {what} begin at {instant_text(best.begins)}: is the clock here right?"
    return f"the signature over {what} by key {best.tag} {validity}"


def _few(signatures: RRset | None) -> RRset | None:
    """Not more than are worth the work: who is asked must not choose how long it takes."""
    return signatures._replace(rdatas=signatures.rdatas[:_MOST_SIGNATURES]) if signatures is not None else None


def entry_points(keys: Iterable[bytes]) -> tuple[bytes, ...]:
    """Of keys that sign a key set those that are meant to have a DS; all, where none says so (RFC 4034 s2.1.1)."""
    every = tuple(keys)
    return tuple(each for each in every if (key := parse_key(each)) and key.flags & ENTRY_POINT) or every


def ds_proves(domain: Name, rdata: bytes, given: ServerKeys) -> bool:
    """The DS is of a key that signs the key set there, digest and all (RFC 4035 s5.2)."""
    ds = parse_ds(rdata)
    return ds is not None and any(fits(domain, ds, key) for key in given.entries)


def holds(domain: Name, anchors: DsSet, given: ServerKeys) -> bool:
    """The DS set matches at the server: one DS is enough, and without any nothing is asked for."""
    if not anchors:
        return True
    return not given.broken and any(ds_proves(domain, each, given) for each in ds_rdatas(anchors))


def key_label(data: bytes) -> str:
    """As :mod:`legatum.core.dnssec.trust` calls keys; empty for data that is none."""
    key = parse_key(data)
    return f"{key.tag}/{key.algorithm}" if key is not None else ""


def ds_of_key(domain: Name, data: bytes) -> bytes:
    """The DS of a key, with a SHA-256 digest (RFC 4509)."""
    key = parse_key(data)
    assert key is not None
    digest = digest_of(domain, data, _SHA_256)
    assert digest is not None
    made = Ds(key.tag, key.algorithm, _SHA_256, digest)
    return made.tag.to_bytes(2) + bytes((made.algorithm, made.digest_type)) + made.digest


def keys_of_ds(domain: Name, ds: Iterable[bytes], keys: Iterable[bytes]) -> tuple[bytes, ...]:
    """The keys that DS records are of, for who wants those instead. Raises :class:`OutsideFault` where one is not
    there."""
    known, wanted = {ds_of_key(domain, each): each for each in keys}, sorted(ds)
    if missing := [each for each in wanted if each not in known]:
        text = anchors_of(missing, 0).text
        raise OutsideFault(
            f"the registry wants the key itself, and that of {text} is not to be had",
            "a SHA-256 DS of a key that is there",
        )
    return tuple(known[each] for each in wanted)


def anchors_of(rdatas: Iterable[bytes], ttl: int) -> DsSet:
    return DsSet(tuple(rdata_text(DS, each) for each in sorted(rdatas)), (), ttl)


@lru_cache(maxsize=8192)
def ds_rdatas(anchors: DsSet) -> tuple[bytes, ...]:
    """The records as a registry holds them."""
    return tuple(sorted(parse_rdata(DS, each, ROOT) for each in anchors.records))


def signs_so(given: ServerKeys, wanted: Keys | None, known: Collection[str]) -> bool:
    """The server signs with these keys, by signatures that hold, or not at all; keys to come are others than those
    ``known``."""
    if wanted is None or given.keys is None:
        return wanted is None and given.keys is None
    made_with = given.made_with
    return not given.broken and made_with is not None and wanted.agree(given.keys, made_with, known)
