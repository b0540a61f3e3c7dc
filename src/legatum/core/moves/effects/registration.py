"""What a registrar transfer is made of (rule 13): nothing of it is held by caches."""

from dataclasses import dataclass

from legatum.core.moves.effects.effect import Effect
from legatum.core.records.name import Name


class OfRegistration(Effect):
    __slots__ = ()
    of_registration = True


@dataclass(frozen=True, slots=True)
class Statuses(OfRegistration):
    """Statuses set and lifted at an account (RFC 5731 s2.3)."""

    registrar: str
    domain: Name
    to_set: tuple[str, ...] = ()
    to_lift: tuple[str, ...] = ()

    def reverse(self) -> "Statuses":
        return Statuses(self.registrar, self.domain, self.to_lift, self.to_set)


@dataclass(frozen=True, slots=True)
class Transfer(OfRegistration):
    """``op``: ``request`` at the gaining registrar, ``approve`` at the losing one, or ``cancel``. ``code``: where the
    authorisation code is, as a reference; ``years`` that it adds; ``known_as``: how registration data name the
    registrar that has the domain now."""

    op: str
    losing: str
    gaining: str
    domain: Name
    known_as: str
    code: str = ""
    years: int = 0

    def reverse(self) -> "Transfer | None":
        return (
            Transfer("cancel", self.losing, self.gaining, self.domain, self.known_as) if self.op == "request" else None
        )


@dataclass(frozen=True, slots=True)
class Fit(OfRegistration):
    """Nothing stands in the way of a transfer."""

    losing: str
    gaining: str
    domain: Name
    changes = False


@dataclass(frozen=True, slots=True)
class Followed(OfRegistration):
    """The registry holds the domain for the gaining registrar."""

    losing: str
    gaining: str
    domain: Name
    known_as: str
    changes = False


@dataclass(frozen=True, slots=True)
class Kept(OfRegistration):
    """NS set, DS records and hosts are what they were."""

    gaining: str
    domain: Name
    changes = False


@dataclass(frozen=True, slots=True)
class RegistrantChanged(OfRegistration):
    gaining: str
    domain: Name
    contact: str


@dataclass(frozen=True, slots=True)
class CodeChanged(OfRegistration):
    """Another authorisation code, which nobody knows."""

    gaining: str
    domain: Name


@dataclass(frozen=True, slots=True)
class Settled(OfRegistration):
    """Registration data name the gaining registrar, and the parent's servers hand out what they did."""

    gaining: str
    domain: Name
    known_as: str
    changes = False
