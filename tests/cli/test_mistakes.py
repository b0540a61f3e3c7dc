"""What a user, a network or a settings file can do wrong: one clear line, what to do, the right exit status, nothing
lost."""

import base64
import contextlib
import json
import socket
import tempfile
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.cli.program import PracticeWorld, Shell, other_settings
from tests.started import Ended, run_program

DOMAIN = "kilnandclay.example"


@pytest.fixture(scope="module")
def world(tmp_path_factory: pytest.TempPathFactory) -> Iterator[PracticeWorld]:
    with PracticeWorld(tmp_path_factory.mktemp("mistakes") / "world") as started:
        yield started


@pytest.fixture
def shell(world: PracticeWorld, tmp_path: Path) -> Shell:
    return world.shell(tmp_path)


@pytest.mark.parametrize(
    ("words", "status", "says"),
    [
        (("survey", "a..b"), 2, "empty label"),
        (("survey", "."), 2, "root"),
        (("survey", "x" * 70 + ".example"), 2, "longer than 63"),
        (("survey", "sh op.example"), 2, "a space cannot stand in it"),
        (("survey", "sh\nop\\032\x1b[2Jx.example"), 2, "'sh op\\032\\027[2Jx.example.' is no domain"),
        (("survey", "--al", DOMAIN), 2, "survey: unrecognized arguments: --al"),
        (("nonsense",), 2, "no command"),
        (("gather", DOMAIN, "--from", "elm"), 2, "neither a provider nor a file"),
        (("gather", DOMAIN, "--file", "none.zone"), 2, "No such file"),
        (("gather", DOMAIN, "--from", "server:198.51.100.31", "--way", "transfer"), 3, "refused"),
        (("gather", DOMAIN, "--from", "server:192.0.2.250"), 3, "not in the address map"),
        (("gather", "nobody.example", "--from", "alder"), 3, "not authoritative"),
        (("compare", "alder", "birch"), 2, "--domain"),
        (("compare", "alder", "none.zone", "--domain", DOMAIN), 2, "No such file"),
        (("publish", DOMAIN, "--to", "elm", "--from", "alder", "--yes"), 2, "no provider 'elm'"),
        (("confirm", DOMAIN, "--registrar", "marble"), 2, "no registrar 'marble'"),
        (("move", "show", "evensong.test"), 2, "no move at"),
        (("move", "draft", DOMAIN, "--from", "birch", "--to", "alder", "--registrar", "flint"), 4, "not to birch's"),
        (
            ("move", "draft", DOMAIN, "--from", "alder", "--to", "alder", "--registrar", "flint"),
            2,
            "is served by alder already",
        ),
        (
            ("move", "draft", DOMAIN, "--from", "alder", "--to", "birch", "--registrar", "flint", "--low-ttl", "soon"),
            2,
            "no duration",
        ),
        (("registration", "nameservers", "--registrar", "flint", "--to", "birch"), 2, "no domain"),
        (("fleet", "survey", "-", "--jobs", "4294967296"), 2, "no number from 1 to 256"),
        (("history", DOMAIN, "--since", "99999999d"), 2, "no instant"),
        (("history", DOMAIN, "--since", "9999-12-31"), 2, "out of range"),
        (("history", "--evidence", "99999999999999999999"), 2, "no number from"),
        (
            ("ds", "submit", DOMAIN, "--registrar", "flint", "--ds", "4711 13 2"),
            2,
            "key tag, algorithm, digest type and digest",
        ),
        (
            ("ds", "submit", DOMAIN, "--registrar", "flint", "--ds", "4711 13 2 " + "ab" * 32, "--yes"),
            4,
            "fits no key with",
        ),
        (("ds", "derive", DOMAIN, "--key", "257 3 13"), 2, "257 3 13"),
        (("ds", "derive", DOMAIN), 4, "serves the zone unsigned"),
        (
            ("registration", "transfer", DOMAIN, "--registrar", "flint", "--registrar-to", "flint"),
            2,
            "another registrar",
        ),
        (
            ("registration", "transfer", DOMAIN, "--registrar", "slate", "--registrar-to", "flint"),
            3,
            "slate does not have kilnandclay.example, flint has",
        ),
        (
            ("registration", "transfer", "tidemill.example", "--registrar", "flint", "--registrar-to", "slate"),
            4,
            "60 days must pass",
        ),
        (
            (
                "registration",
                "transfer",
                "lanternlane.example",
                "--registrar",
                "granite",
                "--registrar-to",
                "slate",
                "--approve",
            ),
            2,
            "by a person only",
        ),
        (
            ("registration", "code", DOMAIN, "--registrar", "flint", "--into", "/nowhere/code"),
            2,
            "no file can be made there",
        ),
        (("registration", "queue", "--registrar", "granite"), 3, "no queue"),
        (("registration", "password", "--registrar", "flint", "--new", "hunter2hunter2"), 2, "env:NAME"),
        (
            ("registration", "restore", DOMAIN, "--registrar", "flint", "--reason", "x", "--yes"),
            4,
            "not in its redemption period",
        ),
        (
            ("hosts", "enlist", f"ns9.{DOMAIN}", "--at", "alder", "--registrar", "flint"),
            4,
            "has no address in the zone",
        ),
        (("practice", "form", DOMAIN, "--at", "slate", "--ns", "ns1.alder.test,ns2.alder.test"), 3, "not allowed"),
        (("explain", "server-silnt"), 2, "server-silent"),
        (("practice", "zone", "create", DOMAIN, "--at", "elm"), 3, "no provider 'elm'"),
    ],
)
def test_one_clear_line_and_the_right_status(shell: Shell, words: tuple[str, ...], status: int, says: str) -> None:
    ended = shell.run(*words, "--json")
    assert ended.status == status and says in ended.err, ended
    told = ended.document
    assert (told["schema"], told["status"]) == ("legatum.fault/1", status) and says in told["message"] + told["remedy"]
    assert told["message"] in ended.err and told["remedy"] in ended.err
    assert list(shell.folder.iterdir()) == []


@pytest.mark.parametrize(
    ("old", "new", "says"),
    [
        ('kind = "update"', 'kind = "update"\nprimry = "x"', "unknown field `primry`"),
        ('kind = "update"', 'kind = "magic"', "kind 'magic'"),
        ("[network.roots]", "[network.rots]", "unknown field `rots`"),
        ("[clock]", "[clock", ":"),
        ("[clock]", "nonsense = 1\n[clock]", "unknown field `nonsense`"),
        ('user = "flint"', "user = 7", "Expected `str`"),
        ("file:{}/control.token", "control-token-itself", "given as a value"),
    ],
)
def test_a_wrong_key_in_the_settings_is_told_with_its_line(
    world: PracticeWorld, shell: Shell, tmp_path: Path, old: str, new: str, says: str
) -> None:
    settings = other_settings(world, tmp_path, (old.format(world.folder), new))
    ended = shell.run("survey", DOMAIN, "--settings", settings)
    assert ended.status == 2 and says in ended.err, ended.err
    wrong = new.splitlines()[-1] if "\n" not in new else new.split("\n")[1 if "primry" in new else 0]
    if "unknown field" in says or "kind" in says or "Expected" in says:
        line = next(number for number, text in enumerate(Path(settings).read_text().splitlines(), 1) if text == wrong)
        assert f"other.toml:{line}:" in ended.err, (line, ended.err)
    if "unknown field" in says:
        assert "allowed here:" in ended.err


@pytest.mark.parametrize(
    ("old", "new", "code"),
    [
        ('name = "quillmoor.key.test"', 'name = "somebody.else"', "BADKEY"),
        ('algorithm = "hmac-sha256"', 'algorithm = "hmac-sha512"', "BADKEY"),
        ('secret = "file:{}/alder.secret"', 'secret = "env:WRONG"', "BADSIG"),
    ],
)
def test_wrong_keys_are_told_apart(
    world: PracticeWorld, shell: Shell, tmp_path: Path, old: str, new: str, code: str
) -> None:
    settings = other_settings(world, tmp_path, (old.format(world.folder), new))
    shell.variables["WRONG"] = base64.b64encode(b"x" * 32).decode()
    ended = shell.run("gather", DOMAIN, "--from", "alder", "--settings", settings)
    assert ended.status == 3 and code in ended.err and not list(tmp_path.glob("*.zone"))


def test_a_wrong_clock_is_badtime(world: PracticeWorld, shell: Shell, tmp_path: Path) -> None:
    """Without the world's clock the program signs by its own, which lags behind after the world has moved on."""
    assert shell.run("practice", "clock", "--on", "2h").status == 0
    settings = other_settings(world, tmp_path)
    lines = Path(settings).read_text().splitlines()
    begin = lines.index("[clock]")
    Path(settings).write_text("\n".join(lines[:begin] + lines[begin + 3 :]))
    ended = shell.run("gather", DOMAIN, "--from", "alder", "--settings", settings)
    assert ended.status == 3 and "BADTIME" in ended.err and "set the time" in ended.err


def test_wrong_password_and_missing_secret(world: PracticeWorld, shell: Shell, tmp_path: Path) -> None:
    settings = other_settings(
        world, tmp_path, (f'password = "file:{world.folder}/flint.password"', 'password = "env:SECRET"')
    )
    missing = shell.run("survey", DOMAIN, "--registrar", "flint", "--settings", settings)
    assert missing.status == 2 and "the variable is not set" in missing.err
    shell.variables["SECRET"] = "a-wrong-password-nobody-should-see"
    wrong = shell.run("survey", DOMAIN, "--registrar", "flint", "--settings", settings, "-vv")
    assert (
        wrong.status == 3
        and "user name or password wrong" in wrong.err
        and "nobody-should-see" not in wrong.err + wrong.out
    )


def test_a_server_that_never_answers_is_left_after_a_few_questions(
    world: PracticeWorld, shell: Shell, tmp_path: Path
) -> None:
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as silent:
        silent.bind(("127.0.0.1", 0))
        text = (world.folder / "legatum.toml").read_text()
        present = next(line for line in text.splitlines() if line.startswith('"203.0.113.32"'))
        settings = other_settings(world, tmp_path, (present, f'"203.0.113.32" = "127.0.0.1:{silent.getsockname()[1]}"'))
        ended = shell.run("survey", DOMAIN, "--settings", settings)
        silent.setblocking(False)
        questions = 0
        with contextlib.suppress(BlockingIOError):
            while silent.recv(4096):
                questions += 1
    assert 2 <= questions <= 12
    assert ended.status == 1 and "[server-address-dead]" in ended.out and "203.0.113.32" in ended.out


def test_no_network_is_told_in_one_line(shell: Shell) -> None:
    (shell.folder / "legatum.toml").write_text(
        '[network]\nroots = { "a.root.test" = ["192.0.2.1"] }\nmap = { "192.0.2.1" = "127.0.0.1:9" }\ntimeout = "1s"\n'
    )
    for command in ("survey", "confirm"):
        ended = shell.run(command, DOMAIN, "--settings", str(shell.folder))
        assert ended.status == 3 and "no server of . answers (192.0.2.1)" in ended.err and ended.out == ""


def test_without_ipv6_only_ipv4_is_asked(world: PracticeWorld, shell: Shell, tmp_path: Path) -> None:
    settings = other_settings(world, tmp_path, ("[network]\n", "[network]\nipv6 = false\n"))
    seen = shell.run("survey", DOMAIN, "--settings", settings, "--json")
    assert seen.status == 0 and {part["address"] for part in seen.document["servers"]} == {
        "198.51.100.31",
        "203.0.113.32",
    }
    assert not any(":" in part["address"] for part in seen.document["parents"])
    assert "what servers give over IPv6 (ipv6 = false in [network])" in seen.document["not_looked_at"]
    shown = shell.run("ds", "show", "coppergate.example", "--settings", settings, "--json")
    assert "what servers give over IPv6" in shown.document["left_out"]
    (shell.folder / "list").write_text(f"{DOMAIN}\n")
    for jobs in ("1", "2"):
        ended = shell.run("fleet", "survey", "list", "--settings", settings, "--jobs", jobs, "--json")
        assert "what servers give over IPv6" in json.loads(ended.out.splitlines()[-1])["not_looked_at"]


def test_a_master_file_with_faults_is_told_with_line_and_fault(shell: Shell) -> None:
    (shell.folder / "bad.zone").write_text(
        f"$ORIGIN {DOMAIN}.\n@ 60 IN SOA a. b. 1 2 3 4 5\n@ 60 NS a.\nwww 60 IN A 300.1.1.1\n"
    )
    ended = shell.run("publish", DOMAIN, "--to", "alder", "--from", "bad.zone", "--yes")
    assert ended.status == 2 and "bad.zone:4:" in ended.err and "300.1.1.1" in ended.err


def test_no_write_permission(shell: Shell) -> None:
    ended = shell.run("gather", DOMAIN, "--from", "alder", "--out", "/sys/kernel/none.zone")  # closed to root as well
    assert ended.status == 2 and "Permission denied" in ended.err and "can be written" in ended.err


def test_a_place_that_cannot_be_written(shell: Shell) -> None:
    (shell.folder / "file").write_text("")
    ended = shell.run("gather", DOMAIN, "--from", "alder", "--out", "file/in/a/file")
    assert ended.status == 2 and "Not a directory" in ended.err
    ended = shell.run("demo", "--folder", "file/demo")
    assert ended.status == 2 and "Not a directory" in ended.err


def test_a_full_disk_is_told_and_keeps_what_was_there(shell: Shell) -> None:
    (shell.folder / "list").write_text("kilnandclay.example\n")
    (shell.folder / "full").symlink_to("/dev/full")
    for words in (
        ("survey", "kilnandclay.example", "--no-resolvers", "--evidence", "full"),
        ("survey", "kilnandclay.example", "--no-resolvers", "--html", "full"),
        ("fleet", "survey", "list", "--out", "full"),
        ("gather", "kilnandclay.example", "--from", "alder", "--out", "full", "--force"),
    ):
        ended = shell.run(*words)
        assert ended.status == 3 and ended.err.count("legatum: full: No space left on device") == 1, (words, ended.err)
    assert sorted(path.name for path in shell.folder.iterdir()) == ["full", "list"]


def test_what_is_read_is_not_written_over(shell: Shell) -> None:
    """A list, a zone or evidence is not lost to a slip of the pen, nor one result to another."""
    kept = shell.folder / "kept"
    for words in (
        ("fleet", "survey", "kept", "--out", "kept"),
        ("fleet", "survey", "kept", "--evidence", "./kept"),
        ("fleet", "survey", "kept", "--out", "new", "--evidence", "new"),
        ("survey", "--from", "kept", "--html", "kept"),
        ("compare", "kept", "alder", "--difference", "kept"),
        ("compare", "alder", "kept", "--difference", "kept"),
        ("publish", DOMAIN, "--from", "kept", "--to", "birch", "--sheet", "kept"),
        ("house", "--calendar", "new", "--metrics", "new"),
        ("timetable", DOMAIN, "--capture", "kept", "--calendar", "kept", "--switch", "in 14d"),
    ):
        kept.write_text(f"{DOMAIN}\n")
        ended = shell.run(*words)
        assert ended.status == 2 and "name another file; nothing was written" in ended.err, (words, ended.err)
        assert kept.read_text() == f"{DOMAIN}\n" and not (shell.folder / "new").exists()
    shell.folder.joinpath("list").write_text(f"{DOMAIN}\n")
    for name in ("kept", "kept.csv"):
        shell.folder.joinpath(name).write_text("customers\n")
        ended = shell.run("fleet", "survey", "list", "--out", name)
        assert (
            ended.status == 2
            and "holds no results" in ended.err
            and shell.folder.joinpath(name).read_text() == "customers\n"
        )
    for _ in range(2):  # results may be replaced by newer ones
        assert [shell.run("fleet", "survey", "list", "--out", name, "-q").status for name in ("new", "new.csv")] == [
            0,
            0,
        ]
    kept.write_text("# nobody\n")
    assert "no domain in it" in shell.run("fleet", "survey", "kept").err
    for action in ("survey", "confirm"):
        empty = shell.run("fleet", action, "-", typed="")
        assert empty.status == 2 and "no domain in it" in empty.err
    assert shell.typed("legatum fleet survey - </dev/null").status == 2
    assert shell.typed(f"echo {DOMAIN} | legatum fleet survey - --out /dev/null --evidence /dev/null -q").status == 0


def test_standard_output_on_a_full_disk_is_told_once_and_the_work_is_done(shell: Shell) -> None:
    (shell.folder / "list").write_text("kilnandclay.example\n")
    for words in (
        "--version", "survey kilnandclay.example --no-resolvers --json", "fleet survey list --csv --out results.csv",
        "gather kilnandclay.example --from alder --out gathered.zone",
    ):  # fmt: skip
        ended = shell.typed(
            f"legatum {words} -q >/dev/full" if words != "--version" else "legatum --version >/dev/full"
        )
        assert ended.status == 3 and ended.err.count("No space left on device") == 1, (words, ended.err)
    assert (shell.folder / "gathered.zone").exists() and "kilnandclay.example" in (
        shell.folder / "results.csv"
    ).read_text()
    assert (
        shell.typed("legatum survey kilnandclay.example --settings nowhere >/dev/full").status == 2
    )  # the worse of the two


@pytest.mark.parametrize("without", ["2>/dev/full", "2>&-", "2>&- >&- <&-"])
def test_started_without_somewhere_to_say_it_the_status_tells_it(shell: Shell, without: str) -> None:
    refused = shell.typed(f"legatum survey kilnandclay.example --settings nowhere {without}")
    assert (refused.status, refused.out) == (2, "")
    done = shell.typed(f"legatum gather kilnandclay.example --from alder --out gathered.zone {without}")
    assert done.status == 0 and (shell.folder / "gathered.zone").read_text().startswith(";")
    assert shell.typed("legatum explain glue-differs >&-").status == 0


@pytest.mark.parametrize("encoding", ["ascii", "latin-1"])
def test_what_a_locale_lacks_is_said_plainly_and_means_the_same_to_programs(shell: Shell, encoding: str) -> None:
    amend = "legatum amend kilnandclay.example shop A 198.51.100.91 --ttl 5m --instead --at alder --dry-run"
    said = shell.typed(f"PYTHONIOENCODING={encoding} {amend}")
    assert said.status == 0 and "198.51.100.81 -> 300 198.51.100.91" in said.err
    assert '"' in shell.typed(f"PYTHONIOENCODING={encoding} legatum explain").out
    plain, whole = (
        json.loads(shell.typed(f"{before} legatum explain --json").out)
        for before in (f"PYTHONIOENCODING={encoding}", "")
    )
    assert plain == whole and "“" in json.dumps(whole, ensure_ascii=False)


def test_a_journal_that_cannot_be_written_stops_before_the_outside_is_touched(
    world: PracticeWorld, shell: Shell, tmp_path: Path
) -> None:
    settings = other_settings(world, tmp_path, ("[clock]", 'journal = "/proc/none/journal.sqlite"\n[clock]'))
    file = shell.folder / "z.zone"
    assert shell.run("gather", "ferrytimes.example", "--from", "alder", "--out", str(file)).status == 0
    file.write_text(file.read_text() + "x.ferrytimes.example. 60 IN A 198.51.100.1\n")
    ended = shell.run(
        "publish", "ferrytimes.example", "--to", "alder", "--from", str(file), "--yes", "--settings", settings
    )
    assert ended.status == 3 and "journal" in ended.err
    kept = shell.run("compare", str(file), "alder", "--json")
    assert [each["name"] for each in kept.document["differences"] if not each["expected"]] == ["x.ferrytimes.example"]


def test_a_world_that_has_ended(shell: Shell, tmp_path: Path) -> None:
    with PracticeWorld(tmp_path / "short") as short:
        there = short.shell(shell.folder)
        assert there.run("practice", "stop").status == 0
        short.process.wait(10)
        ended = there.run("survey", DOMAIN)
    assert ended.status == 3 and "practice start" in ended.err
    (tmp_path / "short" / "moves").mkdir()
    again = there.run("practice", "start", str(tmp_path / "short"))
    assert again.status == 2 and "--fresh" in again.err
    settings = tmp_path / "short" / "legatum.toml"
    for house in (
        'journal = "journal.sqlite"\n[network]\n',
        "",
        None,
    ):  # whose moves are not taken away, whatever is asked for
        settings.unlink(missing_ok=True) if house is None else settings.write_text(house)
        refused = there.run("practice", "start", str(tmp_path / "short"), "--fresh")
        assert refused.status == 2 and "of no practice world" in refused.err and (tmp_path / "short" / "moves").exists()
        assert house is None or settings.read_text() == house


def test_what_is_mistyped_gets_a_proposal(shell: Shell) -> None:
    for words, meant in (
        (("survye", DOMAIN), "did you mean survey?"),
        (("move", "advanec", DOMAIN), "did you mean advance?"),
        (("survey", DOMAIN, "--jsn"), "did you mean --json?"),
    ):
        ended = shell.run(*words)
        assert ended.status == 2 and meant in ended.err, ended.err
    assert "did you mean" not in shell.run("xylophone").err


def test_a_name_in_a_domain_is_not_taken_for_one(shell: Shell) -> None:
    ended = shell.run("survey", f"www.{DOMAIN}", "--json")
    assert ended.status == 0 and ended.document["domain"] == DOMAIN
    assert f"www.{DOMAIN} lies in {DOMAIN}: that is looked at" in ended.err
    assert shell.run("survey", "nobody.example", "--json").document["domain"] == "nobody.example"


def test_many_moves_are_drafted_together_and_one_that_cannot_be_holds_up_none(tmp_path: Path) -> None:
    with PracticeWorld(tmp_path / "world") as world:
        shell = world.shell(tmp_path)
        (tmp_path / "list").write_text(f"{DOMAIN}\nferrytimes.example\n")
        to = ("--from", "alder", "--to", "birch", "--registrar", "flint")
        ended = shell.run("move", "draft", "--list", "list", "nobody.example", *to, "--json")
        moves = {each["domain"]: each for each in ended.document["moves"]}
        assert ended.status == 4 and len(moves) == 3 and "not delegated" in moves["nobody.example"]["why"]
        for domain in (DOMAIN, "ferrytimes.example"):
            assert Path(moves[domain]["file"]).exists() and moves[domain]["over"]
            assert shell.run("move", "rehearse", domain).status == 0
        again = shell.run("move", "draft", DOMAIN, "ferrytimes.example", *to)
        assert again.status == 2 and "0 moves drafted, 2 not" in again.out


def test_an_address_is_no_domain_and_half_a_file_no_silence(shell: Shell) -> None:
    for address in ("192.0.2.1", "2001:db8::1", "[2001:db8::1]"):
        ended = shell.run("survey", address)
        assert ended.status == 2 and f"{address} is an address, not a domain" in ended.err
    assert shell.run("survey", DOMAIN, "--evidence", "kept", "--no-rdap").status == 0
    lines = (shell.folder / "kept").read_text().splitlines(keepends=True)
    (shell.folder / "cut").write_text("".join(lines[:4]))
    ended = shell.run("survey", "--from", "cut")
    assert (
        ended.status == 2
        and f"3 of {len(lines) - 1} replies are there" in ended.err
        and "missing is not silence" in ended.err
    )


def test_a_record_by_way_of_an_alias_is_there(shell: Shell) -> None:
    assert shell.run("confirm", DOMAIN, "--record", "www A 198.51.100.80").status == 0
    wrong = shell.run("confirm", DOMAIN, "--record", "www A 198.51.100.81", "--json").document
    assert not wrong["confirmed"] and {each["said"] for each in wrong["checks"]} == {"198.51.100.80"}


_SOMEBODY = "import os\nif os.getuid() == 0:\n    os.setgroups([])\n    os.setgid(65534)\n    os.setuid(65534)\n"


def test_files_that_this_user_may_not_read() -> None:
    """As somebody without rights: the settings, theirs in a folder that is closed, and a secret."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        folder.chmod(0o755)
        closed, file = folder / ".config" / "legatum", folder / "legatum.toml"
        closed.mkdir(parents=True)
        (closed / "legatum.toml").write_text("")
        (closed / "legatum.toml").chmod(0)
        closed.parent.chmod(0o600)
        file.write_text(
            '[network]\nroots = { "a.root.test" = ["192.0.2.1"] }\nmap = {}\n[clock]\ncontrol = '
            '"127.0.0.1:1"\ntoken = "file:token"\n'
        )
        file.chmod(0o644)
        (folder / "token").write_text("x")
        (folder / "token").chmod(0)

        def run(variables: dict[str, str], *words: str) -> Ended:
            return run_program(words or ("survey", DOMAIN), folder, {"HOME": name, **variables}, before=_SOMEBODY)

        try:
            secret = run({"LEGATUM_SETTINGS": str(file)})
            assert (
                secret.status == 2
                and "secret file:token: this user may not read it" in secret.err
                and "chmod" in secret.err
            )
            file.chmod(0)
            whole = run({"LEGATUM_SETTINGS": str(file)})
            assert (
                whole.status == 2
                and f"{file}: this user may not read them" in whole.err
                and "--settings FILE" in whole.err
            )
            file.unlink()
            own = run(
                {"LEGATUM_SETTINGS": "", "XDG_CONFIG_HOME": str(closed.parent)}, "settings", "show"
            )  # nothing is asked
            assert own.status == 2 and "legatum.toml: this user may not read them" in own.err
        finally:
            closed.parent.chmod(0o700)
