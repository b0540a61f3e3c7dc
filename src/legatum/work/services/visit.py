"""The services behind a domain's names, looked at where the DNS leads to now and at addresses that it does not name
yet."""

from collections.abc import Container, Iterable, Mapping
from dataclasses import dataclass, field, replace
from functools import partial

from legatum.core.calendar.duration import parse_duration
from legatum.core.records.address import address_text
from legatum.core.records.name import ROOT, Name, below, is_under, name_text, parse_domain
from legatum.core.records.rrset import RRset, names_in, targets
from legatum.core.records.rrtype import AAAA, MX, SRV, A
from legatum.core.records.space import leads_nowhere
from legatum.core.running.fault import BadInput, OutsideFault
from legatum.core.service.page import likeness
from legatum.core.service.seen import ServiceSeen, Visit, WebSeen
from legatum.core.service.spot import MAIL, WEB, Protocol, Spot
from legatum.net.asking.walk import Walker
from legatum.net.side_by_side import side_by_side
from legatum.net.visiting.mail import visit_mail
from legatum.net.visiting.tls import NO_WAY
from legatum.net.visiting.web import Visitor
from legatum.work.run_context import RunContext

_MOST_HOSTS, _LONGEST_CHAIN, _AT_ONCE = 4, 8, 12
_SERVED_BY_SRV = {"_submission._tcp": Protocol.SUBMISSION, "_imaps._tcp": Protocol.IMAPS}


@dataclass(frozen=True)
class NewPlaces:
    """Where to look beside: ``web`` and ``mail`` addresses for all names of that sort, and ``instead`` of which present
    address another one comes; ``by_name``: the same for one name. ``names``: of sites beside the domain and www."""

    web: tuple[str, ...] = ()
    mail: tuple[str, ...] = ()
    instead: Mapping[str, str] = field(default_factory=dict)
    by_name: Mapping[Name, tuple[str, ...]] = field(default_factory=dict)
    names: tuple[Name, ...] = ()

    def of(
        self, spot: Spot, present: Iterable[str], web_present: Iterable[str], others: Container[Name]
    ) -> tuple[str, ...]:
        """For one service: the new addresses. Mail goes where the site goes if both are at one address now; ``others``:
        mail servers of somebody else beside the domain's own, which stay where they are."""
        present = list(present)
        found = [self.instead[each] for each in present if each in self.instead]
        found += self.by_name.get(spot.name, ())
        if spot.protocol in WEB:
            found += self.web
        else:
            mail = () if spot.name in others else self.mail
            found += mail or (self.web if set(present) & set(web_present) else ())
        return tuple(dict.fromkeys(found))


async def visit(
    context: RunContext, domain: Name, places: NewPlaces | None = None, authority: str | None = None
) -> Visit:
    """Every service of the domain at every address. ``authority``: a file of certificates to trust instead of those of
    the settings.

    Raises :class:`BadInput` for a file that is none, :class:`OutsideFault` where it is not known where any service is.
    """
    places = places or NewPlaces()
    trusted = trusted_file(context, authority)
    walker = context.walker()
    sites = dict.fromkeys([domain, below("www", domain), *places.names])
    spots = [Spot(protocol, name) for name in sites for protocol in WEB]
    mail, left = await _mail_spots(walker, domain)
    spots += mail
    names = list(dict.fromkeys(spot.name for spot in spots))
    known = dict(zip(names, await side_by_side(partial(addresses_of, walker), names, _AT_ONCE), strict=True))
    reach = context.asker.patience.reach
    left += [
        f"{address}, which cannot be asked from here"
        for each in known.values()
        for address in each
        if not reach.has(address)
    ]
    known = {name: tuple(filter(reach.has, each)) for name, each in known.items()}
    left += [
        f"{name_text(name)}: {_without_address(walker, name)}" for name in names if not known[name] and not places.web
    ]
    if not any(known.values()) and walker.unanswered and not (places.web or places.mail or places.by_name):
        why = next(iter(walker.unanswered.values()))
        raise OutsideFault(
            f"{name_text(domain)}: where its services are is not known: {why}", "is the network up? Try again"
        )
    web_present = {address for spot in spots if spot.protocol in WEB for address in known[spot.name]}
    wanted = [(spot, address, False) for spot in spots for address in known[spot.name]]
    others = _of_others(domain, (spot.name for spot in mail))
    left += [
        f"{name_text(each)} at the new mail server: it is no name of the domain, others are"
        for each in others
        if places.mail
    ]
    for spot in spots:
        wanted += [
            (spot, each, True)
            for each in places.of(spot, known[spot.name], web_present, others)
            if each not in known[spot.name]
        ]
    home, mapped = tuple(context.settings.network.home), context.settings.network.map is not None
    left += [
        f"{address}: a special address, at which nobody is"
        for _, address, _ in wanted
        if not mapped and leads_nowhere(address, home)
    ]
    wanted = [each for each in wanted if mapped or not leads_nowhere(each[1], home)]
    look = _Look(context, domain, trusted)
    seen = await side_by_side(look.at, list(dict.fromkeys(wanted)), _AT_ONCE)
    beyond = [each for each in seen if each.what.trouble == NO_WAY and ":" in each.address]
    left += [f"{each.address}: {NO_WAY}, which has no IPv6" for each in beyond]
    seen = [each for each in seen if each not in beyond]
    visited = Visit(domain, context.clock.now(), tuple(seen), tuple(dict.fromkeys(left)))
    return await _steadied(look, visited)


def _without_address(walker: Walker, name: Name) -> str:
    untold = next((why for (host, rtype), why in walker.unanswered.items() if host == name and rtype in (A, AAAA)), "")
    return f"its address is not known: {untold}" if untold else "it has no address"


def _of_others(domain: Name, names: Iterable[Name]) -> list[Name]:
    """Mail servers with names in somebody else's domain, where some have names in this one."""
    found = list(dict.fromkeys(names))
    others = [each for each in found if not is_under(each, domain)]
    return others if len(others) < len(found) else []


def trusted_file(context: RunContext, named: str | None) -> str | None:
    """The file of certificates to trust, None for the system's. Raises :class:`BadInput` where it is none."""
    import ssl

    file = named or (
        str(context.folder / context.settings.visit.authority) if context.settings.visit.authority else None
    )
    if file is not None:
        try:
            ssl.create_default_context(cafile=file)
        except (OSError, ssl.SSLError) as error:
            reason = (
                error.strerror
                if isinstance(error, OSError) and not isinstance(error, ssl.SSLError)
                else "no certificates in it"
            )
            raise BadInput(f"{file}: {reason}", "give a file with the authority's certificates (PEM)") from None
    return file


async def addresses_of(walker: Walker, name: Name) -> tuple[str, ...]:
    """Where a visitor of the name is led, aliases followed; empty where nowhere."""
    found = []
    for rtype in (A, AAAA):
        at = name
        for _ in range(_LONGEST_CHAIN):
            answer = await walker.lookup(at, rtype)
            if answer.rrset is not None or answer.alias is None:
                found += [address_text(rdata) for rdata in answer.rrset.rdatas] if answer.rrset is not None else []
                break
            at = answer.alias
    return tuple(dict.fromkeys(found))


async def _mail_spots(walker: Walker, domain: Name) -> tuple[list[Spot], list[str]]:
    """The mail servers of the domain, and those that its users' programs are told of; with what is left out, in
    words."""
    mx = (await walker.lookup(domain, MX)).rrset
    hosts = [host for host in targets(mx) if host != ROOT]
    spots = [Spot(Protocol.SMTP, host) for host in hosts[:_MOST_HOSTS]]
    for label, protocol in _SERVED_BY_SRV.items():
        spots += [
            Spot(protocol, host)
            for host in _served((await walker.lookup(_under(label, domain), SRV)).rrset)[:_MOST_HOSTS]
        ]
    own = [host for host in hosts[:_MOST_HOSTS] if is_under(host, domain)]
    spots += [Spot(protocol, host) for host in own for protocol in MAIL if protocol != Protocol.SMTP]
    left = [f"mail by {name_text(host)}: more than {_MOST_HOSTS} mail servers" for host in hosts[_MOST_HOSTS:]]
    if not hosts:
        untold = walker.unanswered.get((domain, MX))
        left = [f"mail: its MX is not known: {untold}" if untold else "mail: no MX"]
    return list(dict.fromkeys(spots)), left


def _under(labels: str, domain: Name) -> Name:
    for label in reversed(labels.split(".")):
        domain = below(label, domain)
    return domain


def _served(rrset: RRset | None) -> list[Name]:
    """Targets of an SRV set; the root says that the service is not there (RFC 2782)."""
    return [host for rdata in (rrset.rdatas if rrset else ()) for host in names_in(SRV, rdata) if host != ROOT]


class _Look:
    """Each service at each address."""

    def __init__(self, context: RunContext, domain: Name, trusted: str | None) -> None:
        self._context, self._domain, self._trusted = context, domain, trusted
        self._timeout = float(parse_duration(context.settings.visit.timeout))

    async def at(self, wanted: tuple[Spot, str, bool]) -> ServiceSeen:
        spot, address, new = wanted
        route = self._context.asker.route
        if spot.protocol in WEB:
            found = await Visitor(route, address, self._is_ours, self._timeout, self._trusted).visit(
                spot.protocol, spot.name
            )
            return ServiceSeen(spot, address, new, found)
        mail = await visit_mail(route, address, spot.protocol, spot.name, self._domain, self._timeout, self._trusted)
        return ServiceSeen(spot, address, new, mail)

    def _is_ours(self, host: str) -> bool:
        try:
            return is_under(parse_domain(host), self._domain)
        except BadInput:
            return False


async def _steadied(look: _Look, found: Visit) -> Visit:
    """A present page that is not the new one is fetched once more: what it does not have in common with itself is no
    difference."""

    async def again(each: ServiceSeen) -> ServiceSeen:
        seen = each.what
        others = [new.what.page for new in found.of(each.spot, True) if isinstance(new.what, WebSeen)]
        if (
            each.new
            or not isinstance(seen, WebSeen)
            or seen.page is None
            or all(page in (None, seen.page) for page in others)
        ):
            return each
        second = (await look.at((each.spot, each.address, False))).what
        own = likeness(seen.page, second.page) if isinstance(second, WebSeen) and second.page is not None else 1.0
        return replace(each, what=replace(seen, steady=own))

    return replace(found, seen=tuple(await side_by_side(again, found.seen, _AT_ONCE)))
