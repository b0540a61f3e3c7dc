"""Files that operators on several machines have in common: moves and what belongs to them, and the list of the house's
domains.

Each operator works with files in a folder of his own. Where the journal is a database they are kept there too: brought
from it before they are read, and put into it before an entry of the journal rests on them. What was changed here and
there is told, and nothing overwritten.
"""

import hashlib
import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

from legatum.core.running.fault import GateShut
from legatum.journal.database import Database
from legatum.net.file import write_whole

_SHARED = re.compile(r"[\w%-][\w%.-]*\.(move\.toml|retreat\.toml|waves\.toml|zone)")
_STATE = ".kept"  # a folder: for each file the mark of the state in which it was last the same here and there


@dataclass(frozen=True)
class SharedFiles:
    """``folder``: where the files are here; ``who`` puts them there; ``others``: name on the shelf → a file that is not
    in the folder."""

    database: Database
    folder: Path
    who: str
    now: Callable[[], float]
    others: dict[str, Path]

    def bring(self, stem: str = "", ours: bool = False) -> None:
        """Both sides alike: files whose name begins with ``stem.``, or all. ``ours``: what is here, or here no more,
        counts, as nobody else may change them now. Raises :class:`GateShut` for one that was changed on both."""
        there = self._there(stem)
        for name in sorted({*there, *self._here(stem), *self._known(stem)}):
            self._settle(name, *there.get(name, ("", "somebody who took it away")), ours)

    def _settle(self, name: str, there: str, who: str, ours: bool) -> None:
        here, last = _mark(self._path(name)), self._last(name)
        if here == there == last:
            return
        if here == last or (
            not here and there == last and not ours
        ):  # what somebody takes away by hand is gone for nobody
            self._take(name, there)
        elif there == last or (ours and here != there):
            self._put(name, here)
        elif here != there:
            raise GateShut(
                f"{self._path(name)} was changed here, and by {who} in the database",
                "put one of the two aside: move that file away to go on with what is in the database",
            )
        self._note(name, _mark(self._path(name)))

    def _take(self, name: str, mark: str) -> None:
        path = self._path(name)
        if not mark:
            path.unlink(missing_ok=True)
            return
        found = self.database.rows("SELECT content FROM files WHERE name = ?", name)
        if not found:
            return
        content = bytes(found[0][0])
        if hashlib.sha256(content).hexdigest() != mark or path.is_symlink():
            why = "is a link here" if path.is_symlink() else "is not what whoever put it there had"
            raise GateShut(
                f"{path}: what the database has of it {why}", "put the file there again from where it is right"
            )
        path.parent.mkdir(parents=True, exist_ok=True)
        write_whole(path, content)

    def _put(self, name: str, mark: str) -> None:
        if not mark:
            self.database.remove("files", "name", name)
            return
        content = self._path(name).read_bytes()
        self.database.replace(
            "files", "name", [{"name": name, "mark": mark, "content": content, "who": self.who, "at": self.now()}]
        )

    def _there(self, stem: str) -> dict[str, tuple[str, str]]:
        """Name → mark, and who put it there."""
        begin = f"{stem}." if stem else ""
        said = "SELECT name, mark, who FROM files WHERE substr(name, 1, ?) = ?"
        found = {name: (mark, who) for name, mark, who in self.database.rows(said, len(begin), begin)}
        strange = next((each for each in found if each not in self.others and not is_shared(each)), None)
        if strange is not None:
            raise GateShut(
                f"the database has a file {strange!r}, which is none of ours: nothing is written here",
                "whoever put it there can write in the database: find out who, and remove that row of the table files",
            )
        return found

    def _here(self, stem: str) -> Iterator[str]:
        if self.folder.is_dir():
            yield from (path.name for path in self.folder.glob(f"{stem}.*" if stem else "*") if is_shared(path.name))
        if not stem:
            yield from (name for name, path in self.others.items() if path.exists())

    def _path(self, name: str) -> Path:
        return self.others.get(name, self.folder / name)

    def _known(self, stem: str) -> list[str]:
        """Files that were the same here and there at some time."""
        folder = self.folder / _STATE
        return [path.name for path in folder.glob(f"{stem}.*" if stem else "*")] if folder.is_dir() else []

    def _last(self, name: str) -> str:
        try:
            return (self.folder / _STATE / name).read_text(encoding="ascii")
        except FileNotFoundError:
            return ""

    def _note(self, name: str, mark: str) -> None:
        path = self.folder / _STATE / name
        if mark:
            path.parent.mkdir(parents=True, exist_ok=True)
            write_whole(path, mark)
        else:
            path.unlink(missing_ok=True)


def is_shared(name: str) -> bool:
    """The name of a file that belongs to a move, or to one of many: in the folder of moves, and nowhere else."""
    return _SHARED.fullmatch(name) is not None


def _mark(path: Path) -> str:
    """Of a file's content, empty for none."""
    try:
        return hashlib.sha256(path.read_bytes()).hexdigest()
    except FileNotFoundError:
        return ""
