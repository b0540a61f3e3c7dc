"""Where a zone's contents come from: a provider, a master file, or a server that allows a transfer."""

import re
import sys
from pathlib import Path

from legatum.core.records.name import Name, file_name, is_under, name_text, parse_domain, parse_name
from legatum.core.running.fault import BadInput
from legatum.core.text.nearest import proposal
from legatum.core.zones.completeness import Completeness, Degree, transferred
from legatum.core.zones.contents import SERVER, Contents, zone_of_pasted
from legatum.core.zones.masterfile import Include, Reading, parse_master, read_master
from legatum.core.zones.pasted.reading import Pasted, read_pasted
from legatum.net.zones.zone_transfer import transfer
from legatum.settings.document import FilesProvider
from legatum.work.run_context import RunContext

STDIN = Path("-")
_MASTER = re.compile(r"^\$(?:ORIGIN|TTL|INCLUDE)\b|\bSOA[ \t]+[^ \t]+[ \t]+[^ \t]+[ \t\r\n]*(?:\(|[0-9])", re.M | re.I)
_FROM_FILE = Completeness(Degree.UNCHECKED, "nobody was asked what is served")


def read_master_file(path: Path, origin: Name | None = None) -> Contents:
    """``origin``: the zone's name; where it is not given the file must say it in ``$ORIGIN`` or by its name. Raises
    :class:`BadInput`."""
    return _master(_text(path), path, origin)


def read_file(path: Path, origin: Name | None = None) -> Contents:
    """A file as people have it: a master file, or rows pasted from a form or a mail; ``-`` is standard input. Raises
    :class:`BadInput`, also for a table with rows of which nothing can be made."""
    text = _text(path)
    if is_master(text):
        return _master(text, path, origin)
    pasted = read_table(path, text, origin)
    if pasted.faults:
        first, *others = pasted.faults
        more = f", and {len(others)} more" if others else ""
        raise BadInput(
            f"{path}:{first.row.line}: {first.fault}{more}",
            "mend these rows, or take them out: `legatum lint FILE` shows every one",
        )
    return Contents(zone_of_pasted(pasted), str(path), f"rows pasted: {pasted.layout}", _FROM_FILE, pasted)


def is_master(text: str) -> bool:
    """By what only master files have: directives, and an SOA record with its numbers; anything else is read as a
    table."""
    return _MASTER.search(text) is not None


def read_table(path: Path, text: str, origin: Name | None) -> Pasted:
    """Raises :class:`BadInput` for what is no table, and where nobody says of which zone."""
    try:
        return read_pasted(text, origin if origin is not None else _origin_of(path, text))
    except BadInput as fault:
        raise BadInput(f"{path}: {fault.message}", fault.remedy) from None


def read_text(path: Path) -> str:
    """Raises :class:`BadInput`."""
    return _text(path)


def _master(text: str, path: Path, origin: Name | None) -> Contents:
    zone = parse_master(text, _wanted_origin(path, text, origin), str(path), _including(path.parent))
    return Contents(zone, str(path), "master file", _FROM_FILE)


def read_slips(path: Path, text: str, origin: Name | None = None) -> tuple[Name, Reading]:
    """As :func:`read_master_file`, but with what is wrong in the file instead of a fault: the zone's name, and what was
    read."""
    domain = _wanted_origin(path, text, origin)
    return domain, read_master(text, domain, str(path), _including(path.parent))


def domain_of(path: Path) -> Name:
    """The zone that a master file is of, from its ``$ORIGIN`` or its name. Raises :class:`BadInput`."""
    return _origin_of(path, _text(path))


def zone_file(domain: Name) -> str:
    """What the master file of a zone is called where nothing else is said; it cannot leave its folder."""
    return f"{file_name(domain)}.zone"


def is_served(context: RunContext, place: str) -> bool:
    """What stands at the place is handed out to visitors."""
    return place in context.providers or place.startswith("server:")


def is_file(place: str) -> bool:
    """The place is meant as a master file."""
    return place == str(STDIN) or Path(place).exists() or "/" in place or place.endswith(".zone")


def _text(path: Path) -> str:
    try:
        return (path.read_bytes() if path != STDIN else sys.stdin.buffer.read()).decode("utf-8")
    except OSError as error:
        raise BadInput(f"{path}: {error.strerror}", "give a master file that can be read") from None
    except UnicodeDecodeError as error:
        raise BadInput(f"{path}: not UTF-8 at octet {error.start}", "save it as UTF-8") from None


def _including(folder: Path) -> Include:
    """``$INCLUDE`` of files in the folder of the first one or below it, and nowhere else."""
    root = folder.resolve()

    def include(file: str, name: str) -> tuple[str, str]:
        path = root / name
        if not path.resolve().is_relative_to(root):
            raise BadInput(f"{name} lies outside the folder {folder}", "a file in the folder of the master file")
        return str(folder / name), _text(path)

    return include


def _wanted_origin(path: Path, text: str, origin: Name | None) -> Name:
    """The zone that is asked for. Raises :class:`BadInput` where the file says that it is of another one."""
    if origin is None:
        return _origin_of(path, text)
    said = _said_origin(text)
    if said is not None and not is_under(said, origin):
        raise BadInput(
            f"{path} is of {name_text(said)}, not of {name_text(origin)}",
            "give that zone's own file, or name its domain",
        )
    return origin


def _origin_of(path: Path, text: str) -> Name:
    """By what the file says, or by its own name."""
    if (said := _said_origin(text)) is not None:
        return said
    stem = path.name.removesuffix(".zone").removesuffix(".txt")
    if "." in stem:
        return parse_domain(stem)
    raise BadInput(f"{path}: which zone is this?", "write $ORIGIN before the first record, or give the domain")


def _said_origin(text: str) -> Name | None:
    """By ``$ORIGIN`` before the first record, or by an SOA record that is the first and has its whole name."""
    for line in re.finditer(r"[^\n]+", text):  # seldom more than the first few: the whole file need not be split
        words = line[0].split(";")[0].split()
        if len(words) == 2 and words[0].upper() == "$ORIGIN":
            return parse_name(words[1])
        if len(words) > 1 and words[0].endswith(".") and "SOA" in (word.upper() for word in words[1:4]):
            return parse_name(words[0])
        if words and words[0].upper() != "$TTL":
            break
    return None


async def contents_of(context: RunContext, place: str, domain: Name | None) -> Contents:
    """The zone at a place: a provider's name, a file, a folder of files, or ``server:ADDRESS``.

    Raises :class:`BadInput` or :class:`OutsideFault`.
    """
    check_place(context, place)
    if place in context.providers:
        zone = await context.provider(place).fetch(_needed(domain, place))
        if isinstance(context.providers[place], FilesProvider):
            return Contents(zone, place, "the provider's master file", _FROM_FILE)
        by_asking = context.gathered.get((context.provider(place).servers, zone.origin))
        return Contents(
            zone, place, "zone transfer" if by_asking is None else "what its servers answer", by_asking or transferred()
        )
    if place.startswith(SERVER):
        zone = await transfer(context.asker, place.removeprefix(SERVER), _needed(domain, place))
        return Contents(zone, place, "zone transfer", transferred())
    path = Path(place)
    return read_file(path / zone_file(domain) if domain is not None and path.is_dir() else path, domain)


def check_place(context: RunContext, place: str) -> None:
    """Raises :class:`BadInput` for a place that is neither a provider nor a server nor a file."""
    if place not in context.providers and not place.startswith(SERVER) and not is_file(place):
        known = ", ".join(sorted(context.providers)) or "none in the settings"
        raise BadInput(
            f"'{place}' is neither a provider nor a file{proposal(place, context.providers)}",
            f"providers: {known}; or a master file, or server:ADDRESS",
        )


def _needed(domain: Name | None, place: str) -> Name:
    if domain is None:
        raise BadInput(f"which zone at {place}?", "give --domain")
    return domain
