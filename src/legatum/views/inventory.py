"""The inventory by groups: what is in order, and where registrars, servers and lists contradict each other."""

import csv
import io
from collections.abc import Iterable, Mapping, Sequence

from legatum.core.calendar.instant import instant_text
from legatum.core.house.inventory import Group, Item
from legatum.core.text.printable import cell_text
from legatum.views.document import Document, Part
from legatum.views.page import render
from legatum.views.screen import BAD, DOUBT, GOOD, Screen

_MOST_SHOWN = 12
_BAD = (Group.LAME, Group.RUNNING_OUT, Group.TWO_COPIES)
COLUMNS = ("domain", "delegation", "served by", "serials", "registered at", "expires", "statuses", "groups")


class MemberPart(Part):
    domain: str
    why: str


class GroupPart(Part):
    """``group``: by which `legatum inventory --group` lists it."""

    group: str
    title: str
    remedy: str
    count: int
    members: list[MemberPart]


class ChangePart(Part):
    domain: str
    told: list[str]


class InventoryDocument(Document, tag="legatum.inventory/1"):
    """``groups``: worst first; a domain may be in several. ``changes``: against the last inventory, ``before`` when
    that was, null for the first one; ``came`` and ``gone``: domains that are in one of the two only. ``left_out``:
    sources that could not be read."""

    at: str
    domains: int
    groups: list[GroupPart]
    before: str | None
    changes: list[ChangePart]
    came: list[str]
    gone: list[str]
    left_out: list[str]


def inventory_document(
    at: float, count: int, groups: Mapping[Group, Sequence[tuple[str, str]]], before: float | None,
    changes: Sequence[tuple[str, Sequence[str]]], came: Sequence[str], gone: Sequence[str], left_out: Sequence[str],
) -> InventoryDocument:  # fmt: skip
    return InventoryDocument(
        at=instant_text(at),
        domains=count,
        groups=[
            GroupPart(
                group=group, title=group.heading, remedy=group.remedy, count=len(groups[group]),
                members=[MemberPart(domain=domain, why=why) for domain, why in sorted(groups[group])],
            )
            for group in Group
            if groups.get(group)
        ],
        before=instant_text(before) if before is not None else None,
        changes=[ChangePart(domain=domain, told=list(told)) for domain, told in changes],
        came=sorted(came),
        gone=sorted(gone),
        left_out=list(left_out),
    )  # fmt: skip


def show_inventory(document: InventoryDocument, screen: Screen) -> None:
    contrary = [each for each in document.groups if each.group != Group.WELL]
    bad = any(each.group in _BAD for each in contrary)
    told = ", ".join(f"{each.count} {each.title}" for each in document.groups) or "nothing held"
    first = contrary[0] if contrary else None
    following = f"`legatum inventory --group {first.group}` lists them; {first.remedy}" if first is not None else ""
    screen.verdict(not bad, f"{document.domains} domain{'' if document.domains == 1 else 's'}: {told}", following)
    for each in document.groups:
        style = BAD if each.group in _BAD else GOOD if each.group == Group.WELL else DOUBT
        screen.line()
        screen.line(f"{each.count} {each.title}  [{each.group}]", style)
        if each.group == Group.WELL:
            continue
        for member in each.members[:_MOST_SHOWN]:
            screen.line(f"  {member.domain}: {member.why}", indent=4)
        if each.count > _MOST_SHOWN:
            screen.line(f"  and {each.count - _MOST_SHOWN} more: `legatum inventory --group {each.group}`")
    if document.before is not None:
        screen.heading(f"Since {document.before}")
        for change in document.changes[:_MOST_SHOWN]:
            screen.line(f"  {change.domain}: {'; '.join(change.told)}", indent=4)
        if len(document.changes) > _MOST_SHOWN:
            screen.line(f"  and {len(document.changes) - _MOST_SHOWN} more; --json lists all")
        for words, names in (("new", document.came), ("no longer there", document.gone)):
            if names:
                more = f" and {len(names) - _MOST_SHOWN} more" if len(names) > _MOST_SHOWN else ""
                screen.line(f"  {words}: {', '.join(names[:_MOST_SHOWN])}{more}", indent=4)
        if not (document.changes or document.came or document.gone):
            screen.line("  nothing has changed")
    if document.left_out:
        screen.heading("Not looked at")
        for text in document.left_out:
            screen.line(f"  {text}", DOUBT, indent=4)


def inventory_csv(rows: Iterable[tuple[Item, Sequence[Group]]]) -> Iterable[str]:
    """A line each, the heading first; no cell is a formula to a spreadsheet."""
    yield _line(COLUMNS)
    for item, groups in rows:
        yield _line(
            (
                item.domain,
                " ".join(item.delegation) if item.delegation is not None else "not known",
                " ".join(item.served),
                " ".join(map(str, item.served.values())),
                " ".join(item.accounts),
                item.expires,
                " ".join(item.statuses),
                " ".join(groups),
            )
        )


def _line(cells: Sequence[str]) -> str:
    text = io.StringIO()
    csv.writer(text, lineterminator="\n").writerow([cell_text(cell) for cell in cells])
    return text.getvalue()


def inventory_page(document: InventoryDocument) -> str:
    return render("inventory.html", inventory=document, bad=[str(each) for each in _BAD])
