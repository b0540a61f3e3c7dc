"""The installed program on zones: linted, gathered by name, amended, compared, published in several ways, put right by
template."""

import csv
import io
from collections.abc import Iterator
from pathlib import Path

import pytest

from legatum.core.records.name import parse_name
from legatum.core.records.rrset import targets
from legatum.core.records.rrtype import MX
from legatum.core.zones.masterfile import parse_master
from tests.cli.program import PracticeWorld, Shell

DOMAIN = "kilnandclay.example"


@pytest.fixture(scope="module")
def world(tmp_path_factory: pytest.TempPathFactory) -> Iterator[PracticeWorld]:
    with PracticeWorld(tmp_path_factory.mktemp("world")) as running:
        with (running.folder / "legatum.toml").open("a") as settings:
            settings.write('\n[providers.form]\nkind = "manual"\nservers = ["ns1.alder.test", "ns2.alder.test"]\n')
        yield running


@pytest.fixture
def shell(world: PracticeWorld, tmp_path: Path) -> Shell:
    return world.shell(tmp_path)


def test_lint_tells_slips_and_findings(shell: Shell) -> None:
    (shell.folder / "kilnandclay.example.zone").write_text(
        "$TTL 1h\n@ SOA ns1.alder.test. post 1 14400 3600 1209600 600\n@ NS ns1.alder.test.\n@ MX 10 "
        "mail.kilnandclay.example\n"
        "www A 192.168.0.1\nwrong A 1.2.3\n$INCLUDE ../secrets\n"
    )
    ended = shell.run("lint", "kilnandclay.example.zone")
    assert ended.status == 1 and "kilnandclay.example.zone:6:9: '1.2.3' is no data of type A" in ended.out
    assert "kilnandclay.example.zone:7:10: ../secrets lies outside the folder" in ended.out
    document = shell.run("lint", "kilnandclay.example.zone", "--json").document
    assert [(slip["line"], slip["column"]) for slip in document["slips"]] == [(6, 9), (7, 10)]
    slugs = {each["slug"] for each in document["findings"]}
    assert {"target-doubled-origin", "address-not-public"} <= slugs
    assert all(shell.run("explain", slug).status == 0 for slug in slugs)
    shell.run("gather", DOMAIN, "--from", "alder", "--out", "good.zone")
    assert shell.run("lint", "alder", "good.zone", "--domain", DOMAIN).status == 0
    lines = (shell.folder / "good.zone").read_text().splitlines()
    (shell.folder / "less.zone").write_text("\n".join(line for line in lines if not line.startswith("workshop")) + "\n")
    against = shell.run("lint", "less.zone", "--against", "alder", "--json").document
    assert [each["seen"] for each in against["findings"] if each["slug"] == "name-only-there"] == [
        ["workshop.kilnandclay.example (A)"]
    ]


def test_gathering_by_name_says_that_it_is_a_sample(shell: Shell) -> None:
    document = shell.run("gather", DOMAIN, "--way", "walk", "--way", "ask", "--out", "a.zone", "--json").document
    assert (
        document["completeness"] == "a sample"
        and document["known"] <= document["asked"]
        and document["way"] == "asking for names"
    )
    text = (shell.folder / "a.zone").read_text()
    assert (
        "*.preview.kilnandclay.example." in text and "_imaps._tcp" in text and "workshop" not in text
    )  # nobody would guess the last
    (shell.folder / "names").write_text("workshop.kilnandclay.example  # on the invoice\npress.archive\n")
    shell.run("gather", DOMAIN, "--way", "ask", "--names", "names", "--out", "b.zone")
    assert "workshop" in (shell.folder / "b.zone").read_text()
    keyed = shell.run("gather", DOMAIN, "--from", "alder", "--way", "transfer", "--out", "c.zone", "--json")
    assert (
        keyed.status == 0 and keyed.document["completeness"] == "complete"
    )  # its servers give it to nobody without the key
    both = shell.run(
        "gather", "nobody.example", "--from", "alder", "--way", "transfer", "--way", "ask", "--out", "d.zone"
    )
    assert both.status == 3
    copied = shell.run("gather", "copy.example", "--like", DOMAIN, "--from", "alder", "--json")
    text = (shell.folder / "copy.example.zone").read_text()
    assert copied.document["left"] and "\nmail.copy.example." in text and "10 mail.copy.example." in text
    assert shell.run("gather", DOMAIN, "--since", "b.zone").status == 2


def test_amend_is_as_careful_as_publish(shell: Shell) -> None:
    at = ("--at", "alder", "--yes")
    assert "nothing can stand beside an alias" in shell.run("amend", DOMAIN, "www", "A", "198.51.100.81", *at).err
    harm = shell.run("amend", DOMAIN, "@", "MX", "10 mail.kilnandclay.example.kilnandclay.example.", *at)
    assert harm.status == 4 and "--anyway" in harm.err
    whole = shell.run("amend", DOMAIN, "Press.KilnAndClay.example", "A", "198.51.100.80", *at, "--dry-run").err
    assert "  press.kilnandclay.example A: nothing →" in whole
    done = shell.run("amend", DOMAIN, "press", "A", "198.51.100.81", *at, "--json").document
    assert done["state"] == "published" and len(done["addresses"]) == 4
    assert shell.run("amend", DOMAIN, "press", "A", "198.51.100.81", *at, "--json").document["state"] == "unchanged"
    added = shell.run("amend", DOMAIN, "press", "A", "198.51.100.82", "--add", "--ttl", "5m", *at, "--json").document
    assert added["changes"][1]["right"] == {"ttl": 300, "data": ["198.51.100.81", "198.51.100.82"]}
    assert shell.run("amend", DOMAIN, "press", "A", "198.51.100.83", "--drop", *at).status == 2
    shell.run("amend", DOMAIN, "press", "A", "--clear", *at)
    assert "press.kilnandclay.example. " not in shell.run("gather", DOMAIN, "--from", "alder", "--out", "-").out
    for words in (
        ("www",),
        ("www", "A"),
        ("www.other.test.", "A", "198.51.100.1"),
        ("www", "A", "nonsense"),
        ("@", "SOA", "x"),
    ):
        assert shell.run("amend", DOMAIN, *words, *at).status == 2, words


def test_a_text_needs_no_marks_that_a_shell_takes_away(shell: Shell) -> None:
    assert (
        shell.run("amend", DOMAIN, "note", "TXT", "v=spf1 mx -all", '"two" "strings"', "--at", "alder", "--yes").status
        == 0
    )
    served = shell.run("gather", DOMAIN, "--from", "alder", "--out", "-").out
    assert 'TXT    "v=spf1 mx -all"' in served and 'TXT    "two" "strings"' in served


def test_a_serial_goes_down_by_way_of_the_other_side_of_the_circle(shell: Shell) -> None:
    before = shell.run("gather", DOMAIN, "--from", "alder", "--out", "-", "--force").out
    ended = shell.run("amend", DOMAIN, "--serial", "5", "--at", "alder", "--yes", "--json")
    assert ended.document["serial"] == 5 and ended.err.count(" → ") == 2, ended.err
    assert " 5 14400 " in shell.run("gather", DOMAIN, "--from", "alder", "--out", "-").out != before
    assert shell.run("confirm", DOMAIN, "--serial", "5").status == 0


def test_a_difference_is_published_alone_and_only_where_it_fits(shell: Shell) -> None:
    shell.run("gather", DOMAIN, "--from", "alder", "--out", "left.zone")
    text = (shell.folder / "left.zone").read_text()
    (shell.folder / "right.zone").write_text(text.replace("198.51.100.82", "198.51.100.99"))
    ended = shell.run("compare", "left.zone", "right.zone", "alder", "--csv", "--difference", "d.json")
    assert ended.status == 2  # a difference is of two places
    ended = shell.run("compare", "left.zone", "right.zone", "--csv", "--difference", "d.json")
    (row,) = csv.DictReader(io.StringIO(ended.out))
    assert (row["name"], row["left data"], row["right data"]) == (
        "workshop.kilnandclay.example",
        "198.51.100.82",
        "198.51.100.99",
    )
    done = shell.run("publish", DOMAIN, "--difference", "d.json", "--to", "alder", "--yes", "--json").document
    assert [each["name"] for each in done["changes"] if not each["expected"]] == ["workshop.kilnandclay.example"]
    shell.run("amend", DOMAIN, "workshop", "A", "198.51.100.98", "--at", "alder", "--yes")
    assert "is no longer what" in shell.run("publish", DOMAIN, "--difference", "d.json", "--to", "alder", "--yes").err
    shell.run("amend", DOMAIN, "workshop", "A", "198.51.100.82", "--at", "alder", "--yes")
    several = shell.run("compare", "left.zone", "right.zone", "alder", "--json").document
    assert [each["equal"] for each in several["comparisons"]] == [False, True]


def test_many_zones_are_published_side_by_side(shell: Shell) -> None:
    (shell.folder / "list.txt").write_text("tidemill.example\nnosuch.example\nferrytimes.example\n")
    words = ("publish", "--list", "list.txt", "--from", "alder", "--to", "birch")
    shown = shell.run(*words, "--dry-run", "--json")
    assert shown.status == 1 and [each["state"] for each in shown.document["zones"]] == ["ready", "failed", "ready"]
    declined = shell.run(*words, "--json", typed="no\n")
    assert declined.status == 4 and [each["state"] for each in declined.document["zones"]] == [
        "ready",
        "failed",
        "ready",
    ]
    done = shell.run(*words, "--yes", "--json").document["zones"]  # one that fails holds up none of the others
    assert [(each["state"], each["is_new"]) for each in done] == [
        ("published", True),
        ("failed", False),
        ("published", True),
    ]
    assert done[0]["serial"] == 3 and "not authoritative" in done[1]["why"]
    again = shell.run(*words[:2], "list.txt", *words[3:], "--yes")
    assert again.status == 1 and "1 failed, 2 unchanged" in again.out.splitlines()[0]
    (shell.folder / "zones").mkdir()
    for domain in ("tidemill.example", "ferrytimes.example"):
        path = shell.folder / "zones" / f"{domain}.zone"
        assert shell.run("gather", domain, "--from", "alder", "--out", str(path)).status == 0
        path.write_text(path.read_text() + "new 300 A 198.51.100.77\n")
    assert (
        shell.run(
            "publish", "tidemill.example", "ferrytimes.example", "--from", "zones", "--to", "birch", "--yes"
        ).status
        == 0
    )
    assert shell.run("compare", "zones/tidemill.example.zone", "birch").status == 0
    sheets = shell.run(
        "publish", "tidemill.example", "ferrytimes.example", "--from", "zones", "--to", "form", "--json"
    ).document["zones"]
    assert [each["state"] for each in sheets] == ["by hand"] * 2 and all(
        (shell.folder / each["file"]).exists() for each in sheets
    )


def test_a_wrong_key_is_no_missing_zone(shell: Shell, world: PracticeWorld) -> None:
    """Where the key is to blame nothing is made, not even where the zone is not there."""
    secret = world.folder / "birch.secret"
    kept = secret.read_text()
    shell.run("practice", "zone", "end", "evensong.example", "--at", "birch")
    (shell.folder / "new.zone").write_text(
        "$TTL 60\n@ SOA a. b. 1 14400 3600 1209600 600\n@ NS a.\n@ A 198.51.100.80\n"
    )
    words = ("publish", "evensong.example", "--from", "new.zone", "--to", "birch")
    try:
        secret.write_text("A" * 43 + "=\n")
        refused = shell.run(*words, "--yes")
        assert refused.status == 3 and "the secret differs (BADSIG)" in refused.err and "made first" not in refused.err
    finally:
        secret.write_text(kept)
    assert "the zone is not there yet" in shell.run(*words, "--dry-run").err  # and still is not


def test_much_less_is_refused_unless_it_is_said(shell: Shell) -> None:
    shell.run("gather", DOMAIN, "--from", "alder", "--out", "all.zone")
    lines = (shell.folder / "all.zone").read_text().splitlines()
    (shell.folder / "little.zone").write_text(
        "\n".join(line for line in lines if "SOA" in line or " NS " in line or "ORIGIN" in line) + "\n"
    )
    ended = shell.run("publish", DOMAIN, "--from", "little.zone", "--to", "alder", "--yes")
    assert ended.status == 4 and "would be taken away" in ended.err and "--remove" in ended.err
    assert shell.run("compare", "all.zone", "alder").status == 0


def test_a_worksheet_by_hand_and_the_moment_it_is_done(shell: Shell) -> None:
    shell.run("gather", DOMAIN, "--from", "alder", "--out", "now.zone")
    text = (shell.folder / "now.zone").read_text()
    (shell.folder / "new.zone").write_text(text + "bakery 300 IN A 198.51.100.90\nbakery 300 IN MX 5 mail\n")
    document = shell.run(
        "publish", DOMAIN, "--from", "new.zone", "--to", "form", "--sheet", "todo.html", "--json"
    ).document
    fields = {field["label"]: field["values"] for field in document["lines"][1]["records"][0]}
    assert [each["todo"] for each in document["lines"]] == ["add", "add"] and not document["whole"]
    assert fields["name"] == ["bakery", "bakery.kilnandclay.example", "bakery.kilnandclay.example."]
    assert fields["preference"] == ["5"] and fields["mail server"] == [
        "mail.kilnandclay.example",
        "mail.kilnandclay.example.",
    ]
    master = parse_master((shell.folder / document["master"]).read_text(), parse_name(f"{DOMAIN}."))
    assert master.get(parse_name(f"bakery.{DOMAIN}."), MX) and master.soa.primary in targets(master.apex_ns)
    page = (shell.folder / "todo.html").read_text()
    assert "<code>198.51.100.90</code>" in page and "http" not in page
    waited = shell.run(
        "publish", DOMAIN, "--from", "new.zone", "--to", "form", "--wait"
    )  # nobody has done it: the world's hour passes
    assert waited.status == 3 and "198.51.100.31 bakery.kilnandclay.example A: no such name" in waited.err
    assert "mail server: `mail.kilnandclay.example`" in (shell.folder / f"{DOMAIN}.worksheet.md").read_text()
    shell.run("publish", DOMAIN, "--from", "new.zone", "--to", "alder", "--yes")  # somebody works through it
    assert (
        "every server has answered as meant"
        in shell.run("publish", DOMAIN, "--from", "new.zone", "--to", "form", "--wait").out
    )


def test_templates_tell_who_has_drifted_and_put_them_right(shell: Shell, world: PracticeWorld) -> None:
    folder = world.folder / "templates"
    folder.mkdir()
    (folder / "basic.toml").write_text(
        '[variables]\nweb = "198.51.100.80"\n[records]\n"@" = { A = "{web}", "TXT+" = \'"v=spf1 mx -all"\' }\n'
        "_dmarc = { TXT = '\"v=DMARC1; p=none; rua=mailto:post@{domain}\"' }\n"
    )
    (folder / "shop.toml").write_text(
        'inherits = "basic"\ndrop = ["_dmarc TXT"]\n[records]\nstore = { A = "{store}" }\n[ttls]\nstore = "5m"\n'
    )
    (shell.folder / "list.csv").write_text(
        f"domain,template,store\n{DOMAIN},shop,198.51.100.91\nferrytimes.example,basic,\nevensong.test,gone,\n"
    )
    listed = shell.run("template", "list", "--json").document["templates"]
    assert [(each["name"], each["variables"]) for each in listed] == [
        ("basic", {"web": "198.51.100.80"}),
        ("shop", {"store": None, "web": "198.51.100.80"}),
    ]
    (shell.folder / "twice.csv").write_text(f"domain;template\n{DOMAIN};shop\n\n{DOMAIN.upper()};basic\n")
    twice = shell.run("template", "drift", "--list", "twice.csv", "--at", "alder")
    assert twice.status == 2 and "twice.csv:4: KILNANDCLAY.EXAMPLE stands on line 2 too" in twice.err
    ended = shell.run("template", "drift", "--list", "list.csv", "--at", "alder", "--json")
    states = [each["state"] for each in ended.document["tenants"]]
    assert ended.status == 1 and states[0] == "drifted" and states[2] == "failed"
    text = next(each for each in ended.document["tenants"][0]["differences"] if each["type"] == "TXT")
    assert (
        '"site-check=4f1c-kiln-77"' in text["right"]["data"] and '"v=spf1 mx -all"' in text["right"]["data"]
    )  # others in the set stay
    missing = shell.run("template", "apply", DOMAIN, "--template", "shop", "--at", "alder", "--yes")
    assert missing.status == 1 and "no value for 'store'" in missing.out
    words = (DOMAIN, "--template", "shop", "--set", "store=198.51.100.91", "--at", "alder")
    assert shell.run("template", "apply", *words, "--yes", "--json").document["tenants"][0]["state"] == "put right"
    assert shell.run("template", "drift", *words).status == 0
    fresh = ("quayside.example", "--template", "basic", "--at", "birch")
    assert shell.run("template", "drift", *fresh, "--json").document["tenants"][0]["state"] == "not there"
    assert shell.run("template", "apply", *fresh, "--yes", "--json").document["tenants"][0]["state"] == "made"
    assert shell.run("template", "drift", *fresh).status == 0
    assert "no variable 'stroe'" in shell.run("template", "show", DOMAIN, "--template", "shop", "--set", "stroe=1").err


def test_a_part_is_handed_on_and_nothing_is_lost(shell: Shell) -> None:
    for name, address in (("app", "198.51.100.71"), ("web.app", "198.51.100.72")):
        shell.run("amend", DOMAIN, name, "A", address, "--at", "alder", "--yes")
    words = ("delegate", "app", "--of", DOMAIN, "--at", "alder", "--to", "birch")
    shown = shell.run(*words, "--dry-run")
    assert shown.status == 0 and "the zone does not exist at birch → it is created there" in shown.err
    assert shell.run("gather", f"app.{DOMAIN}", "--from", "birch", "--out", "-").status == 3  # a dry run makes nothing
    document = shell.run(*words, "--yes", "--wait", "--json").document
    assert document["halt"] == "complete" and document["done"] == ["child", "ready", "cut", "confirm"]
    parent = shell.run("gather", DOMAIN, "--from", "alder", "--out", "-").out
    assert (
        "app.kilnandclay.example.                   3600 IN NS     ns1.birch.example." in parent
        and "web.app" not in parent
    )
    assert "web.app.kilnandclay.example." in shell.run("gather", f"app.{DOMAIN}", "--from", "birch", "--out", "-").out
    assert shell.run("survey", f"app.{DOMAIN}").status == 0
    assert "serves app.kilnandclay.example already" in shell.run(*words, "--yes").out
    for name in ("@", "other.test.", "x.app"):
        assert shell.run("delegate", name, *words[2:], "--yes").status == 2, name
    shell.run("amend", f"app.{DOMAIN}", "new", "A", "198.51.100.73", "--at", "birch", "--yes")
    begun = shell.run(*words, "--back", "--yes", "--json")
    assert "halt" in begun.document, begun.err
    back = begun.document
    assert (
        back["halt"] == "holding" and back["done"] == ["cut", "apex"] and "TTL of 86400 (rule 4" in back["reasons"][0]
    )
    for party in ("alder", "birch"):  # caches may still ask either
        answers = shell.run(
            "gather", DOMAIN if party == "alder" else f"app.{DOMAIN}", "--from", party, "--out", "-"
        ).out
        assert all(f"{name}.app.{DOMAIN}." in answers for name in ("web", "new")), party
    over = shell.run(*words, "--back", "--yes", "--wait", "--json").document
    assert over["halt"] == "complete" and over["done"] == ["end"]
    assert shell.run("gather", f"app.{DOMAIN}", "--from", "birch", "--out", "-").status == 3
    assert "is served by alder, in the zone above" in shell.run(*words, "--back", "--yes").out
    assert shell.run(*words, "--yes", "--wait", "--json").document["halt"] == "complete"  # and it can begin anew
    assert shell.run("move", "retreat", DOMAIN, "--yes", "--wait").status == 0
    assert "web.app" in shell.run("gather", DOMAIN, "--from", "alder", "--out", "-").out


def test_a_zone_of_its_own_is_no_copy(shell: Shell) -> None:
    """What birch serves by itself would never follow what alder's zone becomes."""
    assert shell.run("publish", "ferrytimes.example", "--from", "alder", "--to", "birch", "--yes").status == 0
    refused = shell.run("second", "add", "ferrytimes.example", "--at", "alder", "--second", "birch", "--yes")
    assert refused.status == 4 and "as a zone of its own: its SOA names ns1.birch.example" in refused.out
    assert (
        "birch" not in shell.run("gather", "ferrytimes.example", "--from", "alder", "--out", "-").out
    )  # nothing was named


def test_a_second_provider_that_is_dead_can_be_taken_out(shell: Shell) -> None:
    words = ("tidemill.example", "--at", "alder", "--second", "birch", "--registrar", "flint", "--yes")
    shell.run("practice", "zone", "end", "tidemill.example", "--at", "birch")
    assert shell.run("second", "add", *words, "--wait").status == 0
    shell.run("practice", "zone", "end", "tidemill.example", "--at", "birch")
    silent = shell.run("second", "leave", *words, "--json")
    assert silent.status == 4 and "not every server answers" in silent.err
    left = shell.run("second", "leave", *words, "--dead", "--wait", "--json")
    assert left.document["halt"] == "complete" and "release" not in left.document["done"], left.err


def test_an_alias_at_the_apex_becomes_addresses_and_one_below_it_a_true_one(shell: Shell) -> None:
    shell.run("gather", "ferrytimes.example", "--from", "alder", "--out", "h.zone")
    text = (shell.folder / "h.zone").read_text().splitlines()
    apex = [line for line in text if not (line.startswith("ferrytimes.example. ") and " A " in line)]
    aliases = [f"{name}ferrytimes.example. 300 IN ALIAS www.kilnandclay.example." for name in ("", "alone.", "mixed.")]
    (shell.folder / "alias.zone").write_text(
        "\n".join([*apex, *aliases, "mixed.ferrytimes.example. 300 IN TXT x"]) + "\n"
    )
    ended = shell.run("publish", "ferrytimes.example", "--from", "alias.zone", "--to", "alder", "--yes", "--json")
    assert "no alias can stand beside SOA and NS" in ended.err, ended.err
    change = next(
        each for each in ended.document["changes"] if each["type"] == "A" and each["name"] == "ferrytimes.example"
    )
    assert change["right"] == {"ttl": 300, "data": ["198.51.100.80"]}
    assert "alone.ferrytimes.example: the alias of www.kilnandclay.example became a CNAME" in ended.err
    assert "as no alias can stand beside TXT" in ended.err
    below = {(each["name"], each["type"]): each["right"] for each in ended.document["changes"]}
    assert below["alone.ferrytimes.example", "CNAME"] == {"ttl": 300, "data": ["www.kilnandclay.example."]}
    assert below["mixed.ferrytimes.example", "A"]["data"] == ["198.51.100.80"]
    compared = shell.run("compare", "alias.zone", "alder", "--domain", "ferrytimes.example", "--json")
    weights = {(each["name"], each["type"]): each["weight"] for each in compared.document["differences"]}
    assert weights["ferrytimes.example", "ALIAS"] == weights["ferrytimes.example", "A"] == "equal for visitors", weights
    assert weights["alone.ferrytimes.example", "ALIAS"] == "equal for visitors" and not compared.document["worse"], (
        weights
    )


def test_whatever_changes_a_zone_is_held_to_the_same(shell: Shell, world: PracticeWorld) -> None:
    """A new error, records that nobody would see, a server that does not answer: refused with the finding, by every
    command."""
    shell.run("gather", "ferrytimes.example", "--from", "alder")
    file = shell.folder / "ferrytimes.example.zone"
    whole = file.read_text()
    file.write_text(whole + "a 300 IN CNAME b\nb 300 IN CNAME a\n")
    templates = world.folder / "templates"
    templates.mkdir(exist_ok=True)
    (templates / "circle.toml").write_text('[records]\na = { CNAME = "b" }\nb = { CNAME = "a" }\n')
    at, name = ("--at", "alder", "--yes"), "ferrytimes.example"
    server = "the NS set would name ns1.cedar.test, which"
    for words, says in (
        (("publish", name, "--from", file.name, "--to", "alder", "--yes"), "alias-in-circle"),
        (("template", "apply", name, "--template", "circle", *at), "circle"),
        (("amend", name, "www", "DNAME", "evensong.test.", "--instead", *at), "data-under-dname"),
        (("amend", name, "www", "A", "198.51.100.1", "--ttl", "3000000000", "--instead", *at), "ttl-too-large"),
        (("amend", name, "@", "NS", "ns1.alder.test.", "ns1.cedar.test.", *at), server),
        (("amend", name, "@", "NS", "ns1.alder.test.", "a.nic.example.", *at), "server-without-authority"),
    ):
        if says == "data-under-dname":
            shell.run("amend", name, "x.www", "A", "198.51.100.9", *at)
        refused = shell.run(*words)
        assert refused.status == (1 if words[0] == "template" else 4), (words, refused)
        assert says in refused.err + refused.out or says == server, (words, refused)
    assert shell.run("delegate", "app", "--of", name, "--at", "alder", "--to", "alder", "--yes").status == 2
    assert shell.run("delegate", "app", "--of", name, "--at", "alder", "--to", "birch", "--yes", "--wait").status == 0
    hidden = shell.run("amend", name, "x.app", "TXT", "hidden", *at)
    assert hidden.status == 4 and "data-under-cut" in hidden.err
    assert shell.run("amend", name, "x.app", "TXT", "hidden", "--anyway", *at).status == 0
    other = shell.run("publish", DOMAIN, "--from", file.name, "--to", "alder", "--yes")
    assert other.status == 2 and f"ferrytimes.example.zone is of {name}, not of {DOMAIN}" in other.err


def test_words_in_any_order_a_ttl_alone_and_data_that_a_shell_takes_apart(shell: Shell) -> None:
    name = "ferrytimes.example"
    minus = shell.run("amend", name, "--at", "alder", "press", "--yes", "TXT", "--json", "--", "-5").document
    assert minus["state"] == "published" and minus["changes"][-1]["right"]["data"] == ['"-5"']
    alone = shell.run("amend", name, "press", "TXT", "--ttl", "7m", "--at", "alder", "--yes", "--json").document
    assert alone["changes"][-1]["right"] == {"ttl": 420, "data": ['"-5"']}
    assert (
        shell.run("amend", name, "press", "TXT", "--ttl", "7m", "--at", "alder", "--yes", "--json").document["state"]
        == "unchanged"
    )
    assert shell.run("amend", name, "gone", "TXT", "--ttl", "7m", "--at", "alder", "--yes").status == 2
    apart = shell.run("amend", name, "@", "MX", "10", "mail", "--at", "alder", "--yes")
    assert apart.status == 2 and "put it between quotation marks, '10 mail'" in apart.err
    bare = shell.run("amend", name, "press", "TXT", "-x", "--at", "alder", "--yes")
    assert bare.status == 2 and "stands after --" in bare.err
    ago = shell.run("confirm", name, "--record", "press TXT other", "--since", "5m", "--json").document
    assert ago["pending"] is True
    assert (
        shell.run("confirm", name, "--record", "press TXT other", "--since", "30d", "--json").document["pending"]
        is False
    )


def test_what_begins_anew_is_not_over_by_what_was_once(shell: Shell) -> None:
    """A part handed on, taken back, handed on and taken back again: the second time is waited for as the first was."""
    words = ("delegate", "again", "--of", "tidemill.example", "--at", "alder", "--to", "birch", "--yes", "--json")
    shell.run("amend", "tidemill.example", "x.again", "A", "198.51.100.7", "--at", "alder", "--yes")
    for _ in range(2):
        assert shell.run(*words, "--wait").document["halt"] == "complete"
        back = shell.run(*words, "--back").document
        assert back["halt"] == "holding" and back["step"] == "end"
        assert shell.run(*words, "--back", "--wait").document["done"] == ["end"]
    assert shell.run("gather", "tidemill.example", "--from", "alder", "--out", "-").out.count("x.again") == 1
    leave = ("second", "leave", "alder.test", "--at", "alder", "--second", "birch", "--yes")
    never = shell.run(*leave)
    assert (
        never.status == 0 and "birch is no second provider of alder.test" in never.out and "nothing to do" in never.out
    )
