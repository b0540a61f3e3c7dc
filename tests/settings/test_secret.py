"""Secrets come by reference, from where the reference says, and are never shown."""

import contextlib
import os
import pty
import sys
from pathlib import Path
from types import SimpleNamespace

import pytest

from legatum.core.running.fault import BadInput
from legatum.settings.secret import check_reference, exposed, read_secret


def test_from_a_variable_a_file_and_a_keyring(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("FLINT_PASSWORD", "one ")
    (tmp_path / "two").write_text("two\n")
    kept = {("legatum", "flint"): "three"}
    monkeypatch.setitem(
        sys.modules, "keyring", SimpleNamespace(get_password=lambda service, name: kept.get((service, name)))
    )
    found = [read_secret(reference, tmp_path) for reference in ("env:FLINT_PASSWORD", "file:two", "keyring:flint")]
    assert found == ["one", "two", "three"]
    for reference, says in (
        ("env:NO_SUCH", "not set"),
        ("file:none", "No such file"),
        ("keyring:slate", "has nothing under that name"),
    ):
        with pytest.raises(BadInput, match=says):
            read_secret(reference, tmp_path)


def test_typed_on_a_terminal_it_is_not_shown(tmp_path: Path) -> None:
    process, terminal = pty.fork()
    if process == 0:
        program = "import sys; from pathlib import Path; from legatum.settings.secret import read_secret; "
        program += "Path(sys.argv[1]).write_text(read_secret('prompt', Path()))"
        os.execv(sys.executable, [sys.executable, "-c", program, str(tmp_path / "read")])
    shown = b""
    while b"Secret" not in shown:
        shown += os.read(terminal, 1000)
    os.write(terminal, b"typed-by-hand\n")
    os.waitpid(process, 0)
    with contextlib.suppress(OSError):  # the other side has closed it
        shown += os.read(terminal, 1000)
    os.close(terminal)
    assert (tmp_path / "read").read_text() == "typed-by-hand" and b"typed-by-hand" not in shown


@pytest.mark.parametrize("given", ["hunter2-hunter2", "env:", "", "FILE:x", "http://x"])
def test_a_value_in_the_place_of_a_reference_is_refused_and_not_shown(given: str, tmp_path: Path) -> None:
    for look in (check_reference, lambda text: read_secret(text, tmp_path)):
        with pytest.raises(BadInput) as refused:
            look(given)
        assert not given or given not in f"{refused.value.message} {refused.value.remedy}".replace("env:NAME", "")


def test_files_that_everybody_may_read_are_told(tmp_path: Path) -> None:
    for name, mode in (("open", 0o644), ("shared", 0o640), ("own", 0o600)):
        (tmp_path / name).write_text("secret")
        (tmp_path / name).chmod(mode)
    references = ["file:open", "file:open", "file:shared", "file:own", "file:gone", "env:OPEN", "prompt"]
    assert exposed(references, tmp_path) == [tmp_path / "open"]
