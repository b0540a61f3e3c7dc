"""Telling a secondary that a zone changed (RFC 1996)."""

import random

from legatum.core.records.name import Name
from legatum.core.records.rrtype import SOA
from legatum.net.asking.asker import DNS_PORT, Asker
from legatum.net.asking.udp import UdpPorts
from legatum.wire.message import AA, NOTIFY, Message, Question, decode, encode


async def send_notify(asker: Asker, secondary: str, origin: Name) -> bool:
    """Whether the secondary took note."""
    wire = encode(Message(0, NOTIFY << 11 | AA, 0, (Question(origin, SOA),)))
    ports = UdpPorts(random.SystemRandom())
    try:
        received = await ports.exchange(
            asker.route.endpoint(secondary, DNS_PORT), origin, SOA, wire, asker.patience.timeout
        )
        return decode(received).rcode == 0
    except (TimeoutError, OSError, ValueError):
        return False
    finally:
        ports.close()
