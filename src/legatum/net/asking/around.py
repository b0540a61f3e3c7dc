"""Asking around: what of the network can be asked from here, by a few questions to the root servers, who answer over
everything, never look names up, and are each many machines."""

import asyncio
from collections.abc import Iterable, Mapping
from typing import NamedTuple

from legatum.core.records.name import ROOT, Name
from legatum.core.records.rrtype import DNSKEY, SOA
from legatum.net.asking.asker import Asker
from legatum.net.asking.reach import OFFERED, Reach
from legatum.net.asking.reply import Reply
from legatum.wire.message import RA

_SMALL = 512  # octets: what passes where larger answers do not
_ASKED = 3  # root servers of each family


class Heard(NamedTuple):
    """What came of asking around. ``reach``: None where nothing answered at all; ``boxed``: the server in whose place
    something else answered, empty for none."""

    reach: Reach | None
    boxed: str = ""


async def ask_around(asker: Asker, roots: Mapping[Name, Iterable[str]], present: Reach) -> Heard:
    """Some root servers of each family, over UDP, over TCP and for a large answer."""
    addresses = [address for each in roots.values() for address in each]
    some = [
        *[each for each in addresses if ":" not in each][:_ASKED],
        *[each for each in addresses if ":" in each][:_ASKED],
    ]
    some = [each for each in some if present.has(each)]
    replies = await asyncio.gather(*(asker.ask(address, ROOT, SOA) for address in some))
    heard = [each for each in replies if each.answered]
    if not heard:
        return Heard(None)
    strange = [each for each in heard if _recurses(each)]
    if len(strange) == len(heard):
        return Heard(None, strange[0].server)
    well = [each.server for each in heard if each not in strange][:_ASKED]
    over_tcp = await asyncio.gather(*(asker.ask(address, ROOT, SOA, tcp=True) for address in well))
    large = await asyncio.gather(*(asker.ask(address, ROOT, DNSKEY, dnssec=True, tries=1) for address in well))
    has = {family: any((":" in each.server) == (family == "IPv6") for each in heard) for family in ("IPv4", "IPv6")}
    asked = {family: any((":" in each) == (family == "IPv6") for each in some) for family in ("IPv4", "IPv6")}
    missing = [family for family in ("IPv4", "IPv6") if asked[family] and not has[family]]
    tcp, whole = any(each.answered for each in over_tcp), any(each.answered for each in large)
    why = [f"{family} (none of {_count(some, family)} root servers answers over it from here)" for family in missing]
    why += [] if tcp else [f"TCP (port 53 of {', '.join(well)} does not answer over it from here)"]
    return Heard(
        Reach(
            present.ipv4 and "IPv4" not in missing,
            present.ipv6 and "IPv6" not in missing,
            tcp,
            OFFERED if whole or not tcp else _SMALL,
            (*present.why, *why),
        )
    )


def _count(addresses: Iterable[str], family: str) -> int:
    return sum((":" in each) == (family == "IPv6") for each in addresses)


def _recurses(reply: Reply) -> bool:
    """A root server offers no recursion, and answers for the root with authority."""
    return bool(reply.message.flags & RA) and not reply.authoritative
