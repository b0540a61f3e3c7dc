"""Which column has what: by a heading, else by what stands in it."""

from collections.abc import Callable, Sequence

from legatum.core.records.name import Name, name_text
from legatum.core.zones.pasted.layout import Layout, Row, is_heading
from legatum.core.zones.pasted.words import is_ip, is_lasting, is_number, is_ttl, is_type, role_of

_MOST_OF = 0.6
_LEAST_TTL = 30  # seconds: a smaller number in a column beside is a priority


def roles_of(layout: Layout, domain: Name) -> tuple[dict[int, str], tuple[Row, ...], bool]:
    """Column → what it has; the rows with records; whether a heading said so."""
    rows = layout.rows
    for at, row in enumerate(rows[:3]):
        if is_heading(row):
            return (
                _first_of_each({column: role_of(cell) for column, cell in enumerate(row.cells) if role_of(cell)}),
                rows[at + 1 :],
                True,
            )
    return _by_contents(rows, domain), rows, False


def _first_of_each(roles: dict[int, str]) -> dict[int, str]:
    """A heading that comes twice counts where it stands first."""
    found: dict[int, str] = {}
    for column, role in roles.items():
        if role not in found.values():
            found[column] = role
    return found


def _by_contents(rows: Sequence[Row], domain: Name) -> dict[int, str]:
    width = max((len(row.cells) for row in rows), default=0)
    columns = {at: [row.cells[at] if at < len(row.cells) else "" for row in rows] for at in range(width)}
    roles: dict[int, str] = {}

    def left() -> list[int]:
        return [at for at in columns if at not in roles]

    type_at = max(columns, key=lambda at: (_share(columns[at], is_type), -at), default=None)
    if type_at is None:
        return {}
    roles[type_at] = "type"
    for at in left():
        if _is_idle(columns[at], len(rows)):
            roles[at] = ""
    value_at = _value_column(columns, columns[type_at], left())
    if value_at is not None:
        roles[value_at] = "value"
    for at in left():
        if _share(columns[at], is_ttl) == 1 and (any(map(is_lasting, columns[at])) or _is_large(columns[at])):
            roles[at] = "ttl"
            break
    whole = name_text(domain)
    named = [at for at in left() if not all(not cell or is_number(cell) or cell in ("-", "–") for cell in columns[at])]
    named = named or [at for at in left() if any(cell in ("", "@") for cell in columns[at])][:1]
    if named:
        roles[max(named, key=lambda at: (_share(columns[at], lambda cell: _is_own(cell, whole)), -at))] = "name"
    for at, role in zip([at for at in left() if any(columns[at])], ("priority", "weight", "port"), strict=False):
        if _share(columns[at], lambda cell: is_number(cell) or cell in ("", "-", "–", "n/a")) == 1:
            roles[at] = role
    return roles


def _value_column(columns: dict[int, list[str]], types: list[str], left: Sequence[int]) -> int | None:
    """Where the addresses of A and AAAA records stand; without such, where the longest texts do."""
    addressed = [row for row, kind in enumerate(types) if kind.upper() in ("A", "AAAA")]
    if addressed:
        counted = {at: sum(is_ip(columns[at][row]) for row in addressed) for at in left}
        best = max(counted, key=lambda at: (counted[at], -at), default=None)
        if best is not None and counted[best]:
            return best
    told = [at for at in left if _share(columns[at], is_ttl) != 1]
    return max(told or left, key=lambda at: (sum(map(len, columns[at])), at), default=None)


def _is_idle(cells: Sequence[str], count: int) -> bool:
    """The same in every row, as buttons and states are; or a number of the rows."""
    filled = {cell for cell in cells if cell}
    if count >= 3 and len(filled) == 1 and "" not in cells:
        (only,) = filled
        return not is_ttl(only) and not is_type(only) and only != "@" and "." not in only and not is_ip(only)
    return count >= 3 and [cell.rstrip(".)") for cell in cells] == [str(number) for number in range(1, count + 1)]


def _is_large(cells: Sequence[str]) -> bool:
    numbers = [int(cell) for cell in cells if cell.isdecimal()]
    return bool(numbers) and min(numbers) >= _LEAST_TTL


def _is_own(cell: str, whole: str) -> bool:
    """The apex, or a name that ends in the domain."""
    return cell in ("@", "") or cell.rstrip(".").lower().endswith(whole)


def _share(cells: Sequence[str], holds: Callable[[str], bool]) -> float:
    return sum(map(holds, cells)) / len(cells) if cells else 0.0
