"""Moves of signed domains with the installed program, and what resolvers that validate say of them."""

import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager

import dns.flags

from legatum.core.records.name import Name, parse_name
from legatum.wire.epp import DomainChange
from tests.real.lab import Lab
from tests.real.processes import asked
from tests.real.visitors import Noticed, Visitors

Tours = dict[
    str, tuple[str, Callable[[Lab, str, str], None]]
]  # domain → the provider that it is at, and what is done with it there
Careless = dict[str, tuple[str, Callable[[Lab, str], None]]]
VALID = "connected and valid"


def carried_out(
    lab: Lab, domain: str, *wishes: str, back: bool = False, until: str = "", registrar: str = "flint"
) -> None:
    """``back``: and taken back; ``until``: only so far."""
    drafted = lab.legatum("move", "draft", domain, *wishes, "--registrar", registrar, "--publishing", "5s")
    assert drafted["steps"], drafted
    if "--registrar-to" not in wishes:  # nothing that caches hold changes with that
        assert lab.legatum("move", "rehearse", domain)["safe"]
    ended = lab.legatum("move", "advance", domain, "--yes", "--wait", *(["--until", until] if until else []))
    assert until or ended["halt"] == "complete"
    if back:
        assert lab.legatum("move", "retreat", domain, "--yes", "--wait")["halt"] == "complete"


def authenticated(lab: Lab, domain: str) -> list[bool]:
    """Whether each resolver has validated the domain, once they have let go of what they knew before."""
    time.sleep(5)
    return [bool(asked(each.address, domain, "SOA", dnssec=True).flags & dns.flags.AD) for each in lab.resolvers]


def changed(lab: Lab, domain: str, at: str = "flint", **change: tuple[bytes, ...]) -> None:
    """At the registrar's own pages, by somebody who looks at nothing."""
    words = (at, parse_name(f"{domain}."), DomainChange(**change))  # type: ignore[arg-type]
    lab.registry.loop.call_soon_threadsafe(lab.registry.registry.domains.update, *words)


def servers(name: str) -> tuple[Name, ...]:
    return tuple(parse_name(f"ns{number}.{name}.example.") for number in (1, 2))


@contextmanager
def failing(lab: Lab, domain: str) -> Iterator[None]:
    """Some name of the domain fails meanwhile, to visitors behind resolvers that validate."""
    with Noticed(lab.resolvers, domain) as noticed:
        yield
    assert any(each.endswith(domain) for each in noticed.names)


def never_bogus(lab: Lab, tours: Tours, careless: Careless, rate: float) -> None:
    """All of them side by side, with visitors of the domains on tour throughout: not one bogus or failed answer."""
    visitors = [Visitors(each.address, [*tours], rate=rate) for each in lab.resolvers]
    for each in visitors:
        each.start()
    with ThreadPoolExecutor(len(tours) + len(careless)) as workers:
        works = {domain: workers.submit(tour, lab, domain, home) for domain, (home, tour) in tours.items()}
        works |= {domain: workers.submit(variant, lab, domain) for domain, (_, variant) in careless.items()}
    failed = {domain: work.exception() for domain, work in works.items() if work.exception() is not None}
    for each in visitors:
        each.stop()
    assert not failed, "\n\n".join(f"{domain}: {str(error)[:2500]}" for domain, error in failed.items())
    assert [each.wrong[:5] for each in visitors] == [[], []]
    assert all(each.asked > 1000 for each in visitors)
