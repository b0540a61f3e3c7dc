"""A domain's services whole: what stands behind its names, and what the names say of it to clients, authorities and
other mail servers."""

import asyncio
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace

from legatum.core.agreement.soundness import Given
from legatum.core.calendar.duration import parse_duration
from legatum.core.observation.observation import Observation
from legatum.core.records.name import ROOT, Name, ancestors, below, is_under, labels_of, name_text, parse_name
from legatum.core.records.rrset import RRset, strings_of, targets
from legatum.core.records.rrtype import AAAA, CAA, CNAME, MX, NS, PTR, TLSA, TXT, A
from legatum.core.running.fault import Fault
from legatum.core.service.records import Answered, Challenge, Issuance, NameRecords, Policy, Reverse
from legatum.core.service.seen import Visit
from legatum.core.service.spf import Checked, check_host, spf_texts
from legatum.core.service.spot import PORTS, Protocol, Spot
from legatum.core.zones.zone import Zone
from legatum.net.asking.walk import Lookup, Walker
from legatum.net.side_by_side import side_by_side
from legatum.net.visiting.web import fetch_text
from legatum.work.look.asking.answers import ask_servers
from legatum.work.run_context import RunContext
from legatum.work.services.visit import NewPlaces, addresses_of, trusted_file, visit

_LONGEST_CHAIN, _MOST_ROUNDS, _MOST_REVERSE = 8, 14, 16
_NXDOMAIN, _SERVER_FAILURE, _NOT_IMPLEMENTED, _REFUSED = 3, 2, 4, 5


@dataclass(frozen=True)
class Before:
    """What there was before a move: ``zone`` is all of it."""

    zone: Zone | None = None


async def look_at_service(
    context: RunContext,
    observation: Observation,
    places: NewPlaces | None = None,
    before: Before | None = None,
    authority: str | None = None,
) -> Visit:
    """Raises as :func:`~legatum.work.services.visit.visit`."""
    found = await visit(context, observation.domain, places, authority)
    names = _Names(context, observation, found, trusted_file(context, authority))
    records, left = await names.look(places or NewPlaces(), before or Before())
    return replace(found, records=records, not_looked_at=(*found.not_looked_at, *left))


class _Names:
    """One domain's names; every question goes to those who answer for them."""

    def __init__(self, context: RunContext, observation: Observation, found: Visit, trusted: str | None) -> None:
        self._context, self._picture, self._found, self._trusted = context, observation, found, trusted
        self._walker: Walker = context.walker()
        self._domain = observation.domain
        self._sites = tuple(
            dict.fromkeys(
                each.name for each in found.spots if each.protocol == Protocol.HTTPS and found.of(each, False)
            )
        )

    async def look(self, places: NewPlaces, before: Before) -> tuple[NameRecords, list[str]]:
        """What was found, and what was not looked at."""
        mx = (await self._walker.lookup(self._domain, MX)).rrset
        hosts = [host for host in targets(mx) if host != ROOT]
        answers, issuance, challenges, tlsa = await asyncio.gather(
            self._answers(),
            side_by_side(self._issuance, self._sites),
            side_by_side(self._challenge, self._sites),
            self._tlsa(),
        )
        reverse, senders, kept = await asyncio.gather(
            self._reverse(hosts), self._senders(hosts, places), self._kept(before)
        )
        apex = (await self._walker.lookup(self._domain, TXT)).rrset
        dmarc = await self._walker.lookup(below("_dmarc", self._domain), TXT)
        records = NameRecords(
            answers,
            tuple(issuance),
            tuple(challenges),
            tlsa,
            self._context.settings.visit.issuers,
            bool(hosts),
            tuple(spf_texts(apex)),
            senders,
            _dmarc_of(dmarc),
            await self._policy(),
            reverse,
            *kept,
            await self._host_names(),
        )
        left = (
            [] if kept[0] else ["DKIM selectors and other names of mail: nothing says what was there before (--before)"]
        )
        left += [f"the name of {each.address}: {each.why}" for each in reverse if each.why]
        return records, left

    async def _answers(self) -> tuple[Answered, ...]:
        wanted = [(name, rtype) for name in self._sites for rtype in (A, AAAA, CAA)]
        wanted += [(below("_acme-challenge", name), TXT) for name in self._sites]
        given = await ask_servers(self._context, self._picture, wanted)
        return tuple(
            _answered(key, [each for each in given if (each.name, each.rtype) == key], self._domain) for key in wanted
        )

    async def _issuance(self, name: Name) -> Issuance:
        """RFC 8659 s3: up from the name until something is found; aliases are followed at each step."""
        broken = []
        for owner in ancestors(name)[:-1]:
            found = await self._aliased(owner, CAA)
            if found.reply is None or found.reply.rcode not in (0, _NXDOMAIN):
                broken.append(f"{name_text(owner)} CAA: {found.why}")
            if found.rrset is not None:
                return Issuance(name, owner, tuple(_caa(rdata) for rdata in found.rrset.rdatas), tuple(broken))
        return Issuance(name, broken=tuple(broken))

    async def _challenge(self, name: Name) -> Challenge:
        at = below("_acme-challenge", name)
        found = await self._walker.lookup(at, CNAME)
        leads = targets(found.rrset) if found.rrset is not None else ()
        if not leads:
            handed_on = await self._walker.lookup(at, NS)
            leads = targets(handed_on.rrset) if handed_on.rrset is not None else ()
        last = await self._aliased(at, TXT)
        return Challenge(at, leads, _gone(last))

    async def _tlsa(self) -> dict[Spot, RRset]:
        spots = [each for each in self._found.spots if self._found.of(each, False)]

        async def one(spot: Spot) -> tuple[Spot, RRset | None]:
            name = below(f"_{PORTS[spot.protocol]}", below("_tcp", spot.name))
            return spot, (await self._aliased(name, TLSA)).rrset

        return {spot: rrset for spot, rrset in await side_by_side(one, spots) if rrset is not None}

    async def _reverse(self, hosts: Iterable[Name]) -> tuple[Reverse, ...]:
        """Of mail servers and name servers."""
        wanted = [(host, "mail server") for host in hosts] + [
            (host, "name server") for host in self._picture.delegation
        ]
        places = [(address, host, role) for host, role in wanted for address in await addresses_of(self._walker, host)]
        return tuple(await side_by_side(self._reverse_of, places[:_MOST_REVERSE]))

    async def _reverse_of(self, place: tuple[str, Name, str]) -> Reverse:
        from ipaddress import ip_address

        address, host, role = place
        found = await self._aliased(parse_name(ip_address(address).reverse_pointer + "."), PTR)
        if found.reply is None or found.reply.rcode not in (0, _NXDOMAIN):
            return Reverse(address, host, role, why=found.why or "nobody answers for its reverse zone")
        names = {name: await addresses_of(self._walker, name) for name in targets(found.rrset)[:4]}
        return Reverse(address, host, role, names)

    async def _senders(self, hosts: Iterable[Name], places: NewPlaces) -> dict[str, Checked]:
        """What SPF says of the domain's own mail servers, and of the new addresses that mail may come from."""
        own = [
            address
            for host in hosts
            if is_under(host, self._domain)
            for address in await addresses_of(self._walker, host)
        ]
        new = [each.address for each in self._found.seen if each.new and each.spot.protocol == Protocol.SMTP]
        addresses = dict.fromkeys([*own, *new, *places.mail])
        found = {address: await self._checked(address) for address in addresses}
        return {address: each for address, each in found.items() if each.result != "none"}

    async def _checked(self, address: str) -> Checked:
        known: dict[tuple[Name, int], RRset | None] = {}
        checked = check_host(address, self._domain, known)
        for _ in range(_MOST_ROUNDS):
            if not checked.missing:
                break
            wanted = sorted(checked.missing)
            answers = await asyncio.gather(*(self._aliased(name, rtype) for name, rtype in wanted))
            known |= {key: answer.rrset for key, answer in zip(wanted, answers, strict=True)}
            checked = check_host(address, self._domain, known)
        return checked

    async def _kept(self, before: Before) -> tuple[dict[tuple[Name, int], RRset], dict[tuple[Name, int], RRset | None]]:
        """What was there before at names of mail and certificates, and what is there now."""
        old: dict[tuple[Name, int], RRset] = {}
        for each in before.zone or ():
            if _is_kept(each, self._domain):
                old[each.name, each.rtype] = each
        now = await side_by_side(self._now, list(old))
        return old, {key: found.rrset for key, found in zip(old, now, strict=True) if found.reply is not None}

    async def _now(self, key: tuple[Name, int]) -> Lookup:
        return await self._walker.lookup(*key)

    async def _policy(self) -> Policy | None:
        found = (await self._aliased(below("_mta-sts", self._domain), TXT)).rrset
        record = next((text for text in _texts(found) if text.lower().startswith("v=stsv1")), "")
        if not record:
            return None
        host = below("mta-sts", self._domain)
        addresses = await addresses_of(self._walker, host)
        if not addresses:
            return Policy(record, trouble="it has no address")
        timeout = float(parse_duration(self._context.settings.visit.timeout))
        url = f"https://{name_text(host)}/.well-known/mta-sts.txt"
        return Policy(record, *await fetch_text(self._context.asker.route, addresses[0], url, timeout, self._trusted))

    async def _host_names(self) -> Mapping[Name, tuple[str, ...]]:
        """Where the names lead by which mail servers call themselves."""
        names = set()
        for each in self._found.seen:
            banner = getattr(each.what, "banner", "") if each.spot.protocol == Protocol.SMTP else ""
            word = banner.split()[0].rstrip(".") if banner.split() else ""
            try:
                names.add(parse_name(word + "."))
            except Fault:
                continue
        return {name: await addresses_of(self._walker, name) for name in sorted(names) if name != ROOT}

    async def _aliased(self, name: Name, rtype: int) -> Lookup:
        """The answer at the end of the aliases."""
        found = await self._walker.lookup(name, rtype)
        for _ in range(_LONGEST_CHAIN):
            if found.alias is None or found.rrset is not None:
                break
            found = await self._walker.lookup(found.alias, rtype)
        return found


def _answered(key: tuple[Name, int], given: list[Given], domain: Name) -> Answered:
    said = {each.address: each.text for each in given if each.rcode in (0, _NXDOMAIN)}
    alike = {each.said(domain) for each in given if each.rcode in (0, _NXDOMAIN)}
    first = next(iter(said.values()), "")
    return Answered(
        key[0],
        key[1],
        said if len(alike) > 1 else dict.fromkeys(said, first),
        tuple(each.address for each in given if each.rcode == _NXDOMAIN),
        tuple(
            f"{each.address} ({each.outcome})"
            for each in given
            if each.rcode in (_SERVER_FAILURE, _NOT_IMPLEMENTED, _REFUSED)
        ),
    )


def _gone(found: Lookup) -> str:
    """Why nobody can answer for the name, empty where somebody can: that there is no such name now is as it should be
    between renewals, but not where a top-level domain says it."""
    if found.reply is None or found.reply.rcode not in (0, _NXDOMAIN):
        return found.why
    above = found.reply.denial if found.reply.rcode == _NXDOMAIN else None
    return "that domain does not exist" if above is not None and len(labels_of(above.name)) < 2 else ""


def _caa(rdata: bytes) -> tuple[int, str, str]:
    """Flags, tag and value (RFC 8659 s4.1)."""
    length = rdata[1]
    return rdata[0], rdata[2 : 2 + length].decode("latin-1"), rdata[2 + length :].decode("latin-1")


def _texts(rrset: RRset | None) -> list[str]:
    return [b"".join(strings_of(rdata)).decode("latin-1") for rdata in (rrset.rdatas if rrset else ())]


def _dmarc_of(found: Lookup) -> tuple[str, ...] | None:
    if found.reply is None:
        return None
    return tuple(text for text in _texts(found.rrset) if text.lower().startswith("v=dmarc1"))


def _is_kept(each: RRset, domain: Name) -> bool:
    """At a name that mail or certificates go by, and no list shows."""
    if (each.name, each.rtype) == (domain, MX):
        return True
    if (each.name, each.rtype) == (domain, TXT):
        return bool(spf_texts(each))
    labels = (b"\x0a_domainkey", b"\x0f_acme-challenge", b"\x06_dmarc", b"\x08_mta-sts", b"\x04_tls")
    return each.rtype in (TXT, CNAME, NS) and any(each.name.find(label) >= 0 for label in labels)
