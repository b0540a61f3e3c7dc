"""One verdict about a domain: does everybody who hands out its NS set hand out the expected one?"""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from legatum.core.name import Name, name_text
from legatum.core.picture import Picture
from legatum.core.rrset import targets


@dataclass(frozen=True, slots=True)
class Check:
    """What one party says. ``until``: it may keep saying so until then (seconds since 1970) without anything being wrong."""

    party: str
    who: str
    agrees: bool
    said: str
    until: float | None = None


@dataclass(frozen=True, slots=True)
class Verdict:
    """``expected``: the NS set everybody should have; ``checks``: party by party."""

    domain: Name
    at: float
    expected: tuple[Name, ...]
    checks: tuple[Check, ...]

    @property
    def confirmed(self) -> bool:
        return bool(self.checks) and all(check.agrees for check in self.checks)

    @property
    def disagreeing(self) -> tuple[Check, ...]:
        return tuple(check for check in self.checks if not check.agrees)


def names_said(names: Iterable[Name]) -> str:
    return ", ".join(name_text(name) for name in names) or "nothing"


def agreement(picture: Picture, expected: tuple[Name, ...] | None = None) -> Verdict:
    """``expected``: the NS set wanted; without one the parent's, so that the verdict says whether all agree with each other."""
    wanted = tuple(sorted(expected)) if expected is not None else picture.delegation
    return Verdict(picture.domain, picture.at, wanted, tuple(_checks(picture, wanted)))


def _checks(picture: Picture, wanted: tuple[Name, ...]) -> Iterator[Check]:
    for parent in picture.parents:
        said = names_said(targets(parent.ns)) if parent.ns else parent.outcome
        yield Check(
            "parent",
            f"{name_text(parent.server)} ({parent.address})",
            bool(wanted) and targets(parent.ns) == wanted,
            said,
        )
    for view in picture.servers:
        said = names_said(targets(view.ns)) if view.serves else view.outcome
        yield Check("child", f"{name_text(view.server)} ({view.address})", view.serves and targets(view.ns) == wanted, said)
    if picture.registration is not None:
        held = tuple(sorted(picture.registration.nameservers))
        yield Check("registrar", picture.registration.registrar, held == wanted, names_said(held))
    for resolver in picture.resolvers:
        said = names_said(targets(resolver.ns)) if resolver.ns else resolver.outcome
        until = picture.at + resolver.ns.ttl if resolver.ns else None
        agrees = targets(resolver.ns) == wanted
        yield Check("resolver", f"{resolver.name} ({resolver.address})", agrees, said, None if agrees else until)
