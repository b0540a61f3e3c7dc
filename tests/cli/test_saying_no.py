"""Dry runs and declined changes, of every command that changes something: said first, with one status each, and nothing
is touched."""

from collections.abc import Iterator

import pytest

from tests.cli.program import PracticeWorld, Shell

DOMAIN, OTHER = "kilnandclay.example", "ferrytimes.example"
CHANGES = [
    ("amend", DOMAIN, "press", "A", "198.51.100.9", "--at", "alder"),
    ("publish", DOMAIN, "--from", f"{DOMAIN}.zone", "--to", "alder", "--remove"),
    ("publish", DOMAIN, OTHER, "--from", "alder", "--to", "birch"),
    ("template", "apply", DOMAIN, "--template", "house", "--at", "alder"),
    ("delegate", "app", "--of", DOMAIN, "--at", "alder", "--to", "birch"),
    ("second", "add", OTHER, "--at", "alder", "--second", "birch"),
    ("second", "add", DOMAIN, OTHER, "--at", "alder", "--second", "birch"),
    ("second", "leave", "tidemill.example", "--at", "alder", "--second", "birch", "--registrar", "flint"),
    ("hosts", "set", "ns7.evensong.test", "--address", "198.51.100.41", "--at", "birch", "--registrar", "slate"),
    ("registration", "lock", DOMAIN, "--registrar", "flint"),
    ("registration", "renew", DOMAIN, OTHER, "--registrar", "flint"),
    ("registration", "nameservers", DOMAIN, "--registrar", "flint", "--to", "birch", "--anyway"),
    ("registration", "nameservers", DOMAIN, OTHER, "--registrar", "flint", "--to", "birch", "--anyway"),
    ("ds", "withdraw", "rowan.test", "--registrar", "slate", "--at", "rowan"),
    ("registration", "code", DOMAIN, "--registrar", "flint", "--into", "code", "--new"),
    ("registration", "password", "--registrar", "flint", "--new", "env:NEW"),
    (
        "registration",
        "contact",
        "QM-9",
        "--registrar",
        "flint",
        "--name",
        "Kiln",
        "--city",
        "X",
        "--country",
        "GB",
        "--email",
        "a@b.test",
    ),
    ("move", "advance", DOMAIN, "--until", "publish"),
]


@pytest.fixture(scope="module")
def shell(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Shell]:
    with PracticeWorld(tmp_path_factory.mktemp("world")) as world:
        (world.folder / "templates").mkdir()
        (world.folder / "templates" / "house.toml").write_text('[records]\nhouse = { A = "198.51.100.80" }\n')
        there = world.shell(tmp_path_factory.mktemp("here"))
        there.variables["NEW"] = "another-password"
        there.run("gather", DOMAIN, "--from", "alder")
        file = there.folder / f"{DOMAIN}.zone"
        file.write_text(file.read_text() + "late 300 IN A 198.51.100.99\n")
        second = ("tidemill.example", "--at", "alder", "--second", "birch", "--registrar", "flint", "--yes", "--wait")
        assert there.run("second", "add", *second).status == 0
        there.run("move", "draft", DOMAIN, "--from", "alder", "--to", "birch", "--registrar", "flint")
        there.run("move", "advance", DOMAIN, "--yes", "--until", "gather")
        yield there


def state(shell: Shell) -> list[object]:
    """What commands could have touched."""
    zones = [
        shell.run("gather", domain, "--from", "alder", "--out", "-").out.split(";")[0] for domain in (DOMAIN, OTHER)
    ]
    held = [
        shell.run("registration", "show", domain, "--registrar", "flint", "--json").document["held"][0]
        for domain in (DOMAIN, OTHER)
    ]
    world = shell.variables["LEGATUM_SETTINGS"]
    return [
        zones,
        held,
        sorted(path.name for path in shell.folder.iterdir()),
        shell.typed(f"cat {world}/moves/*.toml").out,
    ]


def test_nothing_is_touched_and_that_is_said_first(shell: Shell) -> None:
    before = state(shell)
    for words in CHANGES:
        dry = shell.run(*words, "--dry-run")
        first, second = dry.out.splitlines()[:2] or ("", "")
        assert (
            dry.status == 0
            and first.endswith("; nothing was touched")
            and second == "Next: without --dry-run it is done"
        ), (words, dry)
        assert any(each in dry.err for each in ("→", "+ ", "- ", "is told", "ours")), (words, dry.err)
        no = shell.run(*words)
        first, second = no.out.splitlines()[:2] or ("", "")
        assert no.status == 4 and first.endswith(": declined, nothing was changed") and "--yes" in second, (words, no)
    assert state(shell) == before
