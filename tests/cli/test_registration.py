"""The registrar's side with the installed program: seen, locked, changed with a gate, by hand with a worksheet; a whole
move by hand."""

import sqlite3
import subprocess
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path

import pytest

from tests.cli.program import PROGRAM, PracticeWorld, Shell

DOMAIN, BY_HAND = "kilnandclay.example", "lanternlane.example"


@pytest.fixture(scope="module")
def world(tmp_path_factory: pytest.TempPathFactory) -> Iterator[PracticeWorld]:
    with PracticeWorld(tmp_path_factory.mktemp("world")) as running:
        yield running


@pytest.fixture
def shell(world: PracticeWorld, tmp_path: Path) -> Shell:
    return world.shell(tmp_path)


def stands_at_birch(shell: Shell, domain: str) -> None:
    assert shell.run("practice", "zone", "create", domain, "--at", "birch").status == 0
    assert shell.run("publish", domain, "--from", "alder", "--to", "birch", "--yes", "--remove").status == 0


def test_all_sources_stand_side_by_side(shell: Shell) -> None:
    document = shell.run("registration", "show", DOMAIN, "--registrar", "flint", "--json").document
    assert document["agreed"] and [each["source"] for each in document["held"]][:2] == [
        "the registrar's account",
        "RDAP",
    ]
    assert {tuple(each["nameservers"]) for each in document["held"]} == {("ns1.alder.test", "ns2.alder.test")} and len(
        document["held"]
    ) == 6


def test_a_name_that_nobody_knows(shell: Shell) -> None:
    for words in (("registration", "show"), ("hosts", "show"), ("gather",)):
        ended = shell.run(*words, "nosuch.example")
        assert ended.status == 3 and "nosuch.example is not " in ended.err, ended


def test_a_lock_forbids_and_is_lifted_in_the_right_order(shell: Shell) -> None:
    locked = shell.run("registration", "lock", DOMAIN, "--registrar", "flint", "--yes", "--json").document
    assert locked["new"] == ["clientDeleteProhibited", "clientTransferProhibited", "clientUpdateProhibited"]
    assert (
        shell.run("registration", "lock", DOMAIN, "--registrar", "flint", "--yes", "--json").document["state"]
        == "unchanged"
    )
    refused = shell.run(
        "registration", "nameservers", DOMAIN, "--registrar", "flint", "--ns", "ns1.alder.test", "--yes", "--anyway"
    )
    assert refused.status == 3 and "status forbids it (2304)" in refused.err
    assert (
        shell.run("registration", "show", DOMAIN, "--registrar", "flint", "--json").document["held"][0]["statuses"]
        == locked["new"]
    )
    assert shell.run("registration", "unlock", DOMAIN, "--registrar", "flint", "--yes", "--json").document["new"] == [
        "ok"
    ]
    assert shell.run("registration", "lock", DOMAIN, "--registrar", "flint").status == 4  # nobody to ask


def test_a_renewal_is_for_the_date_that_was_seen(shell: Shell) -> None:
    words = ("registration", "renew", DOMAIN, "--registrar", "flint", "--yes", "--json")
    first = shell.run(*words, "--years", "2").document
    assert int(first["new"][0][:4]) == int(first["old"][0][:4]) + 2 and first["state"] == "changed"
    again = shell.run(*words, "--years", "9").document
    assert again["state"] == "unchanged" and again["said"].startswith("renewed at ") and again["new"] == first["new"]
    shown = shell.run(*words, "--until", f"{int(first['new'][0][:4])}-12-31", "--dry-run").document
    assert shown["state"] == "shown" and int(shown["new"][0][:4]) == int(first["new"][0][:4]) + 1
    refused = shell.run(*words, "--until", f"{int(first['new'][0][:4]) + 9}-01-01")
    assert refused.status == 3 and "(2306)" in refused.err  # more than ten years ahead
    for wrong in (("--years", "11"), ("--until", "soon"), ("--until", "2031-13-01"), ("--until", "2099-01-01")):
        assert shell.run(*words, *wrong).status == 2, wrong
    assert shell.run(*words, "--until", "2000-01-01").document["state"] == "unchanged"


def test_locks_and_terms_for_a_list_and_at_a_form(shell: Shell) -> None:
    (shell.folder / "list").write_text(f"{DOMAIN}  # ours\ntidemill.example\nnosuch.example\n")
    for action in ("lock", "unlock", "renew"):
        words = ("registration", action, "--list", "list", "--registrar", "flint", "--json")
        assert shell.run(*words).status == 4  # nobody to ask
        shown = shell.run(*words, "--dry-run")
        assert (
            "tidemill.example: " in shown.err and [each["state"] for each in shown.document["domains"]][-1] == "failed"
        )
        done = shell.run(*words, "--yes")
        states = [each["state"] for each in done.document["domains"]]
        assert done.status == 1 and states[1:] == ["changed", "failed"] and states[0] in ("changed", "unchanged"), done
        assert [each["state"] for each in shell.run(*words, "--yes").document["domains"]] == [
            "unchanged",
            "unchanged",
            "failed",
        ]
    by_hand = ("registration", "lock", "lanternlane.example", "--registrar", "granite", "--json")
    sheet = shell.run(*by_hand).document
    assert sheet["state"] == "worksheet" and sheet["old"] == ["ok"]
    assert "- [ ] set `clientTransferProhibited`" in Path(shell.folder, sheet["file"]).read_text()
    shell.run("practice", "form", "lanternlane.example", "--at", "granite", "--statuses", ",".join(sheet["new"]))
    assert shell.run(*by_hand).document["state"] == "unchanged"
    shell.run("practice", "form", "lanternlane.example", "--at", "granite", "--statuses", "none")
    renewal = shell.run("registration", "renew", "lanternlane.example", "--registrar", "granite", "--json").document
    assert (
        renewal["state"] == "worksheet" and f"from {renewal['old'][0]}, until {renewal['new'][0]}" in renewal["sheet"]
    )


def test_name_servers_change_only_to_servers_that_answer_alike(shell: Shell) -> None:
    refused = shell.run("registration", "nameservers", DOMAIN, "--registrar", "flint", "--to", "birch", "--yes")
    assert refused.status == 4 and "does not answer for kilnandclay.example" in refused.err
    stands_at_birch(shell, DOMAIN)
    words = ("registration", "nameservers", DOMAIN, "--registrar", "flint", "--yes", "--wait", "--json")
    document = shell.run(*words, "--to", "birch").document
    assert (
        document["state"] == "published"
        and document["new"] == ["ns1.birch.example", "ns2.birch.example"]
        and document["since"]
    )
    alone = shell.run(*words, "--ns", "ns1.alder.test")
    assert alone.status == 3 and "2 to 13 name servers" in alone.err  # the registry's rule, in its own words
    assert shell.run(*words, "--to", "alder").document["state"] == "published"


def test_the_same_set_for_a_list_of_domains(shell: Shell) -> None:
    (shell.folder / "list.txt").write_text(
        "# ours\nkilnandclay.example\ntidemill.example\nevensong.test\nnosuch.example\n"
    )
    words = (
        "registration",
        "nameservers",
        "--list",
        "list.txt",
        "--registrar",
        "flint",
        "--to",
        "alder",
        "--yes",
        "--json",
    )
    ended = shell.run(*words)
    states = {each["domain"]: each["state"] for each in ended.document["domains"]}
    assert ended.status == 1 and states == {
        DOMAIN: "unchanged", "tidemill.example": "unchanged", "evensong.test": "failed", "nosuch.example": "failed",
    }  # fmt: skip
    stands_at_birch(shell, "tidemill.example")
    changed = shell.run(
        "registration",
        "nameservers",
        DOMAIN,
        "tidemill.example",
        "--registrar",
        "flint",
        "--to",
        "birch",
        "--yes",
        "--json",
    )
    assert {each["domain"]: each["state"] for each in changed.document["domains"]}["tidemill.example"] == "changed"
    shell.run(
        "registration", "nameservers", DOMAIN, "tidemill.example", "--registrar", "flint", "--to", "alder", "--yes"
    )


def typed(shell: Shell, names: str) -> None:
    assert shell.run("practice", "form", BY_HAND, "--at", "granite", "--ns", names).status == 0


def test_by_hand_the_slip_is_named(shell: Shell) -> None:
    words = ("registration", "nameservers", BY_HAND, "--registrar", "granite", "--to", "birch")
    assert shell.run(*words, "--json").document["state"] == "worksheet"
    sheet = (shell.folder / f"{BY_HAND}.nameservers.md").read_text()
    assert "- [ ] `ns1.birch.example` or `ns1.birch.example.`" in sheet and "members.granite.test" in sheet
    assert shell.run(*words, "--sheet", "sheet.html").status == 0
    page = (shell.folder / "sheet.html").read_text()
    assert (
        "<li><input type=checkbox> <code>ns1.birch.example</code> or <code>ns1.birch.example.</code></li>" in page
        and "`" not in page
    )
    typed(shell, "ns1.birch.example,ns2.birch.example,ns2.alder.test")
    waited = shell.run(*words, "--wait")
    assert waited.status == 3 and "the old name ns2.alder.test is still there" in waited.err
    assert "registration data: the old name" in waited.err  # before the parent's servers had it
    typed(shell, "ns1.birch.example,ns2.alder.test")
    waited = shell.run(*words, "--wait")
    assert waited.status == 3 and "ns2.birch.example is missing" in waited.err
    typed(shell, "ns1.birch.example,ns2.birch.example")
    assert shell.run(*words, "--wait", "--json").document["state"] == "published"
    typed(shell, "ns1.alder.test,ns2.alder.test")


def test_ds_by_hand_the_slip_is_named(shell: Shell) -> None:
    """The worksheet has what the provider's key gives; what is watched is what was typed."""
    domain = "glassfield.example"
    (key,) = shell.run("ds", "derive", domain, "--json").document["keys"]
    tag, digest = key["tag"], key["ds"][0]["digest"]
    submit = ("ds", "submit", domain, "--registrar", "granite", "--yes")
    held = shell.run(*submit)
    assert held.status == 0 and "was not known to be signed before" in held.out and "(rule 6" in held.out, held.err
    assert shell.run("practice", "clock", "--on", "25h").status == 0
    stopped = shell.run(*submit)
    assert stopped.status == 3 and "granite is changed by hand only: + DS" in stopped.err, stopped.err
    sheet = Path(stopped.err.split("the worksheet for it: ")[1].splitlines()[0]).read_text()
    assert "- [ ] digest type: `2` (in lists: SHA-256)" in sheet and f"    {tag} 13 2 {digest}" in sheet
    for ds, says in (
        (f"{tag} 13 4 {digest}{digest[:32]}", "is missing"),
        (f"{tag + 1} 13 2 {digest}", f"the key tag is {tag + 1}"),
    ):
        assert shell.run("practice", "form", domain, "--at", "granite", "--ds", ds).status == 0
        assert shell.run("practice", "clock", "--on", "10m").status == 0
        waited = shell.run(*submit, "--wait")
        assert waited.status in (3, 4) and says in waited.err + waited.out, waited.err
    assert shell.run("practice", "form", domain, "--at", "granite", "--ds", f"{tag} 13 2 {digest}").status == 0
    ended = shell.run(*submit, "--wait", "--json")
    assert ended.document["halt"] == "complete", ended.out + ended.err
    shown = shell.run("registration", "show", domain, "--json").document
    assert shown["agreed"] and all(len(each["ds"]) == 1 for each in shown["held"])
    assert shell.run("ds", "show", domain, "--json").document["state"] == "connected and valid"


def test_a_ds_that_cannot_hold_is_never_submitted(shell: Shell) -> None:
    domain, registrar = "coppergate.example", ("--registrar", "flint", "--yes")
    (key,) = shell.run("ds", "derive", domain, "--json").document["keys"]
    strange = shell.run("ds", "submit", domain, *registrar, "--ds", "4711 13 2 " + "ab" * 32)
    assert strange.status == 4 and "fits no key with which rowan signs" in strange.err
    turned = f"{key['tag']} 13 2 {'0' if key['ds'][0]['digest'][0] != '0' else '1'}{key['ds'][0]['digest'][1:]}"
    words = ("ds", "submit", domain, *registrar, "--ds", turned)
    assert shell.run(*words).status == 0 and shell.run("practice", "clock", "--on", "25h").status == 0
    refused = shell.run(*words)
    assert refused.status == 4 and "is a digit missing?" in refused.out, refused.err
    assert shell.run("ds", "show", domain, "--json").document["state"] == "signed, not connected"
    assert shell.run("ds", "submit", DOMAIN, *registrar, "--dry-run").status in (
        0,
        3,
    )  # alder would have to sign it first


def test_ds_by_epp_and_the_rules_that_keep_signatures(shell: Shell) -> None:
    words = ("--registrar", "flint", "--yes", "--wait")
    done = shell.run("ds", "submit", "coppergate.example", *words, "--json")
    assert done.document["halt"] == "complete", done.err
    again = shell.run("ds", "submit", "coppergate.example", *words)
    assert again.status == 0 and "is connected already" in again.out
    moved = shell.run("move", "draft", "coppergate.example", "--to", "birch", "--registrar", "flint")
    assert moved.status == 4 and "birch does not sign: it would be unsigned from then on" in moved.err
    assert shell.run("publish", "coppergate.example", "--from", "rowan", "--to", "alder", "--yes").status == 0
    led = shell.run(
        "registration", "nameservers", "coppergate.example", "--registrar", "flint", "--to", "alder", "--yes"
    )
    assert led.status == 4 and "is signed (DS" in led.err and "does not prove that" in led.err, led.err
    gone = shell.run("ds", "withdraw", "coppergate.example", *words)
    assert gone.status == 0 and "(rule 7" in gone.err and "nobody is asked for signatures" in gone.err, gone.err
    assert shell.run("ds", "show", "coppergate.example", "--json").document["state"] == "signed, not connected"


def test_a_registry_that_does_not_publish_what_it_accepted(shell: Shell) -> None:
    domain = "tidemill.example"
    assert shell.run("practice", "registry", "--stuck", domain).status == 0
    stands_at_birch(shell, domain)
    words = ("registration", "nameservers", domain, "--registrar", "flint", "--yes")
    waited = shell.run(*words, "--to", "birch", "--wait")
    assert waited.status == 3 and "still hands out ns1.alder.test, ns2.alder.test" in waited.err
    assert "registration data have it, not published yet" in waited.err
    shown = shell.run("registration", "show", domain, "--registrar", "flint", "--json")
    assert shown.status == 1 and [each["agrees"] for each in shown.document["held"]] == [
        False,
        False,
        True,
        True,
        True,
        True,
    ]
    assert shell.run("practice", "registry").status == 0
    assert shell.run(*words, "--to", "alder").status == 0


def test_a_connection_that_drops_is_looked_into(shell: Shell) -> None:
    shell.run("practice", "registry", "--drop", "update")
    locked = shell.run("registration", "lock", DOMAIN, "--registrar", "flint", "--yes", "--json").document
    assert locked["state"] == "changed" and "clientUpdateProhibited" in locked["new"]
    shell.run("practice", "registry", "--refuse", "update", "--result", "2400")
    refused = shell.run("registration", "unlock", DOMAIN, "--registrar", "flint", "--yes")
    assert refused.status == 3 and "the registry failed (2400)" in refused.err
    assert shell.run("registration", "unlock", DOMAIN, "--registrar", "flint", "--yes", "--json").document["new"] == [
        "ok"
    ]


def test_the_code_goes_into_a_file_that_nobody_else_reads(shell: Shell) -> None:
    words = ("registration", "code", DOMAIN, "--registrar", "flint", "--into")
    first = shell.run(*words, "one.code", "--json")
    assert first.status == 0 and (shell.folder / "one.code").stat().st_mode & 0o777 == 0o600
    code = (shell.folder / "one.code").read_text().strip()
    assert len(code) > 8 and code not in first.out + first.err
    assert shell.run(*words, "one.code").status == 2  # never over another file
    assert (
        shell.run(*words, "two.code", "--new").status == 4 and not (shell.folder / "two.code").exists()
    )  # nobody to ask
    assert shell.run(*words, "two.code", "--new", "--yes").status == 0
    assert (shell.folder / "two.code").read_text().strip() not in ("", code)
    by_hand = shell.run("registration", "code", BY_HAND, "--registrar", "granite", "--into", "three.code")
    assert by_hand.status == 3 and "granite is changed by hand only: have the authorisation code" in by_hand.err


def test_a_whole_move_with_a_registrar_that_has_only_a_form(shell: Shell) -> None:
    draft = (
        "move",
        "draft",
        BY_HAND,
        "--from",
        "alder",
        "--to",
        "birch",
        "--registrar",
        "granite",
        "--publishing",
        "4m",
        "--speed",
        "lowered",
    )
    assert shell.run(*draft).status == 0
    stopped = shell.run("move", "advance", BY_HAND, "--yes", "--wait")
    assert stopped.status == 3, stopped.err
    assert "granite is changed by hand only: + ns1.birch.example, + ns2.birch.example, - ns1.alder.test" in stopped.err
    sheet = stopped.err.split("the worksheet for it: ")[1].splitlines()[0]
    assert "- [ ] `ns1.birch.example`" in Path(sheet).read_text()
    assert "not seen within 1h: not typed yet" in stopped.err
    settings = Path(shell.variables["LEGATUM_SETTINGS"])
    patient = settings / "patient.toml"
    patient.write_text((settings / "legatum.toml").read_text() + '[house]\npatience = "90d"\n')
    waiting = subprocess.Popen(
        [PROGRAM, "move", "advance", BY_HAND, "--yes", "--wait", "--settings", str(patient)],
        stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
    )  # fmt: skip
    assert waiting.stderr is not None
    errors = iter(waiting.stderr.readline, "")
    assert any("not typed yet" in line for line in errors)
    typed(shell, "ns1.birch.example,ns2.birch.exmaple")
    assert any("ns2.birch.exmaple is mistyped: meant was ns2.birch.example" in line for line in errors)
    typed(shell, "ns1.birch.example,ns2.birch.example")
    assert any("See the new NS set on every server" in line for line in errors)
    assert waiting.wait(60) == 0, waiting.stderr.read()
    assert shell.run("confirm", BY_HAND, "--to", "birch").status == 0


def test_every_effect_has_its_intent_and_its_outcome_in_the_journal(world: PracticeWorld, shell: Shell) -> None:
    """Zones made and ended, parts, hosts, contacts and passwords: what was begun and what became of it, whichever
    command it was of."""
    part = ("delegate", "ledger", "--of", "ferrytimes.example", "--at", "alder", "--to", "birch", "--yes")
    shell.run("amend", "ferrytimes.example", "ledger", "A", "198.51.100.9", "--at", "alder", "--yes")
    assert shell.run(*part, "--wait").status == 0 and shell.run(*part, "--back", "--wait").status == 0
    fields = ("--name", "Kiln", "--city", "Clay", "--country", "GB", "--email", "post@kilnandclay.example")
    assert shell.run("registration", "contact", "QM-LEDGER", "--registrar", "flint", *fields, "--yes").status == 0
    shell.variables["SAME"] = (world.folder / "flint.password").read_text().strip()
    assert shell.run("registration", "password", "--registrar", "flint", "--new", "env:SAME", "--yes").status in (0, 3)
    at = ("--at", "birch", "--registrar", "slate", "--yes")
    assert shell.run("hosts", "set", "ns8.evensong.test", "--address", "198.51.100.41", *at).status == 0
    with closing(sqlite3.connect(world.folder / "journal.sqlite")) as journal:
        rows = journal.execute("SELECT step, kind, text FROM entries ORDER BY number").fetchall()
    for step in ("child", "end", "contact", "password", "host-ns8"):
        seen = [kind for each, kind, _ in rows if each == step and kind != "sent"]
        assert seen and seen[0::2] == ["intent"] * (len(seen) // 2) and set(seen[1::2]) <= {"outcome", "failed"}, (
            step,
            seen,
        )
    assert all(shell.variables["SAME"] not in text for _, _, text in rows)
