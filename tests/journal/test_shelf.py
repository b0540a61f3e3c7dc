"""What somebody who can write in the common database puts on the shelf never reaches beyond the folder of moves."""

import hashlib
from pathlib import Path

import pytest

from legatum.core.running.fault import GateShut
from legatum.journal.database import Database
from legatum.journal.shared_files import SharedFiles

CONTENT = b"# a move\n"


def shelf(tmp_path: Path) -> tuple[SharedFiles, Database]:
    database = Database("journal.sqlite", tmp_path)
    return SharedFiles(database, tmp_path / "moves", "hill", lambda: 10.0, {"domains": tmp_path / "domains"}), database


def put(database: Database, name: str, content: bytes = CONTENT, mark: str = "") -> None:
    mark = mark or hashlib.sha256(content).hexdigest()
    database.replace("files", "name", [{"name": name, "mark": mark, "content": content, "who": "dale", "at": 9.0}])


def test_what_belongs_there_is_brought(tmp_path: Path) -> None:
    there, database = shelf(tmp_path)
    put(database, "kilnandclay.example.move.toml")
    put(database, "0%2F25.example.zone")
    put(database, "domains")
    there.bring()
    assert {path.name for path in (tmp_path / "moves").glob("*.*")} == {
        ".kept",
        "kilnandclay.example.move.toml",
        "0%2F25.example.zone",
    }
    assert (tmp_path / "domains").read_bytes() == CONTENT


@pytest.mark.parametrize(
    "name", ["../beyond.move.toml", "/tmp/beyond.zone", "..", ".kept", "a.sh", "a/b.zone", "a\nb.zone", ".zone", ""]
)
def test_a_name_that_is_none_of_ours_is_told_and_nothing_is_written(tmp_path: Path, name: str) -> None:
    there, database = shelf(tmp_path)
    put(database, "kilnandclay.example.move.toml")
    put(database, name)
    with pytest.raises(GateShut, match="none of ours"):
        there.bring()
    assert not [path for path in tmp_path.rglob("*") if path.is_file() and "journal" not in path.name]


def test_other_content_than_its_mark_and_a_link_are_refused(tmp_path: Path) -> None:
    there, database = shelf(tmp_path)
    put(database, "kilnandclay.example.move.toml", mark="0" * 64)
    with pytest.raises(GateShut, match="is not what whoever put it there had"):
        there.bring()
    put(database, "kilnandclay.example.move.toml")
    other = tmp_path / "other"
    (tmp_path / "moves").mkdir(exist_ok=True)
    (tmp_path / "moves" / "kilnandclay.example.move.toml").symlink_to(other)
    with pytest.raises(GateShut, match="is a link here"):
        there.bring()
    assert not other.exists()
