"""The house in a browser: an index, and a page for each domain."""

from collections.abc import Iterable
from pathlib import Path

from legatum.core.calendar.instant import for_people
from legatum.core.records.name import file_name, parse_domain
from legatum.net.file import write_whole
from legatum.views.moves.history import HistoryDocument
from legatum.views.moves.house import HouseDocument
from legatum.views.moves.move import MoveDocument
from legatum.views.page import render


def write_house(folder: Path, document: HouseDocument, moves: Iterable[tuple[MoveDocument, HistoryDocument]]) -> int:
    """An index, and a page for each domain, each in one file; how many. Raises as
    :func:`~legatum.net.file.write_whole`."""
    pages = [(move, history, f"{_file_name(move.domain)}.html") for move, history in moves]
    links = {move.domain: name for move, _, name in pages}
    write_whole(folder / "index.html", for_people(render("house.html", house=document, links=links)))
    for move, history, name in pages:
        write_whole(folder / name, for_people(render("house_domain.html", move=move, history=history, at=document.at)))
    return len(pages) + 1


def _file_name(domain: str) -> str:
    return file_name(parse_domain(domain))
