"""The inventory as it was the last time: a line for each domain in a file beside the settings, read as a stream."""

import hashlib
from collections.abc import Iterator, Mapping
from pathlib import Path

import msgspec

from legatum.core.house.inventory import Item, Side
from legatum.core.running.fault import BadInput
from legatum.net.file import unwritable, write_whole

NAME, PART, HEAD = "inventory.jsonl", "inventory.part.jsonl", "inventory.head.json"
_encode = msgspec.json.encode


class Head(msgspec.Struct):
    """Of a whole inventory: when it was taken, and whose servers were ours then."""

    at: float
    sides: tuple[Side, ...]


def read_head(folder: Path) -> Head | None:
    """Of the last one; None where there is none."""
    try:
        return msgspec.json.decode((folder / HEAD).read_bytes(), type=Head)
    except (OSError, msgspec.DecodeError):
        return None


def write_item(item: Item) -> bytes:
    return _encode(item) + b"\n"


def read_items(path: Path) -> Iterator[Item]:
    """A last line that was broken off is passed over. Raises :class:`BadInput` where the file is there and cannot be
    read."""
    if not path.exists():
        return
    try:
        with path.open("rb") as lines:
            for line in lines:
                try:
                    yield msgspec.json.decode(line, type=Item)
                except msgspec.DecodeError:
                    if line.endswith(b"\n"):
                        raise BadInput(
                            f"{path}: no inventory", "take the file away: the next inventory makes it anew"
                        ) from None
    except OSError as error:
        raise BadInput(f"{path}: {error.strerror}", "mend its rights") from None


def cut_off(path: Path) -> None:
    """Before it is gone on with: a last line that was broken off goes."""
    if path.exists():
        octets = path.read_bytes()
        if not octets.endswith(b"\n"):
            with path.open("r+b") as file:
                file.truncate(octets.rfind(b"\n") + 1)


def marks_of(path: Path) -> dict[bytes, bytes]:
    """Domain → mark of its line, both as digests: so that two inventories of many domains can be held against each
    other in little room."""
    return {_digest(each.domain.encode()): _digest(_encode(each)) for each in read_items(path)}


def is_as_before(marks: Mapping[bytes, bytes], item: Item) -> bool | None:
    """None for a domain that was not there."""
    before = marks.get(_digest(item.domain.encode()))
    return None if before is None else before == _digest(_encode(item))


def taken_over(folder: Path, head: Head) -> None:
    """The new one is whole: it takes the place of the last."""
    path = folder / NAME
    try:
        (folder / PART).replace(path)
    except OSError as error:
        raise unwritable(path, error) from None
    write_whole(folder / HEAD, _encode(head))


def _digest(octets: bytes) -> bytes:
    return hashlib.blake2b(octets, digest_size=12).digest()
