"""Wheel and source archive: built, whole, and the program runs from where it is installed."""

import os
import subprocess
import sys
import sysconfig
import tarfile
import venv
import zipfile
from pathlib import Path

ROOT = Path(__file__).parents[2]


def run(*words: str, **variables: str) -> str:
    ended = subprocess.run(
        words, capture_output=True, text=True, timeout=100, cwd=ROOT, env={**os.environ, **variables}, check=False
    )
    assert ended.returncode == 0, (words, ended.stdout[-2000:], ended.stderr[-2000:])
    return ended.stdout


def test_what_is_built_can_be_installed_and_run(tmp_path: Path) -> None:
    run(sys.executable, "-m", "hatchling", "build", "-d", str(tmp_path / "dist"))
    (wheel,), (source,) = ((tmp_path / "dist").glob("*.whl"), (tmp_path / "dist").glob("*.tar.gz"))
    with zipfile.ZipFile(wheel) as opened:
        names = opened.namelist()
    pages = {path.name for path in (ROOT / "src/legatum/views/pages").iterdir()}
    assert {Path(name).name for name in names if "/pages/" in name} == pages and "legatum/py.typed" in names
    assert any(name.endswith("share/man/man1/legatum.1") for name in names) and not any(
        "tests" in name for name in names
    )
    with tarfile.open(source) as archive:
        inside = {member.name.partition("/")[2] for member in archive.getmembers()}
    assert {"README.md", "CHANGELOG.md", "Makefile", "tests/conftest.py", "docs/settings.md"} <= inside
    place = tmp_path / "there"
    venv.create(place, with_pip=False)
    where = Path(sysconfig.get_path("purelib", vars={"base": str(place), "platbase": str(place)}))
    with zipfile.ZipFile(wheel) as opened:
        opened.extractall(where)
    (where / "needed.pth").write_text(sysconfig.get_path("purelib") + "\n")  # what it depends on is here already
    python = str(place / "bin" / "python")
    said = run(python, "-P", "-c", "import legatum; print(legatum.__file__)", PYTHONPATH="")
    assert Path(said.strip()).is_relative_to(where)
    assert run(python, "-P", "-m", "legatum", "--version", PYTHONPATH="").startswith("legatum ")
    assert "what to do" in run(python, "-P", "-m", "legatum", "explain", "server-silent", PYTHONPATH="")


def test_colour_is_as_it_is_asked_for(tmp_path: Path) -> None:
    program = str(Path(sys.executable).with_name("legatum"))
    for words, variables, coloured in (
        ((), {}, False), (("--color", "always"), {}, True), (("--color", "always"), {"NO_COLOR": "1"}, True),
        (("--color", "never"), {"FORCE_COLOR": "1"}, False), ((), {"FORCE_COLOR": "1"}, True),
    ):  # fmt: skip
        environment = (
            {key: value for key, value in os.environ.items() if key not in ("NO_COLOR", "FORCE_COLOR")}
            | {"TERM": "xterm"}
            | variables
        )
        said = subprocess.run(
            [program, "explain", "server-silent", *words], capture_output=True, text=True, env=environment, check=True
        ).stdout
        assert ("\x1b[3" in said or "\x1b[1" in said) == coloured, (words, variables, said[:200])
        assert coloured or "\x1b[" not in said  # no bold or faint letters either
