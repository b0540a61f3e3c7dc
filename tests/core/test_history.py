"""The story from the lines of a journal: what became of what was begun, what it came to, what the customer has to
do."""

from legatum.core.memory.history import (
    AGAIN,
    FAILED,
    FORGOTTEN,
    INTENT,
    OUTCOME,
    SENT,
    Act,
    Became,
    Entry,
    acts,
    before_and_after,
)

DOMAIN = "kilnandclay.example"


def entry(number: int, kind: str, step: str, *changes: str, move: str = "m", text: str = "", replies: int = 0) -> Entry:
    facts = {"first": number - 0.5, "all": float(number), "facts": {}} if kind == OUTCOME else {}
    return Entry(
        number, move, DOMAIN, step, kind, float(number), text or f"{step} {kind}", "Wren", changes, facts, replies
    )


def test_what_was_begun_and_what_became_of_it() -> None:
    found = acts(
        [
            entry(1, INTENT, "publish"),
            entry(2, INTENT, "lower"),
            entry(3, OUTCOME, "publish", replies=7),
            entry(4, FAILED, "lower"),
            entry(5, INTENT, "switch"),
            entry(6, SENT, "registry", move=""),
            entry(7, FORGOTTEN, "publish"),
            entry(8, AGAIN, "publish"),
            entry(9, OUTCOME, "compare"),
        ]
    )
    assert [(each.step, each.became) for each in found] == [
        ("publish", Became.DONE),
        ("lower", Became.FAILED),
        ("switch", Became.OPEN),
        ("registry", Became.SENT),
        ("publish", Became.UNDONE),
        ("publish", Became.AGAIN),
        ("compare", Became.SEEN),
    ]
    done = found[0]
    assert (done.begun, done.ended, done.first, done.everywhere, done.proof, done.replies) == (1.0, 3.0, 2.5, 3.0, 3, 7)
    assert found[1].proof is None and found[2].ended is None and all(each.who == "Wren" for each in found)


def done(*changes: str, became: Became = Became.DONE) -> Act:
    return Act(DOMAIN, "Wren", became, "x", "", changes, 1.0, 2.0)


def test_first_and_last_of_each_thing() -> None:
    found = before_and_after([
        done("www A: 300 198.51.100.80 → 300 198.51.100.81", f"{DOMAIN} SOA: 60 a b 1 → 60 a b 2"),
        done("mail A: nothing → 300 203.0.113.25", "www A: 300 198.51.100.81 → 60 198.51.100.81"),
        done("old A: 300 203.0.113.9 → nothing", became=Became.FAILED),
        done("www A: 60 198.51.100.81 → 300 198.51.100.82", "gone TXT: 60 \"a\" → nothing", "no line of this kind"),
        done("ttl A: 300 203.0.113.1 → 60 203.0.113.1"),
    ])  # fmt: skip
    assert {each.what: (each.before, each.after) for each in found} == {
        "www A": ("300 198.51.100.80", "300 198.51.100.82"),
        "mail A": ("", "300 203.0.113.25"),
        "gone TXT": ('60 "a"', ""),
    }
    assert before_and_after([done("x A: 1 a → 1 b"), done("x A: 1 b → 1 a")]) == []  # there and back
