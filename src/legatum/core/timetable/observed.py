"""From what servers gave to what matters: each RRset by which visitors are led, with every server's TTL."""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import replace

from legatum.core.agreement.soundness import Given
from legatum.core.calendar.timing import Caution
from legatum.core.memory.copies import HeldCopy
from legatum.core.moves.place import PARENT
from legatum.core.observation.observation import Observation
from legatum.core.records.name import ROOT, Name, below, is_under, name_text
from legatum.core.records.rrset import targets
from legatum.core.records.rrtype import AAAA, CNAME, DNSKEY, DS, MX, NS, NSEC, NSEC3, SOA, TXT, A
from legatum.core.records.soa import negative_ttl
from legatum.core.timetable.subject import AT_PARENT, Role, Subject

_MOST_HOSTS = 8
Question = tuple[Name, int]


def usual_questions(domain: Name) -> list[Question]:
    """What is asked of every server beside what a survey asks: the apex, ``www``, mail, text."""
    www = below("www", domain)
    return [(domain, A), (domain, AAAA), (domain, MX), (domain, TXT), (www, A), (www, AAAA)]


def mail_questions(domain: Name, given: Iterable[Given]) -> list[Question]:
    """Where mail leads to within the domain."""
    named = {host for one in given for each in one.answer if each.rtype == MX for host in targets(each)}
    asked = {domain, below("www", domain)}
    hosts = sorted(host for host in named if is_under(host, domain) and host not in asked)
    return [(host, rtype) for host in hosts[:_MOST_HOSTS] for rtype in (A, AAAA)]


def of_delegation(observation: Observation) -> Iterator[Subject]:
    """What the parent gives: NS set, glue, DS."""
    holder, domain = _servers_of(observation.parent_zone), observation.domain
    silent = tuple(view.address for view in observation.parents if not view.answered)
    yield from _made(
        Role.DELEGATION,
        domain,
        NS,
        {view.address: view.ns.ttl for view in observation.parents if view.ns},
        holder,
        silent,
    )
    glue: dict[Question, dict[str, int]] = {}
    for view in observation.parents:
        for each in view.glue:
            glue.setdefault((each.name, each.rtype), {})[view.address] = each.ttl
    for (name, rtype), ttls in sorted(glue.items()):
        yield from _made(Role.GLUE, name, rtype, ttls, holder, silent)
    yield from _made(
        Role.DS, domain, DS, {view.address: view.ds.ttl for view in observation.parents if view.ds}, holder, silent
    )


def of_servers(observation: Observation) -> Iterator[Subject]:
    """What the domain's own servers give of themselves: NS set, keys, SOA."""
    domain, holder, silent = observation.domain, _servers_of(observation.domain), _silent(observation)
    yield from _made(
        Role.NS,
        domain,
        NS,
        {view.address: view.ns.ttl for view in observation.serving if view.ns},
        holder,
        silent,
        True,
    )
    yield from _made(
        Role.KEYS,
        domain,
        DNSKEY,
        {view.address: view.keys.ttl for view in observation.serving if view.keys},
        holder,
        silent,
    )
    yield from _made(
        Role.SOA,
        domain,
        SOA,
        {view.address: view.soa.ttl for view in observation.serving if view.soa},
        holder,
        silent,
        True,
    )


def of_hosts(observation: Observation) -> Iterator[Subject]:
    """Addresses of name servers, as the zones that hold them say."""
    for name, host in sorted(observation.hosts.items()):
        own = is_under(name, observation.domain)
        for each in host.addresses:
            holder = _servers_of(observation.domain) if own else f"the servers of the zone that holds {name_text(name)}"
            yield from _made(
                Role.HOST, name, each.rtype, {"its own servers" if own else "its zone": each.ttl}, holder, (), own
            )


def of_answers(observation: Observation, given: Sequence[Given], rule: int = 0) -> Iterator[Subject]:
    """What the servers answered to questions, aliases as themselves. ``rule``: by which it counts, where not by rule
    2."""
    found: dict[Question, dict[str, int]] = {}
    for each in given:
        for answer in each.answer if each.authoritative else ():
            if answer.rtype in (each.rtype, CNAME) and is_under(answer.name, observation.domain):
                found.setdefault((answer.name, answer.rtype), {})[each.address] = answer.ttl
    silent = _silent(observation)
    for (name, rtype), ttls in found.items():
        yield from _made(Role.DATA, name, rtype, ttls, _servers_of(observation.domain), silent, True, rule=rule)


def of_brief_look(observation: Observation) -> Iterator[Subject]:
    """From a look that asks one server of each kind: what it gives stands for all of them."""
    yield from of_delegation(observation)
    yield from of_servers(observation)
    holder = _servers_of(observation.domain)
    for (name, rtype), found in observation.contents.items():
        if found is not None and is_under(name, observation.domain):
            yield from _made(Role.DATA, name, rtype, {"one of them": found.ttl}, holder, _silent(observation), True)


def of_absence(observation: Observation, given: Sequence[Given], rule: int = 0) -> Iterator[Subject]:
    """How long *no such name* and *no such data* are kept: by the SOA record of each negative answer (RFC 2308 s5), or
    by the proof beside it (RFC 9077)."""
    ttls: dict[str, int] = {}
    for each in given:
        soa = next((one for one in each.authority if one.rtype == SOA), None)
        if soa is not None and not any(one.rtype == each.rtype for one in each.answer):
            proofs = [one.ttl for one in each.authority if one.rtype in (NSEC, NSEC3)]
            ttls[each.address] = max(negative_ttl(soa), ttls.get(each.address, 0), *proofs)
    yield from _made(
        Role.ABSENCE,
        observation.domain,
        SOA,
        ttls,
        _servers_of(observation.domain),
        _silent(observation),
        True,
        rule=rule,
    )


def with_held(matters: Iterable[Subject], copies: Sequence[HeldCopy], now: float, caution: Caution) -> list[Subject]:
    """With what is remembered of each, where somebody may hold it at ``now``."""
    kept = [each for each in copies if each.ended and each.until(caution) > now]

    def concerns(matter: Subject, copy: HeldCopy) -> bool:
        if matter.role in (Role.SOA, Role.ABSENCE):
            return matter.role == Role.ABSENCE and copy.rtype == SOA and copy.absent
        return (
            copy.key == (matter.name, matter.rtype)
            and (copy.place == PARENT) == (matter.role in AT_PARENT)
            and matter.role != Role.GLUE
        )

    return [replace(matter, held=tuple(each for each in kept if concerns(matter, each))) for matter in matters]


def _made(
    role: Role,
    name: Name,
    rtype: int,
    ttls: dict[str, int],
    holder: str,
    silent: tuple[str, ...],
    ours: bool = False,
    rule: int = 0,
) -> Iterator[Subject]:
    if ttls:
        yield Subject(role, name, rtype, ttls, holder, ours, silent, rule=rule)


def _silent(observation: Observation) -> tuple[str, ...]:
    return tuple(view.address for view in observation.servers if not view.serves)


def _servers_of(zone: Name) -> str:
    return "the root servers" if zone == ROOT else f"the servers of {name_text(zone)}"
