"""Letters to customers: what a change is called, what there is to do, and until when."""

import pytest

from legatum.core.findings import KINDS
from legatum.core.house.letter import Letter, Said, asks_of, differences_of, of_move, of_survey, topic_of
from legatum.core.memory.history import Changed
from legatum.core.moves.plan import draw
from legatum.views.letters.letter import FORMS, Step, Words, letter_text
from tests.core.moves.drawn import KINDS as WISHES
from tests.core.moves.drawn import plan_input

NOW, NAME = 1_930_000_000.0, "kilnandclay.example"


@pytest.mark.parametrize(
    ("what", "key"),
    [
        ("NS set at flint", "topic.name_servers"),
        (f"{NAME} NS", "topic.name_servers"),
        ("DS set at flint", "topic.trust"),
        (f"{NAME} A", "topic.site"),
        (f"www.{NAME} CNAME", "topic.site"),
        (f"{NAME} AAAA", "topic.site_six"),
        (f"shop.{NAME} A", "topic.address"),
        (f"{NAME} MX", "topic.mail"),
        (f"{NAME} TXT", "topic.mail_rules"),
        (f"winter._domainkey.{NAME} TXT", "topic.mail_rules"),
        (f"{NAME} CAA", "topic.record"),
        (f"host ns1.{NAME}", "topic.host"),
        ("registrar", "topic.registrar"),
    ],
)
def test_what_a_change_is_called(what: str, key: str) -> None:
    said = topic_of(what, NAME)
    assert said.key == key and "{" not in Words(None).say(said) and "NS set" not in Words(None).say(said)


def test_what_there_is_to_do_is_said_once() -> None:
    changed = [
        Changed("NS set at flint", "a", "b"),
        Changed(f"{NAME} NS", "1 a", "1 b"),
        Changed(f"{NAME} A", "60 198.51.100.80", "60 203.0.113.80"),
    ]
    differences = differences_of(changed, NAME)
    assert len(differences) == 2 and [each.key for each in asks_of(differences)] == ["ask.name_servers", "ask.address"]
    assert asks_of([]) == (Said("ask.nothing"),)


def test_a_move_in_every_state_says_when_it_is_over_and_nothing_of_zones() -> None:
    runbook = draw(plan_input(), "m1", "moved", [WISHES["provider"], WISHES["address"]])
    count = len(runbook.steps)
    for done, waits, key, until in (
        (0, False, "move.planned", "2031-02-27T00:00:00Z"), (1, False, "move.under_way", "2031-02-27T00:00:00Z"),
        (1, True, "move.waits", "2031-02-27T00:00:00Z"), (count, False, "move.over", ""),
    ):  # fmt: skip
        letter = of_move(runbook, done, "2031-02-27T00:00:00Z", waits)
        assert (letter.lead.key, letter.until) == (key, until)
        for form in FORMS:
            text = letter_text(letter, form, NOW, of_changes=True)
            assert (
                "your web site" in text
                and "192.0.2.99" in text
                and "{" not in text.replace("{ ", "").split("</style>")[-1]
            )
            assert ("2031-02-27 00:00:00 UTC, if nothing has to wait" in text) is bool(until)
            assert not {"RRset", "NS set", "TTL", "zone at"} & {
                word for word in ("RRset", "NS set", "TTL", "zone at") if word in text
            }


@pytest.mark.parametrize(
    ("delegated", "findings", "until", "state", "key"),
    [
        (True, [], "", "good", "survey.good"),
        (True, [("mail-missing", "notice")], "", "good", "survey.good"),
        (True, [("ttl-low", "warning")], "", "good", "survey.doubts"),
        (True, [("old-delegation-kept", "warning")], "2031-02-27T00:00:00Z", "waiting", "survey.passing"),
        (True, [("no-server-serves", "error")], "2031-02-27T00:00:00Z", "bad", "survey.bad"),  # and is not over then
        (False, [], "", "bad", "survey.bad"),
    ],
)
def test_a_survey(delegated: bool, findings: list[tuple[str, str]], until: str, state: str, key: str) -> None:
    letter = of_survey(NAME, delegated, findings, until)
    assert (letter.state, letter.lead.key) == (state, key) and letter.until == (until if state == "waiting" else "")


def test_every_sentence_is_of_something_that_there_is() -> None:
    words = Words(None)
    for section in ("finding", "asked"):
        assert set(words.section(section)) - {"_"} <= set(KINDS)
    assert "ttl-low" in words.say(Said("finding.ttl-low", {"domain": NAME}))  # what has no sentence of its own


def test_the_house_has_words_of_its_own_and_the_rest_is_english(tmp_path: object) -> None:
    from pathlib import Path

    folder = Path(str(tmp_path)) / "de"
    folder.mkdir()
    (folder / "words.toml").write_text(
        '[letter]\nto_do = "Was Sie tun müssen"\n[ask]\nnothing = "Nichts."\n', encoding="utf-8"
    )
    letter = of_survey(NAME, True, [], "")
    text = letter_text(letter, "text", NOW, folder, "Quillmoor")
    assert "Was Sie tun müssen:" in text and "* Nichts." in text and "is in order" in text and "from Quillmoor" in text
    (folder / "letter.txt").write_text("Liebe Leute, {{ lead }}\n", encoding="utf-8")
    assert letter_text(letter, "text", NOW, folder).startswith("Liebe Leute, kilnandclay.example is in order")


def test_nothing_in_it_is_taken_for_markup() -> None:
    letter = Letter(
        NAME,
        "good",
        Said("survey.good", {"domain": "<b>*x*</b>"}),
        (),
        differences_of([Changed(f"{NAME} TXT", "", "60 a|b")], NAME),
    )
    steps = [Step("<i>", "2031-02-27 00:00", "")]
    assert "<b>" not in letter_text(letter, "html", NOW, steps=steps) and "<i>" not in letter_text(
        letter, "html", NOW, steps=steps
    )
    assert r"\<b\>\*x\*" in letter_text(letter, "markdown", NOW) and r"a\|b" in letter_text(letter, "markdown", NOW)
