"""The settings shown, tried out and added to, in the practice world."""

import json
import re
import tomllib
from collections.abc import Iterator
from pathlib import Path

import pytest

from legatum.demo.world_thread import WorldThread
from tests.cli.desk import DOMAIN, Desk


@pytest.fixture(scope="module")
def shared(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Desk]:
    with WorldThread(tmp_path_factory.mktemp("settings") / "world") as practice:
        yield Desk(practice)


@pytest.fixture
def desk(shared: Desk) -> Iterator[Desk]:
    before = shared.settings.read_text()
    yield shared
    shared.settings.write_text(before)


def checked(desk: Desk, *words: str) -> dict[tuple[str, str], dict[str, str]]:
    desk.run("settings", "check", *words, "--json", "-q")
    return {(each["table"], each["what"]): each for each in json.loads(desk.said)["checks"]}


def change(desk: Desk, old: str, new: str) -> None:
    text = desk.settings.read_text()
    assert old in text
    desk.settings.write_text(text.replace(old, new, 1))


def test_all_that_works_is_shown_to_work(desk: Desk) -> None:
    desk.done("settings", "check")
    assert "do not" not in desk.said and "Next: nothing to do" in desk.said
    found = checked(desk)
    for name in ("alder", "birch", "rowan", "sorrel"):
        assert (
            found[f"providers.{name}", "transfer"]["state"] == found[f"providers.{name}", "update"]["state"] == "works"
        )
    for name in ("flint", "slate"):
        assert (
            found[f"registrars.{name}", "login"]["state"]
            == found[f"registrars.{name}", "check of a domain"]["state"]
            == "works"
        )
    assert found["registrars.granite", "account"]["state"] == "not known"
    assert "it validates" in found["resolvers.harbour", "looking up"]["said"]
    assert (
        "over TLS" in found["resolvers.mill", "looking up"]["said"]
        and "over HTTPS" in found["resolvers.orchard", "looking up"]["said"]
    )
    assert (
        found["rdap", "registration data"]["state"]
        == found["", "journal"]["state"]
        == found["clock", "this machine's clock"]["state"]
        == "works"
    )


@pytest.mark.parametrize(
    ("old", "new", "table", "what", "says"),
    [
        ("file:alder.secret", "file:birch.secret", "providers.alder", "transfer", "the secret differs (BADSIG)"),
        ("file:alder.secret", "file:gone.secret", "providers.alder", "key", "No such file"),
        ("file:alder.secret", "env:LEGATUM_NOT_SET", "providers.alder", "key", "the variable is not set"),
        ('name = "quillmoor.key.test"', 'name = "other.key.test"', "providers.alder", "transfer", "(BADKEY)"),
        ('primary = "198.51.100.31"', 'primary = "203.0.113.42"', "providers.alder", "transfer", ""),
        ('"ns1.alder.test"', '"ns1.aldr.test"', "providers.alder", "name server ns1.aldr.test", "has no address"),
        ("file:flint.password", "file:slate.password", "registrars.flint", "login", "password wrong"),
        (
            'server = "epp.nic.example"',
            'server = "epp.other.example"',
            "registrars.flint",
            "login",
            "certificate is not trusted",
        ),
        ('harbour = "192.0.2.101"', 'harbour = "198.51.100.31"', "resolvers.harbour", "looking up", "looks nothing up"),
        (
            'host = "resolver.quillmoor.test"',
            'host = "other.quillmoor.test"',
            "resolvers.mill",
            "looking up",
            "not trusted",
        ),
        ('bootstrap = "rdap-bootstrap.json"', 'bootstrap = "gone.json"', "rdap", "list of servers", "No such file"),
        ('domains = "domains.txt"', 'domains = "gone.txt"', "", "list of domains", "is not there"),
        ('domains = "domains.txt"', 'journal = "/gone/journal.sqlite"', "", "journal", "/gone/journal.sqlite"),
    ],
)
def test_what_does_not_work_is_told_with_its_line(
    desk: Desk, old: str, new: str, table: str, what: str, says: str
) -> None:
    change(desk, old, new)
    assert desk.run("settings", "check", "--domain", DOMAIN) == 1, desk.said
    row = checked(desk, "--domain", DOMAIN)[table, what]
    assert row["state"] == "does not work" and says in row["said"] and row["remedy"], row
    line = desk.settings.read_text().splitlines()[int(row["line"]) - 1]
    assert row["key"] and line.lstrip().startswith((row["key"], f"[{table}.{row['key']}]", table.rpartition(".")[2])), (
        line,
        row,
    )


def test_only_what_is_named(desk: Desk) -> None:
    assert {table for table, _ in checked(desk, "alder", "rdap")} == {"providers.alder", "rdap"}
    assert {table for table, _ in checked(desk, "resolvers")} == {
        "resolvers.harbour",
        "resolvers.mill",
        "resolvers.orchard",
    }
    assert desk.run("settings", "check", "aldr") == 2
    assert "no 'aldr' in the settings" in desk.said and "providers.alder" in desk.said


def test_shown_with_where_each_value_is_from_and_no_secret(desk: Desk) -> None:
    secret = desk.settings.parent / "seen.secret"
    secret.write_text("bm90IHRvIGJlIHNlZW4=")
    secret.chmod(0o600)
    change(desk, "file:alder.secret", "file:seen.secret")
    desk.run("settings", "show", "--json")
    values = {(each["table"], each["key"]): each for each in json.loads(desk.said)["values"]}
    lines = desk.settings.read_text().splitlines()
    for each in values.values():
        if each["source"].startswith("line "):
            assert each["key"] in lines[int(each["source"][5:]) - 1], each
    assert values["house", "margin"]["source"] == "default" and values["house", "margin"]["value"] == '"30s"'
    assert values["providers.alder", "primary"]["source"].startswith("line ")
    assert "file:seen.secret" in values["providers.alder", "key"]["value"]
    desk.done("settings", "show")
    assert "bm90IHRvIGJlIHNlZW4=" not in desk.said


def test_added_to_the_file_and_the_rest_stays(desk: Desk) -> None:
    marked = f"# ours\n{desk.settings.read_text()}\n# the end\n"
    desk.settings.write_text(marked)
    key = 'key={ name = "quillmoor.key.test", secret = "file:alder.secret" }'
    words = ("settings", "add", "provider", "hazel", "--serves", DOMAIN, "--set", key)
    desk.done(*words, "--dry-run")
    assert desk.settings.read_text() == marked and "198.51.100.31: looks at updates" in desk.said
    desk.done(*words, "--yes")
    written = tomllib.loads(desk.settings.read_text())["providers"]["hazel"]
    assert written["kind"] == "update" and written["primary"] == "198.51.100.31"
    assert written["servers"] == ["ns1.alder.test", "ns2.alder.test"]
    assert [line for line in marked.splitlines() if line not in desk.settings.read_text().splitlines()] == []
    desk.done("settings", "check", "hazel")
    assert desk.run(*words, "--yes") == 2 and "is in the settings already" in desk.said
    desk.done("settings", "add", "provider", "stranger", "--serves", DOMAIN, "--yes")  # nobody knows us there
    assert tomllib.loads(desk.settings.read_text())["providers"]["stranger"]["kind"] == "manual"
    desk.done("settings", "add", "resolver", "pond", "--set", "address=192.0.2.101", "--yes")
    desk.done("settings", "add", "secondary", "oak", "--serves", "rowan.test", "--yes")
    desk.done("settings", "add", "registrar", "sedge", "--set", "page=https://sedge.test/", "--yes")
    desk.done("settings", "check", "pond", "oak", "sedge")


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (("resolver", "pond", "--set", "address=1.2.3"), "'1.2.3' is no address"),
        (("resolver", "pond", "--set", "adress=192.0.2.101"), "unknown field `adress`"),
        (("resolver", "pond", "--set", "address"), "no line of settings"),
        (("provider", "hazel", "--set", "servers=[]"), "no name servers"),
        (("provider", "hazel", "--serves", DOMAIN, "--set", "key=nothing"), "key: no key"),
        (("registrar", "sedge", "--serves", DOMAIN), "shows nothing of a registrar"),
        (
            ("registrar", "sedge", "--set", "server=epp.sedge.test", "--set", "user=us", "--set", "password=hunter2"),
            "given as a value",
        ),
    ],
)
def test_what_cannot_be_is_not_written(desk: Desk, words: tuple[str, ...], says: str) -> None:
    before = desk.settings.read_text()
    assert desk.run("settings", "add", *words, "--yes") == 2, desk.said
    assert (
        says in desk.said
        and "hunter2" not in desk.said.replace(" ".join(words), "")
        and desk.settings.read_text() == before
    )


def test_a_first_file_goes_on_with_the_journal_that_is_there(
    desk: Desk, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Written into the user's folder where there was none; what was kept without a file stays in use."""
    from legatum.work.checks.adding import Drawn, written

    kept = tmp_path / "state"
    kept.mkdir()
    (kept / "journal.sqlite").write_text("")
    drawn = Drawn("resolvers", "pond", {"address": "192.0.2.101"})
    text = written(tmp_path / "new.toml", kept, drawn)
    assert tomllib.loads(text)["journal"] == str(kept / "journal.sqlite") and tomllib.loads(text)["moves"] == str(
        kept / "moves"
    )
    assert "journal" not in tomllib.loads(written(tmp_path / "new.toml", tmp_path / "none", drawn))


@pytest.mark.parametrize(
    ("spoil", "says"),
    [
        (lambda path: path.write_text('[network\nroots = "pub'), "mend the file at that place"),
        (lambda path: path.write_bytes(b"\xff\xfe"), "not UTF-8"),
        (lambda path: (path.unlink(), path.mkdir()), "No such file"),
        (lambda path: path.unlink(), "No such file"),
    ],
)
def test_a_file_that_is_spoilt_is_one_line(tmp_path: Path, shared: Desk, spoil: object, says: str) -> None:
    path = tmp_path / "legatum.toml"
    path.write_text(shared.settings.read_text())
    spoil(path)  # type: ignore[operator]
    spoilt = Desk(shared.practice)
    spoilt.settings = path
    for words in (
        ("settings", "check"),
        ("settings", "show"),
        ("survey", DOMAIN),
        ("settings", "add", "resolver", "x", "--set", "address=192.0.2.1"),
    ):
        assert spoilt.run(*words) == 2 and says in spoilt.said, spoilt.said
        assert len([line for line in spoilt.said.splitlines() if line.startswith("legatum: ")]) == 1


@pytest.mark.parametrize(("of", "ahead", "says"), [("rdap", 3600, "ahead of rdap"), ("rdap", -400, "behind rdap")])
def test_a_clock_that_is_wrong_is_told_by_whoever_answers(desk: Desk, of: str, ahead: int, says: str) -> None:
    """Over HTTPS too, without any account: the server says what time it is."""
    text = desk.settings.read_text()
    desk.settings.write_text(re.sub(r"(?m)^control = .*\n(token = .*\n)?", f"ahead = {ahead}\n", text))
    assert desk.run("settings", "check", of, "clock", "--domain", DOMAIN) == 1, desk.said
    row = checked(desk, of, "clock", "--domain", DOMAIN)["clock", "this machine's clock"]
    assert row["state"] == "does not work" and says in row["said"], row
