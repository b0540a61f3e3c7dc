"""Whether a domain is sound: every server authoritative with one version, the same answers to what visitors come for,
glue that leads to where the servers stand, and - under a DS - keys and signatures that hold, down to each answer (RFC
4035 s5).

Computed from what every server said, not from what somebody else's resolver makes of it.
"""

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass

from legatum.core.agreement.variety import Sort, Variety, members
from legatum.core.dnssec.denial import denies
from legatum.core.dnssec.key import ds_set_text, fits
from legatum.core.dnssec.signature import Validity, best_validity, signatures_over, signed_by
from legatum.core.observation.observation import Observation, ParentView, ServerView
from legatum.core.observation.own_link import ds_of, secured
from legatum.core.observation.signers import by_signer, unshared
from legatum.core.records.address import address_text
from legatum.core.records.name import Name, below, is_under, name_text
from legatum.core.records.presentation import rdata_texts
from legatum.core.records.rrset import RRset, targets
from legatum.core.records.rrtype import AAAA, DNSKEY, MX, NSEC, NSEC3, RRSIG, A, type_text
from legatum.core.records.soa import parse_soa, serial_is_newer

_NO_NAME = 3
_HOLDS = (Validity.GOOD, Validity.UNKNOWN)
Varieties = Mapping[tuple[Name, int], Variety]
Words = tuple[str, str, str, bool, str]
"""Party, who, about what, whether all is well, and what it says."""


@dataclass(frozen=True, slots=True)
class Given:
    """What one server or resolver gave for a name and type, asked with signatures. ``rcode``: None for no answer."""

    party: str
    who: str
    address: str
    name: Name
    rtype: int
    outcome: str
    rcode: int | None
    authoritative: bool
    answer: tuple[RRset, ...]
    authority: tuple[RRset, ...]

    def said(self, domain: Name) -> tuple[int | None, frozenset[tuple[Name, int, tuple[bytes, ...]]]]:
        """What must be the same everywhere: the code, and the data of the domain's own names; where an alias leads
        elsewhere is not its."""
        own = [each for each in self.answer if is_under(each.name, domain) and each.rtype != RRSIG]
        return (0 if own else self.rcode), frozenset((each.name, each.rtype, each.rdatas) for each in own)

    @property
    def text(self) -> str:
        shown = [
            f"{each.type_text} {text}" for each in self.answer if each.rtype != RRSIG for text in rdata_texts(each)
        ]
        return ", ".join(shown) or self.outcome

    @property
    def left(self) -> int:
        """The largest TTL in the answer, in seconds."""
        return max((each.ttl for each in self.answer), default=0)


def questions(domain: Name) -> list[tuple[Name, int]]:
    """What visitors come for: the domain itself, its mail, its www."""
    www = below("www", domain)
    return [(domain, A), (domain, AAAA), (domain, MX), (www, A), (www, AAAA)]


def reference(observation: Observation, given: Iterable[Given], key: tuple[Name, int]) -> Given | None:
    """The answer that the others are held against: what most of the servers with the newest version say."""
    fresh = {
        view.address for group in by_signer(observation) for view in group if _serial(view) == newest_serial(group)
    }
    answers = [
        each for each in given if (each.name, each.rtype) == key and each.party == "child" and each.rcode is not None
    ]
    chosen = [each for each in answers if each.address in fresh] or answers
    counts = Counter(each.said(observation.domain) for each in chosen)
    return max(chosen, key=lambda each: counts[each.said(observation.domain)], default=None)


def newest_serial(views: Iterable[ServerView]) -> int | None:
    """Of servers that answer for the domain (RFC 1982)."""
    newest: int | None = None
    for serial in map(_serial, views):
        if serial is not None and (newest is None or serial_is_newer(serial, newest)):
            newest = serial
    return newest


def _serial(view: ServerView) -> int | None:
    return parse_soa(view.soa.rdatas[0]).serial if view.serves and view.soa else None


def _who(view: ServerView | ParentView) -> str:
    return f"{name_text(view.server)} ({view.address})"


def unsound(observation: Observation, given: Sequence[Given], varieties: Varieties | None = None) -> Iterator[Words]:
    """Every check, agreeing ones too. ``given``: each server's and resolver's answers to :func:`questions`;
    ``varieties``: of questions that are answered otherwise from one time, or from one place, to the next."""
    yield from _versions(observation)
    yield from _glue(observation)
    yield from _contents(observation, given, varieties or {})
    yield from _security(observation, given)


def _versions(observation: Observation) -> Iterator[Words]:
    groups = by_signer(observation)
    for view in observation.servers:
        serial, newest = (
            _serial(view),
            newest_serial(next((group for group in groups if view in group), observation.serving)),
        )
        said = (
            view.outcome
            if serial is None
            else f"serial {serial}" + ("" if serial == newest else f", others have {newest}")
        )
        yield "child", _who(view), "version", serial is not None and serial == newest, said


def _glue(observation: Observation) -> Iterator[Words]:
    for view in observation.parents:
        given: dict[Name, set[str]] = {}
        for each in view.glue:
            given.setdefault(each.name, set()).update(map(address_text, each.rdatas))
        for name in targets(view.ns):
            inside = is_under(name, observation.domain)
            if name not in observation.hosts or (not inside and name not in given):
                continue
            own = observation.addresses[name]
            # A parent need not give every address of servers elsewhere.
            right = given.get(name, set()) == own if inside else given.get(name, set()) <= own
            said = ", ".join(sorted(given.get(name, set()))) or "no address"
            said += "" if right else f"; its zone has {', '.join(sorted(own)) or 'none'}"
            yield "parent", _who(view), f"glue of {name_text(name)}", right, said


def varying(observation: Observation, given: Iterable[Given]) -> list[tuple[Name, int]]:
    """Questions to which not everybody gives the same: they are worth asking again."""
    given = list(given)
    found = []
    for key in dict.fromkeys((each.name, each.rtype) for each in given):
        said = {
            each.said(observation.domain)[1]
            for each in given
            if (each.name, each.rtype) == key and each.rcode in (0, _NO_NAME)
        }
        if len(said) > 1:
            found.append(key)
    return found


def _contents(observation: Observation, given: Sequence[Given], varieties: Varieties) -> Iterator[Words]:
    for key in questions(observation.domain):
        meant = reference(observation, given, key)
        about = f"{name_text(key[0])} {type_text(key[1])}"
        for each in given:
            if (each.name, each.rtype) == key:
                same = (
                    meant is not None
                    and each.rcode is not None
                    and each.said(observation.domain) == meant.said(observation.domain)
                )
                said, variety = each.text, varieties.get(key)
                if variety is not None and variety.sort != Sort.STEADY and each.rcode is not None:
                    same = variety.agrees(each.address, members(each.answer))
                    said = (
                        f"{each.text}; {variety.text}"
                        if same
                        else f"{each.text}, which the others do not give; {variety.text}"
                    )
                if each.party == "child":
                    same = same and each.authoritative
                yield each.party, each.who, about, same, said


def _security(observation: Observation, given: Sequence[Given]) -> Iterator[Words]:
    """DS at every parent server alike; under it, at every server, keys that fit and signatures that hold."""
    sets = Counter(view.ds.rdatas if view.ds else () for view in observation.parents if view.ns)
    usual = sets.most_common(1)[0][0] if sets else ()
    for parent in observation.parents:
        held = parent.ds.rdatas if parent.ds else ()
        said = ds_set_text(held) if held or parent.answered else parent.outcome
        proven = parent.ds_absent is not False
        yield (
            "parent",
            _who(parent),
            "DS",
            parent.answered and held == usual and proven,
            said if proven else "no DS, and no proof of that",
        )
    if secured(observation):
        for view in observation.servers:
            wrong = (
                _chain_fault(observation, view)
                or _signature_fault(observation, view, given)
                or _sharing_fault(observation, view)
            )
            yield "child", _who(view), "signatures", not wrong, wrong or "keys fit the DS, signatures hold"


def _chain_fault(observation: Observation, view: ServerView) -> str:
    if view.keys is None:
        return (
            "no DNSKEY, although the parent has a DS"
            if view.serves and DNSKEY not in view.unanswered
            else f"DNSKEY: {view.outcome}"
        )
    trusted = [
        rdata for rdata in view.keys.rdatas if any(fits(observation.domain, ds, rdata) for ds in ds_of(observation))
    ]
    if not trusted:
        return f"no key fits the DS at the parent ({'; '.join(each.text for each in ds_of(observation))})"
    if not signed_by(view.keys, view.signatures.get(DNSKEY), trusted, observation.at):
        return "the keys are not signed by one that the DS names"
    return ""


def _sharing_fault(observation: Observation, view: ServerView) -> str:
    strange = next((other for one, other in unshared(observation.serving) if one is view), None)
    return f"no key here proves the answers of {_who(strange)}" if strange is not None else ""


def _signature_fault(observation: Observation, view: ServerView, given: Sequence[Given]) -> str:
    assert view.keys is not None
    sets = [(each, view.signatures.get(each.rtype)) for each in (view.soa, view.ns) if each is not None]
    for said in given:
        if said.party != "child" or said.address != view.address or said.rcode is None:
            continue
        own = [each for each in said.answer if is_under(each.name, observation.domain) and each.rtype != RRSIG]
        sets += [(each, signatures_over(each.rtype, said.answer, each.name)) for each in own]
        if not own:
            if not denies(said.name, said.rtype, said.authority):
                return f"no proof that there is no {name_text(said.name)} {type_text(said.rtype)}"
            proofs = [each for each in said.authority if each.rtype in (NSEC, NSEC3)]
            sets += [(each, signatures_over(each.rtype, said.authority, each.name)) for each in proofs]
    for rrset, signatures in sets:
        standing, _ = best_validity(rrset, signatures, view.keys, observation.at)
        if standing not in _HOLDS:
            stands = f"the signature is {standing}" if standing is not None else "no signature"
            return f"{name_text(rrset.name)} {rrset.type_text}: {stands}"
    return ""
