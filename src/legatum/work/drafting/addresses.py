"""The addresses and the mail of a domain as templates of the house have them."""

from legatum.core.moves.kinds.address import NewAddress
from legatum.core.moves.kinds.mail import Mail, refuse_unfit
from legatum.core.moves.place import ADDRESSES
from legatum.core.moves.wishes import Wishes
from legatum.core.records.address import address_text
from legatum.core.records.name import name_text
from legatum.core.records.rrset import RRset, targets
from legatum.core.records.rrtype import MX, type_text
from legatum.core.running.fault import AlreadySo, GateShut
from legatum.core.zones.changing.template import drift, expand, resolve
from legatum.core.zones.zone import Zone
from legatum.work.gathering.flatten import addresses_of_target
from legatum.work.run_context import RunContext
from legatum.work.zones.templates import read_templates


def of_template(context: RunContext, wish: Wishes, zone: Zone) -> tuple[NewAddress, ...]:
    """What is to be replaced by what. Raises :class:`GateShut` where the template wants other things than other
    addresses, or an address would have to become several; :class:`AlreadySo` where the zone is as it says."""
    if not wish.template:
        return ()
    templates = read_templates(context.folder / context.settings.templates)
    found: dict[str, str] = {}
    domain = name_text(wish.domain)
    for each in drift(zone, expand(resolve(wish.template, templates), wish.domain, wish.values)):
        old, new = (_addresses(side) if each.rtype in ADDRESSES else [] for side in (each.left, each.right))
        if len(old) != 1 or len(new) != 1 or found.get(old[0], new[0]) != new[0]:
            what = f"{name_text(each.name)} {type_text(each.rtype)}"
            raise GateShut(
                f"{what} is not as template {wish.template} says, by more than one address for another",
                f"bring it there first: `legatum template apply {domain} --template NAME --at PROVIDER`",
            )
        if old != new:
            found[old[0]] = new[0]
    if not found:
        raise AlreadySo(f"{domain} has the addresses of template {wish.template} already", "leave --template out")
    return tuple(NewAddress(old, new) for old, new in found.items())


async def refuse_nowhere(context: RunContext, mail: Mail, zone: Zone) -> None:
    """Raises :class:`OutsideFault` where a server to which mail is to be brought has no address."""
    given = Zone(zone.origin, (*zone, *(each.rrset for each in mail.demands)))
    for each in mail.demands:
        for host in targets(each.rrset) if (each.rrset.name, each.rrset.rtype) == (zone.origin, MX) else ():
            await addresses_of_target(context, host, given)


def mail_at(context: RunContext, wish: Wishes) -> Mail:
    """As the service's template has it. Raises :class:`BadInput`."""
    templates = read_templates(context.folder / context.settings.templates)
    mail = Mail(wish.mail, expand(resolve(wish.mail, templates), wish.domain, wish.values))
    refuse_unfit(mail, wish.domain)
    return mail


def _addresses(side: RRset | None) -> list[str]:
    return [address_text(rdata) for rdata in side.rdatas] if side is not None else []
