"""Files are written whole or not at all: mode, owner, group and links stay, and writers side by side do not meet."""

import os
import stat
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest

from legatum.core.running.fault import BadInput
from legatum.net.file import write_private, write_whole


def test_what_was_there_keeps_its_mode_and_a_link_its_file(tmp_path: Path) -> None:
    (tmp_path / "real").mkdir()
    real, link = tmp_path / "real" / "zone", tmp_path / "zone"
    real.write_text("old")
    real.chmod(0o640)
    link.symlink_to(real)
    group = next((each for each in os.getgroups() if each != os.getgid()), os.getgid()) if os.geteuid() else 12345
    os.chown(real, -1, group)
    write_whole(link, "new\r\n")
    seen = real.stat()
    assert (
        link.is_symlink()
        and real.read_bytes() == b"new\r\n"
        and (stat.S_IMODE(seen.st_mode), seen.st_gid) == (0o640, group)
    )
    assert [each.name for each in real.parent.iterdir()] == ["zone"]
    (tmp_path / "dangling").symlink_to(tmp_path / "real" / "other")
    write_whole(tmp_path / "dangling", "made")
    assert (tmp_path / "real" / "other").read_text() == "made"


@pytest.mark.skipif(os.geteuid() != 0, reason="only root can make a file of somebody else's")
def test_a_file_of_somebody_else_stays_his(tmp_path: Path) -> None:
    """Who may write it and not give it away: a member of the group that owns the folder."""
    tmp_path.chmod(0o777)
    for folder in tmp_path.parents:
        if "pytest" in folder.name or folder.name.startswith("popen"):
            folder.chmod(folder.stat().st_mode | 0o011)
    theirs = tmp_path / "zone"
    theirs.write_text("a much longer old text")
    os.chown(theirs, 4711, 4712)
    theirs.chmod(0o666)
    child = os.fork()
    if child == 0:
        try:
            os.setgroups([])
            os.setgid(4713)
            os.setuid(4714)
            write_whole(theirs, "new")
            os._exit(0 if theirs.read_text() == "new" else 1)
        finally:
            os._exit(2)
    assert os.waitpid(child, 0)[1] == 0
    assert (theirs.stat().st_uid, theirs.stat().st_gid) == (4711, 4712) and list(tmp_path.iterdir()) == [theirs]


def test_writers_side_by_side_do_not_meet(tmp_path: Path) -> None:
    texts = [f"{number} " * 20_000 for number in range(8)]
    with ThreadPoolExecutor(8) as crew:
        for _ in range(5):
            list(crew.map(lambda text: write_whole(tmp_path / "zone", text), texts))
            assert (tmp_path / "zone").read_text() in texts
    assert [each.name for each in tmp_path.iterdir()] == ["zone"]


def test_the_usual_mask_and_a_secret_of_ones_own(tmp_path: Path) -> None:
    before = os.umask(0o027)
    try:
        write_whole(tmp_path / "new", "x")
        write_private(tmp_path / "secret", "y")
    finally:
        os.umask(before)
    assert [stat.S_IMODE((tmp_path / each).stat().st_mode) for each in ("new", "secret")] == [0o640, 0o600]
    with pytest.raises(BadInput, match="there already"):
        write_private(tmp_path / "secret", "z")
    assert (tmp_path / "secret").read_text() == "y"
