"""What was handed out, kept for the domain, whichever move or command saw or changed it, so that every plan and every
answer counts it: before a change is sent, and whenever a look sees something."""

from collections.abc import Collection, Iterable, Mapping
from contextlib import suppress
from dataclasses import replace
from typing import NamedTuple

from legatum.core.agreement.soundness import Given
from legatum.core.dnssec.chain import Chain, State, broken_since
from legatum.core.dnssec.serving import ServerKeys, ds_rdatas, server_keys
from legatum.core.dnssec.signature import parse_signature
from legatum.core.dnssec.trust import DsSet
from legatum.core.findings.finding import Finding
from legatum.core.memory.copies import HeldCopy, copies
from legatum.core.memory.given import OWN_SERVERS, GivenSet, Look, absent, seen_of
from legatum.core.memory.keys import KeyState, is_signing, key_states, seen_keys, signing_at
from legatum.core.memory.tracked import FOLLOWS, TrackedName, seen_tracked, tracked_names
from legatum.core.moves.place import ADDRESSES, PARENT, RRsetKey
from legatum.core.observation.observation import Observation, ServerView
from legatum.core.records.name import Name, is_under
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import ALIAS, CNAME, DNSKEY, DS, NS, SOA, A
from legatum.core.records.soa import negative_ttl
from legatum.core.running.fault import Fault
from legatum.core.zones.zone import Zone
from legatum.journal.journal import Surveyed
from legatum.services.provider import server_names
from legatum.work.run_context import RunContext

SIGNING = "the chain of trust"  # the place of entries that say in which state it was
Changed = tuple[RRset | None, RRset | None]
"""What an RRset was and becomes; None where there is none."""


def held_copies(context: RunContext, domain: Name) -> list[HeldCopy]:
    """Everything that is remembered of a domain, as caches may hold it."""
    memory = (
        each
        for each in context.journal.memory(domain)
        if each.place not in (SIGNING, FOLLOWS) and not is_signing(each.place)
    )
    return copies(memory, context.clock.now())


def note_zone(context: RunContext, place: str, zone: Zone) -> None:
    """All that a place has of a zone now."""
    sets = [each for each in zone.unsorted if each.rtype != SOA]
    seen = (*seen_of(place, sets), _no_such_name(place, zone))
    context.journal.remember(Look(zone.origin, context.clock.now(), seen, whole=frozenset([place])))


def note_gathered(context: RunContext, place: str, zone: Zone) -> None:
    """What was found of a zone by asking: there may be more. ``place``: empty where nobody knows whose servers they
    are."""
    sets = [each for each in zone.unsorted if each.rtype != SOA]
    with suppress(Fault):  # where nothing can be kept the looking is none the worse
        context.journal.remember(Look(zone.origin, context.clock.now(), tuple(seen_of(place, sets))))


def note_seen_at(context: RunContext, place: str, zone: Zone, keys: Iterable[RRsetKey] = ()) -> None:
    """What a place has now of ``keys``, and of everything that is remembered of it, where that is something else."""
    remembered = {
        (each.name, each.rtype)
        for each in context.journal.memory(zone.origin)
        if each.gone is None and each.place in (place, "")
    }
    known = {key for key in (*keys, *remembered) if is_under(key[0], zone.origin) and key[1] not in (SOA, DS)}
    seen = (*seen_of(place, (zone.get(*key) for key in known)), _no_such_name(place, zone))
    ends = frozenset((place, *key) for key in (*known, (zone.origin, SOA)))
    context.journal.remember(Look(zone.origin, context.clock.now(), seen, ends))


def note_before(
    context: RunContext, place: str, domain: Name, changes: Iterable[Changed], negative: int | None = None
) -> None:
    """A change is about to be sent: what is given now, and what may be given from now on, whatever becomes of it.
    ``negative``: how long *no such name* is kept."""
    seen = list[GivenSet]()
    for before, after in changes:
        seen += seen_of(place, (before, after))
        if before is None and after is not None and negative is not None:
            seen.append(absent(place, after.name, after.rtype, negative))
    context.journal.remember(Look(domain, context.clock.now(), tuple(seen)))


def note_after(context: RunContext, place: str, domain: Name, changes: Iterable[Changed], at: float) -> None:
    """A change was seen on every server of the place."""
    changes = list(changes)
    keys = {(place, one.name, one.rtype) for each in changes for one in each if one is not None}
    keys |= {(FOLLOWS, one.name, ALIAS) for one in map(_readdressed, changes) if one is not None}
    context.journal.remember(Look(domain, at, tuple(seen_of(place, (after for _, after in changes))), frozenset(keys)))


def _readdressed(change: Changed) -> RRset | None:
    """Addresses that are others now: of their own from here on, until somebody looks after them again."""
    before, after = change
    if (
        before is None
        or before.rtype not in ADDRESSES
        or (after is not None and set(before.rdatas) == set(after.rdatas))
    ):
        return None
    return before


def note_ended(context: RunContext, place: str, domain: Name, at: float) -> None:
    """The place serves the zone no longer."""
    context.journal.remember(Look(domain, at, whole=frozenset([place])))


def note_handed_out(context: RunContext, domain: Name, sets: Iterable[RRset | None], rtype: int = NS) -> None:
    """What every server of the parent zone that answered handed out for the domain."""
    seen = tuple(dict.fromkeys(seen_of(PARENT, sets)))
    context.journal.remember(Look(domain, context.clock.now(), seen, frozenset([(PARENT, domain, rtype)])))


def note_ds(context: RunContext, domain: Name, handed: Iterable[DsSet]) -> None:
    """The DS sets that the servers of the parent zone handed out."""
    sets = [rrset(domain, DS, each.ttl, ds_rdatas(each)) for each in handed if each.records]
    with suppress(Fault):  # a rehearsal needs no journal that can be written
        note_handed_out(context, domain, sets, DS)


def note_keys(context: RunContext, place: str, domain: Name, given: Iterable[ServerKeys], whole: bool) -> None:
    """With which keys a place's servers sign, also with some that are in no key set, where that holds: what is bogus no
    cache keeps. ``whole``: all of them answered."""
    with suppress(Fault):  # as for DS sets
        context.journal.remember(Look(domain, context.clock.now(), *_signed(place, domain, given, whole)))


def _signed(
    place: str, domain: Name, given: Iterable[ServerKeys], whole: bool
) -> tuple[tuple[GivenSet, ...], frozenset[tuple[str, Name, int]]]:  # fmt: skip
    given = list(given)
    seen = tuple(dict.fromkeys(seen_keys(place, domain, each.made_with) for each in given if not each.broken))
    return seen, frozenset([(signing_at(place), domain, DNSKEY)]) if whole and given else frozenset()


def remembered_keys(context: RunContext, place: str, domain: Name) -> list[KeyState]:
    """With which keys the place was seen to sign, oldest first."""
    return key_states(context.journal.memory(domain), place, domain)


def _no_such_name(place: str, zone: Zone) -> GivenSet:
    return absent(place, zone.origin, SOA, negative_ttl(zone.soa_rrset))


class Note(NamedTuple):
    """What is to be kept of a look at a domain. ``surveyed``: what it came to, None where it was not judged; ``ours``:
    the house looks after it, else it is kept only where something is remembered of it."""

    look: Look
    surveyed: Surveyed | None
    ours: bool = True


def note_of(observation: Observation, findings: Iterable[Finding] | None, ours: Mapping[Name, str]) -> Note | None:
    """None for a domain that the house does not look after. ``ours``: the name servers of its providers
    (:func:`our_servers`)."""
    own = any(host in ours for host in (*observation.delegation, *observation.own_ns))
    if not own and observation.serving:
        return None
    slugs = None if findings is None else {each.kind.slug: str(each.kind.severity) for each in findings}
    surveyed = (
        None if slugs is None else Surveyed(observation.domain, observation.at, slugs, _signed_until(observation))
    )
    return Note(_looked(observation, ours), surveyed, own)


def keep_notes(context: RunContext, notes: Collection[Note]) -> None:
    kept = [each for each in notes if each.ours or context.journal.memory(each.look.domain)]
    if kept:
        context.journal.remember(*(each.look for each in kept))
        context.journal.surveyed([each.surveyed for each in kept if each.surveyed is not None])


def _signed_until(observation: Observation) -> float | None:
    ends = [
        one.expires
        for view in observation.serving
        for each in view.signatures.values()
        for rdata in each.rdatas
        if (one := parse_signature(rdata)) is not None
    ]
    return min(ends, default=None)


def note_look(context: RunContext, observation: Observation, given: Iterable[Given]) -> None:
    """Of a domain that the house looks after, what its servers gave beside what a survey asks."""
    note = note_of(observation, None, ours := our_servers(context))
    if note is None or not note.ours:
        return
    places = {view.address: ours.get(view.server, OWN_SERVERS) for view in observation.serving}
    sets = [
        (places[each.address], one)
        for each in given
        if each.authoritative and each.address in places
        for one in each.answer
        if one.rtype in (each.rtype, CNAME) and is_under(one.name, observation.domain)
    ]
    seen = (*note.look.seen, *(one for place, each in sets for one in seen_of(place, [each])))
    known = note.look.known | {(place, each.name, each.rtype) for place, each in sets}
    keep_notes(context, [Note(note.look._replace(seen=seen, known=frozenset(known)), None)])


def our_servers(context: RunContext) -> dict[Name, str]:
    """The name servers of the providers of the settings, and whose they are."""
    sections = {**context.settings.secondaries, **context.providers}
    return {host: name for name, section in sections.items() for host in server_names(section.servers)}


def _looked(observation: Observation, ours: Mapping[Name, str]) -> Look:
    """What the parent's and the domain's own servers gave. Names elsewhere, to which mail or www lead, come out of
    resolvers, with what is left of a TTL."""
    domain, seen, known = observation.domain, dict[GivenSet, None](), set[tuple[str, Name, int]]()

    def saw(place: str, each: RRset | None) -> None:
        if each is not None:
            seen.update(dict.fromkeys(seen_of(place, [each])))
            known.add((place, each.name, each.rtype))

    for above in observation.parents:
        saw(PARENT, above.ns)
        saw(PARENT, above.ds)
    heard = [each for each in observation.parents if each.answered]
    if heard and len(heard) == len(observation.parents):
        known |= {(PARENT, domain, NS), (PARENT, domain, DS)}
    places = {ours.get(view.server, OWN_SERVERS) for view in observation.serving}
    for view in observation.serving:
        saw(place := ours.get(view.server, OWN_SERVERS), view.ns)
        if view.soa is not None:
            seen[absent(place, domain, SOA, negative_ttl(view.soa))] = None
            known.add((place, domain, SOA))
    for each in observation.contents.values():
        if each is not None and is_under(each.name, domain) and places:
            saw(min(places) if len(places) == 1 else OWN_SERVERS, each)
    for place in places:
        views = [view for view in observation.serving if ours.get(view.server, OWN_SERVERS) == place]
        asked = [view for view in views if view.keys_asked and DNSKEY not in view.unanswered]
        keys, ended = _signed(place, domain, (_keys_of(observation, view) for view in asked), len(asked) == len(views))
        seen.update(dict.fromkeys(keys))
        known |= ended
    led = {ours.get(each, OWN_SERVERS) for each in (*observation.delegation, *observation.own_ns)}
    led |= {PARENT, SIGNING, FOLLOWS, *map(signing_at, led)}
    return Look(
        domain, observation.at, tuple(seen), frozenset(known), led=frozenset(led) if observation.delegation else None
    )


def _keys_of(observation: Observation, view: ServerView) -> ServerKeys:
    return server_keys(observation.domain, view.keys, view.soa, view.signatures.values(), (), observation.at)


def note_chain(context: RunContext, chain: Chain) -> Chain:
    """In which state the domain's own link was seen; with the chain, since when it is broken."""
    link = chain.links[-1]
    if link.state != State.UNKNOWN:
        note_state(context, link.zone, link.state, context.clock.now())
    ours = our_servers(context)
    for place in dict.fromkeys(ours[each.server] for each in link.servers if each.server in ours):
        there = [each for each in link.servers if ours.get(each.server) == place]
        note_keys(
            context,
            place,
            link.zone,
            (each.given for each in there if each.answered),
            all(each.answered for each in there),
        )
    seen = [(each.data, each.first, each.last) for each in context.journal.memory(link.zone) if each.place == SIGNING]
    return replace(chain, since=broken_since(seen))


def note_tracked(context: RunContext, zone: Name, name: Name, target: Name) -> None:
    """From now on the name is to have the addresses of the target."""
    seen = seen_tracked(name, target)
    context.journal.remember(Look(zone, context.clock.now(), (seen,), frozenset([(FOLLOWS, name, seen.rtype)])))


def tracked_in(context: RunContext, domain: Name) -> list[TrackedName]:
    return tracked_names(context.journal.memory(domain))


def note_state(context: RunContext, zone: Name, state: State, at: float) -> None:
    """Of its link in the chain of trust."""
    context.journal.remember(Look(zone, at, (GivenSet(SIGNING, zone, DS, 0, state),), frozenset([(SIGNING, zone, DS)])))


def note_hosts(context: RunContext, hosts: Iterable[Name], at: float) -> dict[Name, float]:
    """These name servers were seen with their addresses; since when the house knows of that, for each."""
    since = {}
    for host in hosts:
        context.journal.remember(Look(host, at, (GivenSet(OWN_SERVERS, host, A, 0),)))
        since[host] = min(each.first for each in context.journal.memory(host) if each.name == host and each.rtype == A)
    return since


def known_since(context: RunContext, domain: Name, host: Name) -> float | None:
    """Since when a name of the domain is known to have had an address without a break; None where nobody has looked."""
    own = [
        each
        for each in held_copies(context, domain)
        if each.name == host and each.rtype in ADDRESSES and each.place != PARENT
    ]
    rows = sorted((each for each in own if not each.absent), key=lambda each: each.given_until, reverse=True)
    since = min((each.since for each in rows if not each.ended), default=None)
    for each in rows:
        if since is not None and each.given_until >= since:
            since = min(since, each.since)
    return since
