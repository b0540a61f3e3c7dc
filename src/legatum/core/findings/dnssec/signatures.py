"""The child's keys and signatures, as a validating resolver would judge them at the time of the observation."""

from collections.abc import Iterator
from typing import NamedTuple

from legatum.core.calendar.instant import people_text
from legatum.core.dnssec.key import fits, parse_key
from legatum.core.dnssec.signature import Signature, Validity, best_validity, signed_by
from legatum.core.findings.finding import Occurrence, Severity, finding
from legatum.core.findings.servers.answering import where
from legatum.core.observation.observation import Observation, ServerView
from legatum.core.observation.own_link import ds_of, secured
from legatum.core.observation.signers import by_signer, unshared
from legatum.core.records.rrtype import DNSKEY, NS, SOA, type_text

_SOON = 3 * 86400
_KEYLESS = ("ds-but-unsigned", "ds-without-key", "ds-digest-wrong")


class _Judged(NamedTuple):
    """One RRset of one server: how its best signature stands."""

    view: ServerView
    rtype: int
    standing: Validity | None
    signature: Signature | None
    ttl: int


def _judged(observation: Observation) -> Iterator[_Judged]:
    for view in observation.serving:
        if view.keys is None:
            continue
        for rtype, rrset in ((SOA, view.soa), (NS, view.ns), (DNSKEY, view.keys)):
            if rrset is not None:
                standing, signature = best_validity(rrset, view.signatures.get(rtype), view.keys, observation.at)
                yield _Judged(view, rtype, standing, signature, rrset.ttl)


def _said(observation: Observation, *standings: Validity | None) -> Iterator[Occurrence]:
    """What was judged so, where validating resolvers look."""
    if not secured(observation):
        return
    for each in _judged(observation):
        if each.standing in standings:
            told = f"{where(each.view)}: the signature over {type_text(each.rtype)}"
            if each.signature is None:
                words = f"{where(each.view)}: no signature over {type_text(each.rtype)}"
            elif each.standing == Validity.EXPIRED:
                words = f"{told} ended at {people_text(each.signature.expires, observation.at)}"
            elif each.standing == Validity.EARLY:
                words = f"{told} begins at {people_text(each.signature.begins, observation.at)}"
            else:
                words = f"{told} by key {each.signature.tag} {each.standing}"
            yield Occurrence(words, each.view.replies, each.view.address)


def concerned(observation: Observation) -> bool:
    return observation.shows_dnssec


@finding(
    "clock-doubtful",
    Severity.ERROR,
    "The clock of this machine may be wrong",
    why="By its time no signature is valid now, while resolvers that check signatures take them: whatever "
    "else is said of signatures, and "
    "every hold, goes by that clock.",
    remedy="Set the clock of this machine by a time server, and look again.",
    standard="RFC 4035 s5.3.1",
)
def clock_doubtful(observation: Observation) -> Iterator[Occurrence]:
    if not secured(observation):
        return
    judged = list(_judged(observation))
    content = [view for view in observation.resolvers if view.rcode == 0 and view.authenticated]
    if judged and content and all(each.standing in (Validity.EXPIRED, Validity.EARLY) for each in judged):
        names = ", ".join(dict.fromkeys(view.name for view in content))
        now = people_text(observation.at, observation.at)
        words = f"it is {now} by this clock, and all {len(judged)} signatures are out of date; {names} takes them"
        yield Occurrence(words, tuple(view.reply for view in content))


@finding(
    "signature-expired",
    Severity.ERROR,
    "Signatures have expired",
    why="Everybody behind a validating resolver gets nothing.",
    remedy=(
        "Have the zone signed anew at once: look for the signer that stopped, or a secondary that no "
        "longer fetches the zone."
    ),
    standard="RFC 4035 s5.3.1",
    after=(*_KEYLESS, "clock-doubtful"),
)
def signature_expired(observation: Observation) -> Iterator[Occurrence]:
    yield from _said(observation, Validity.EXPIRED)


@finding(
    "signature-early", Severity.ERROR, "Signatures are not valid yet",
    why="Everybody behind a validating resolver whose clock is right gets nothing.",
    remedy="Set the signer's clock right, and have signatures begin an hour in the past.",
    standard="RFC 4035 s5.3.1",
    after=(*_KEYLESS, "clock-doubtful"),
)  # fmt: skip
def signature_early(observation: Observation) -> Iterator[Occurrence]:
    yield from _said(observation, Validity.EARLY)


@finding(
    "signature-wrong",
    Severity.ERROR,
    "Signatures do not hold",
    why=(
        "Everybody behind a validating resolver gets nothing: data changed after signing, or the signing key "
        "is not published."
    ),
    remedy=(
        "Have the zone signed anew; check that every server has the same version, and all keys in use are published."
    ),
    standard="RFC 4035 s5.3.3",
    after=_KEYLESS,
)
def signature_wrong(observation: Observation) -> Iterator[Occurrence]:
    yield from _said(observation, Validity.WRONG, Validity.NO_KEY)


@finding(
    "signature-missing", Severity.ERROR, "Signatures are missing in a zone that the parent says is signed",
    why="Everybody behind a validating resolver gets nothing: unsigned data in a signed zone counts as forged.",
    remedy="Sign the whole zone on every server, or take the DS out at the registrar.",
    standard="RFC 4035 s5.2",
    after=_KEYLESS,
)  # fmt: skip
def signature_missing(observation: Observation) -> Iterator[Occurrence]:
    yield from _said(observation, None)
    if secured(observation) and observation.signed:
        for view in observation.serving:
            if view.keys is None and view.keys_asked and not view.signatures and DNSKEY not in view.unanswered:
                yield Occurrence(f"{where(view)}: no keys and no signatures", view.replies, view.address)


@finding(
    "signature-ends-soon",
    Severity.WARNING,
    "Signatures are about to expire",
    why=(
        "When they do, everybody behind a validating resolver gets nothing. Signers renew them days before: "
        "this one has not."
    ),
    remedy="See that the signer runs and that secondaries get the new signatures.",
    standard="RFC 6781 s4.4.2",
    after=("signature-expired",),
)
def signature_ends_soon(observation: Observation) -> Iterator[Occurrence]:
    for each in _judged(observation):
        if (
            each.standing == Validity.GOOD
            and each.signature
            and each.signature.expires - observation.at < max(_SOON, each.ttl)
        ):
            until = people_text(each.signature.expires, observation.at)
            yield Occurrence(
                f"{where(each.view)}: the signature over {type_text(each.rtype)} holds until {until}", each.view.replies
            )


@finding(
    "chain-broken", Severity.ERROR, "The keys are not signed by the key that the parent's DS names",
    why="Without that signature the keys prove nothing: everybody behind a validating resolver gets nothing.",
    remedy="Sign the DNSKEY set with the key whose DS is at the parent, or publish the DS of the key that signs it.",
    standard="RFC 4035 s5.2",
    after=(*_KEYLESS, "signature-expired", "signature-early", "signature-wrong", "signature-missing"),
)  # fmt: skip
def chain_broken(observation: Observation) -> Iterator[Occurrence]:
    for view in observation.serving if secured(observation) else ():
        keys = view.keys
        if keys is None:
            continue
        trusted = [
            rdata for rdata in keys.rdatas if any(fits(observation.domain, ds, rdata) for ds in ds_of(observation))
        ]
        if trusted and not signed_by(keys, view.signatures.get(DNSKEY), trusted, observation.at):
            tags = ", ".join(str(key.tag) for rdata in trusted if (key := parse_key(rdata)))
            yield Occurrence(f"{where(view)}: no good signature over DNSKEY by key {tags}", view.replies, view.address)


@finding(
    "keys-differ",
    Severity.WARNING,
    "The servers publish different keys",
    why="A resolver that takes the keys from one server and data from another finds that they do not fit.",
    remedy=(
        "Bring the zone to the same version on all servers; with two signing providers let each publish "
        "the other's keys."
    ),
    standard="RFC 8901 s2.1",
    after=("serials-differ", "signature-missing", "ds-but-unsigned", "keys-not-shared"),
)
def keys_differ(observation: Observation) -> Iterator[Occurrence]:
    given: dict[tuple[bytes, ...], list[ServerView]] = {}
    for view in observation.serving if len(by_signer(observation)) == 1 else ():
        if view.keys_asked and DNSKEY not in view.unanswered and (observation.signed or observation.ds):
            given.setdefault(view.keys.rdatas if view.keys else (), []).append(view)
    if len(given) > 1:
        for rdatas, views in given.items():
            tags = ", ".join(str(key.tag) for rdata in rdatas if (key := parse_key(rdata))) or "none"
            yield Occurrence(f"{', '.join(where(view) for view in views)}: keys {tags}")


@finding(
    "keys-not-shared",
    Severity.ERROR,
    "A server publishes no key with which another signs its answers",
    why="A resolver that has the keys of the one and gets an answer of the other takes it for forged.",
    remedy="Where two providers sign, have each put the other's zone keys into its key set; else bring the "
    "zone to the same version on all "
    "servers. Until then take one of them out of the NS set.",
    standard="RFC 8901 s2.1",
    after=(*_KEYLESS, "signature-missing"),
)
def keys_not_shared(observation: Observation) -> Iterator[Occurrence]:
    for one, other in unshared(observation.serving) if secured(observation) else ():
        yield Occurrence(f"{where(one)}: no key of the signatures that {where(other)} gives", one.replies, one.address)


@finding(
    "island-broken", Severity.WARNING, "The zone's signatures do not hold; the parent has no DS yet",
    why="Nobody notices as long as there is no DS. Publishing one now would take the domain off the internet for many.",
    remedy="Publish no DS before every signature on every server holds.",
    standard="RFC 4035 s5.3",
)  # fmt: skip
def island_broken(observation: Observation) -> Iterator[Occurrence]:
    if secured(observation):
        return
    for each in _judged(observation):
        if each.standing not in (Validity.GOOD, Validity.UNKNOWN):
            stands = each.standing or "missing"
            yield Occurrence(
                f"{where(each.view)}: the signature over {type_text(each.rtype)} is {stands}", each.view.replies
            )
