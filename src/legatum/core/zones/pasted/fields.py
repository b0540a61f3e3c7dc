"""The fields of one pasted row, by columns or by words."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from legatum.core.zones.pasted.words import is_ip, is_lasting, is_number, is_ttl, is_type

_CLASSES = ("IN", "CH", "HS")
_SINGLE = ("A", "AAAA", "CNAME", "NS", "PTR", "ALIAS", "ANAME", "DNAME")  # data of one word


@dataclass
class Fields:
    """Texts as pasted. ``ttl``: None where the table has none for it."""

    kind: str = ""
    name: str = ""
    value: str = ""
    ttl: str | None = None
    priority: str = ""
    weight: str = ""
    port: str = ""
    flags: str = ""
    tag: str = ""
    service: str = ""
    protocol: str = ""


def by_columns(cells: Sequence[str], roles: Mapping[int, str]) -> Fields:
    found = Fields()
    for at, role in roles.items():
        cell = cells[at] if at < len(cells) else ""
        match role:
            case "type":
                found.kind = cell
            case "ttl":
                found.ttl = cell
            case "" | "class":
                pass
            case _:
                setattr(found, role, cell)
    return found


def by_words(cells: Sequence[str]) -> Fields | None:
    """A row of which every word is a cell: what stands before the type is name and TTL, the rest its data, perhaps with
    a TTL behind. None where no word is a type."""
    at = _type_at(cells)
    if at is None:
        return None
    before = [cell for cell in cells[:at] if cell.upper() not in _CLASSES]
    after = list(cells[at + 1 :])
    found = Fields(kind=cells[at])
    names = [cell for cell in before if not is_number(cell) and not is_lasting(cell)]
    lasting = [cell for cell in before if cell not in names]
    if not at and after:  # the type first, then the name
        names = [after.pop(0)]
    found.name = names[0] if names else lasting.pop(0) if lasting and not names and len(before) > 1 else ""
    found.ttl = lasting[0] if lasting else None
    kind = found.kind.upper()
    if kind == "MX":
        _mail(found, after)
        return found
    if kind in _SINGLE and after:
        place = next((at for at, cell in enumerate(after) if kind not in ("A", "AAAA") or is_ip(cell)), 0)
        found.value = after.pop(place)
        rest = [cell for cell in after if cell.upper() not in _CLASSES]
        if found.ttl is None and rest and is_ttl(" ".join(rest)):
            found.ttl = " ".join(rest)
        elif rest:
            found.value = " ".join([found.value, *rest])
        return found
    if found.ttl is None and len(after) > 1 and after[0].startswith('"') and is_ttl(after[-1]):
        found.ttl = after.pop()
    found.value = " ".join(after)
    return found


def _mail(found: Fields, after: list[str]) -> None:
    """Preference and host in either order; what is left is a TTL."""
    hosts = [cell for cell in after if not is_number(cell) and not is_lasting(cell)]
    rest = [cell for cell in after if cell not in hosts]
    found.value = " ".join(hosts)
    if rest and is_number(rest[0]):
        found.priority = rest.pop(0)
    if rest and found.ttl is None:
        found.ttl = " ".join(rest)


def _type_at(cells: Sequence[str]) -> int | None:
    """In capitals before any other way of writing: a host may be called `mx`."""
    first = [at for at, cell in enumerate(cells[:4]) if is_type(cell)]
    capital = [at for at in first if cells[at] == cells[at].upper()]
    return next(iter(capital or first), None)
