"""What is to change, as somebody asks: everything, single RRsets, a name that comes or goes, a part that is handed
on."""

from dataclasses import dataclass

from legatum.core.moves.place import RRsetKey
from legatum.core.records.name import Name, is_under, name_text
from legatum.core.records.rrtype import AAAA, CAA, CNAME, MX, NS, SRV, TXT, A, parse_type, type_text
from legatum.core.running.fault import BadInput

EVERY_TYPE = (A, AAAA, CNAME, MX, NS, TXT, SRV, CAA, parse_type("TLSA"))
"""Asked one by one of a name, as no question gets all of them (RFC 8482)."""


@dataclass(frozen=True, slots=True)
class PlannedChange:
    """``keys``: RRsets that change; ``added``, ``removed``: a name; ``part``: a name handed on to other servers. None
    of them: whatever visitors are led by."""

    keys: tuple[RRsetKey, ...] = ()
    added: Name | None = None
    removed: Name | None = None
    part: Name | None = None

    @property
    def names(self) -> tuple[Name, ...]:
        single = [each for each in (self.added, self.removed, self.part) if each is not None]
        return (*(name for name, _ in self.keys), *single)

    @property
    def text(self) -> str:
        said = [f"{name_text(name)} {type_text(rtype)} changed" for name, rtype in self.keys]
        said += [f"{name_text(self.added)} added"] if self.added is not None else []
        said += [f"{name_text(self.removed)} taken away"] if self.removed is not None else []
        said += [f"{name_text(self.part)} handed on"] if self.part is not None else []
        return ", ".join(said) or "changed"

    @property
    def questions(self) -> list[RRsetKey]:
        """What every server is asked of these names."""
        found = list(self.keys)
        found += [(name, rtype) for name in (self.removed, self.part) if name is not None for rtype in EVERY_TYPE]
        found += [(self.added, rtype) for rtype in (A, AAAA)] if self.added is not None else []
        return list(dict.fromkeys(found))


def refuse_strange(change: PlannedChange, domain: Name) -> None:
    """Raises :class:`BadInput` for names that the domain does not have."""
    for name in change.names:
        if not is_under(name, domain):
            raise BadInput(
                f"{name_text(name)} is not in {name_text(domain)}",
                "a name relative to the domain, or a whole one in it",
            )
    for single in (change.added, change.removed, change.part):
        if single == domain:
            raise BadInput(f"{name_text(domain)} is the domain itself", "give a name below it")
