"""One RRset changed at a provider, with the safety of a publication: what the change would break is told before it is
made."""

from legatum.core.records.name import Name
from legatum.core.records.rrset import targets
from legatum.core.records.soa import serial_path
from legatum.core.running.fault import GateShut
from legatum.core.zones.changing.amendment import Amendment, amended, losses
from legatum.core.zones.changing.publication import Publication
from legatum.services.provider import Provider, server_names
from legatum.work.run_context import RunContext
from legatum.work.zones.publish import Published, next_by_rule, publish


async def draw_amendment(context: RunContext, provider: Provider, domain: Name, amendment: Amendment) -> Publication:
    """What the change does to the zone as it is served now. Raises :class:`BadInput` or :class:`OutsideFault`."""
    current = await provider.fetch(domain)
    wanted = amended(current, amendment)
    if wanted != current:
        wanted = wanted.with_serial(next_by_rule(context, current))
    return Publication.between(provider.name, current, wanted, meant=[(amendment.name, amendment.rtype)])


def refuse_losses(publication: Publication, amendment: Amendment) -> None:
    """Raises :class:`GateShut` for what the change takes away without its having been said."""
    if lost := losses(publication.current, publication.wanted, amendment):
        keeps = "--add keeps what is there beside the new; " if amendment.way == "set" else ""
        raise GateShut(f"this would take away {'; '.join(lost)}", f"{keeps}--anyway if it is meant")


def also_named(context: RunContext, publication: Publication) -> list[str]:
    """Other providers of the settings that are named for the zone, each with a zone of its own perhaps."""
    named = set(targets(publication.wanted.apex_ns))
    sections = context.providers
    beside = (name for name in sections if name != publication.place and name not in context.settings.secondaries)
    return [name for name in beside if named & set(server_names(sections[name].servers))]


async def go_to_serial(context: RunContext, provider: Provider, domain: Name, target: int) -> list[Published]:
    """The zone with another serial, lower ones too: every server has each serial on the way before the next is
    published."""
    done = []
    current = await provider.fetch(domain)
    for serial in serial_path(current.soa.serial, target):
        wanted = current.with_serial(serial)
        done.append(await publish(context, Publication.between(provider.name, current, wanted)))
        current = await provider.fetch(domain)
    return done
