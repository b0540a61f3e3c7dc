"""What of the network can be asked from this machine: without IPv6, or with TCP to port 53 closed, a server is not to
blame for silence."""

import socket
from collections.abc import Iterable
from contextlib import closing
from typing import NamedTuple

OFFERED = 1232  # octets over UDP: what passes everywhere without fragments


class Reach(NamedTuple):
    """``ipv4``, ``ipv6``, ``tcp``: whether servers can be asked so; ``size``: octets of an answer over UDP that arrive;
    ``why``: of what cannot be asked or does not arrive, in words; ``cut_off``: this machine has no way to anybody."""

    ipv4: bool = True
    ipv6: bool = True
    tcp: bool = True
    size: int = OFFERED
    why: tuple[str, ...] = ()
    cut_off: bool = False

    def has(self, address: str) -> bool:
        return self.ipv6 if ":" in address else self.ipv4

    @property
    def families(self) -> tuple[str, ...]:
        return tuple(name for name, there in (("IPv4", self.ipv4), ("IPv6", self.ipv6)) if there)

    @property
    def left_out(self) -> list[str]:
        """What is not known for that, in words."""
        return [f"what servers give over {each}" for each in self.why]


def reach_here(ipv6: bool, addresses: Iterable[str]) -> Reach:
    """At the start: by the settings (``ipv6``), and whether this machine has a way to such addresses, as its system
    says; no packet is sent. Where it has none to any of them it has no network, which is no matter of a family."""
    ways: dict[str, bool] = {}
    for address in addresses:
        family = "IPv6" if ":" in address else "IPv4"
        ways[family] = ways.get(family, False) or _has_way(address)
    cut_off = bool(ways) and not any(ways.values())
    missing = [family for family, there in ways.items() if not there and not cut_off]
    why = [f"{family} (this machine has none)" for family in missing if family == "IPv4" or ipv6]
    why += [] if ipv6 else ["IPv6 (ipv6 = false in [network])"]
    return Reach("IPv4" not in missing, ipv6 and "IPv6" not in missing, why=tuple(why), cut_off=cut_off)


def _has_way(address: str) -> bool:
    try:
        with closing(socket.socket(socket.AF_INET6 if ":" in address else socket.AF_INET, socket.SOCK_DGRAM)) as made:
            made.connect((address, 53))
    except OSError:
        return False
    return True
