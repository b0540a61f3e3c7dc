"""The list of a fleet move: domains, and what differs from one to the other, in columns that are called as the options
are."""

import argparse
from dataclasses import dataclass, field
from functools import cache
from typing import TYPE_CHECKING, Any

from legatum.cli.moves.wishes import add_wishes
from legatum.cli.program.parser import Parser

if TYPE_CHECKING:
    from collections.abc import Mapping

    from legatum.core.records.name import Name

_CALLED = {"provider": "to", "new provider": "to", "old provider": "from"}  # headings that people have
CUSTOMER, ADDRESS = "customer", "address"
_SEVERAL = "|"  # between values of an option that may be given several times
_YES = ("yes", "y", "true", "x", "1")


@dataclass(frozen=True)
class Rows:
    """``wishes``: domain → the options that are its own; ``unused``: headings that say nothing of a move."""

    domains: "tuple[Name, ...]"
    wishes: "dict[Name, dict[str, Any]]" = field(default_factory=dict)
    customers: "dict[Name, str]" = field(default_factory=dict)
    unused: tuple[str, ...] = ()


@cache
def wish_parser() -> Parser:
    parser = Parser(prog="legatum list", add_help=False)
    add_wishes(parser)
    return parser


def wish_of(args: argparse.Namespace) -> dict[str, Any]:
    """The options of a wish that were given, by their names on the line."""
    parser, given = wish_parser(), vars(args)
    usual = vars(parser.parse_args([]))
    names = {parser.dest_of(flag): flag.removeprefix("--") for flag in sorted(parser.flags)}
    return {names[name]: given[name] for name, value in usual.items() if given[name] != value}


def with_wish(args: argparse.Namespace, *wishes: "dict[str, Any]") -> argparse.Namespace:
    """The same line with these options instead of those that were typed; later ones before earlier ones."""
    parser = wish_parser()
    found = vars(args) | vars(parser.parse_args([]))
    for name, value in (each for wish in wishes for each in wish.items()):
        found[parser.dest_of(f"--{name}") if f"--{name}" in parser.flags else name] = (
            list(value) if isinstance(value, list) else value
        )
    return argparse.Namespace(**found)


def read_table(source: str, column: str | None) -> Rows:
    """Raises :class:`BadInput` for what is no domain, for values that no option takes, and for a domain that stands
    there twice with different ones."""
    from legatum.core.records.name import Name, name_text, parse_domain
    from legatum.core.running.fault import BadInput
    from legatum.core.text.table import Column
    from legatum.work.listing import read_rows

    its, seen = Column(column, source), dict[Name, tuple[int, dict[str, Any], str]]()
    for row in read_rows(source):
        if not (text := its.of(row)):
            continue
        cells, place = dict(zip(its.headings, row.cells, strict=False)), f"{source}:{row.number}"
        try:
            domain = parse_domain(text)
        except BadInput as fault:
            raise BadInput(f"{place}{its.words}: {fault.message}", fault.remedy) from None
        try:
            wish = _wish(cells)
        except BadInput as fault:
            raise BadInput(f"{place}: {fault.message}", fault.remedy) from None
        number, *earlier = seen.setdefault(domain, (row.number, wish, cells.get(CUSTOMER, "")))
        if earlier != [wish, cells.get(CUSTOMER, "")]:
            raise BadInput(
                f"{place}: {name_text(domain)} stands on line {number} too, with other values", "keep one of them"
            )
    if not seen:
        raise BadInput(
            f"{source}: no domain in it", "give a file with one name a line, or a table with a column `domain`"
        )
    unused = [each for each in its.beside if _flag(each) is None and each not in (CUSTOMER, ADDRESS)]
    return Rows(
        tuple(seen), {domain: wish for domain, (_, wish, _) in seen.items() if wish},
        {domain: customer for domain, (*_, customer) in seen.items() if customer}, tuple(unused),
    )  # fmt: skip


def _flag(heading: str) -> str | None:
    """The option that a column is called by; None for a column of something else."""
    name = _CALLED.get(heading, heading).strip().replace(" ", "-")
    return f"--{name}" if f"--{name}" in wish_parser().flags else None


def _wish(cells: "Mapping[str, str]") -> dict[str, Any]:
    """What a row says of its domain's move. Raises :class:`BadInput`."""
    words: list[str] = []
    for heading, text in cells.items():
        flag = _flag(heading)
        if flag is None or not text:
            continue
        if wish_parser().is_switch(flag):
            words += [flag] if text.casefold() in _YES else []
        else:
            words += [f"{flag}={each.strip()}" for each in text.split(_SEVERAL)]
    address = cells.get(ADDRESS, "")
    if address and cells.get("template"):
        words.append(f"--set={ADDRESS}={address}")
    wish = wish_of(wish_parser().parse_args(words))
    return wish | ({ADDRESS: address} if address and not cells.get("template") else {})
