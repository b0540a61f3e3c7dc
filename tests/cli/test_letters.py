"""Letters to the customer, from a move, a survey and the history, in every form."""

from collections.abc import Iterator
from pathlib import Path

import pytest

from legatum.demo.world_thread import WorldThread
from tests.cli.desk import DOMAIN, Desk


@pytest.fixture(scope="module")
def desk(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Desk]:
    with WorldThread(tmp_path_factory.mktemp("letters") / "world") as practice:
        yield Desk(practice)


def test_a_move_from_the_first_letter_to_the_last(desk: Desk, tmp_path: Path) -> None:
    desk.done(
        "move",
        "draft",
        DOMAIN,
        "--to",
        "birch",
        "--replace",
        "198.51.100.80=203.0.113.80",
        "--registrar",
        "flint",
        "--anyway",
    )
    desk.done("move", "show", DOMAIN, "--note", "-")
    assert desk.said.startswith(f"{DOMAIN}\n") and f"We are going to move {DOMAIN}." in desk.said
    assert (
        "* your web site's address" in desk.said
        and "  after: 203.0.113.80" in desk.said
        and "if nothing has to wait" in desk.said
    )
    desk.run("move", "advance", DOMAIN, "--yes", "--wait", "--anyway")
    for name, form in (("over.html", ()), ("over.md", ()), ("over.txt", ()), ("over", ("--form", "markdown"))):
        desk.done("move", "show", DOMAIN, "--note", str(tmp_path / name), *form)
        text = (tmp_path / name).read_text()
        assert f"The move of {DOMAIN} is done, and was seen at every server." in text and "When it is over" not in text
        assert text.startswith({"over.html": "<!doctype html>", "over.txt": DOMAIN}.get(name, f"# {DOMAIN}"))
    desk.done("history", DOMAIN, "--note", str(tmp_path / "done.txt"))
    text = (tmp_path / "done.txt").read_text()
    assert "was seen at every server" in text and "When it was done" in text


def test_while_the_customer_is_on_the_telephone(desk: Desk, tmp_path: Path) -> None:
    letter = tmp_path / "letter.txt"
    domain = "tidemill.example"
    desk.done("survey", domain, "--no-resolvers", "--note", str(letter))
    assert (
        f"{domain} is in order: everything" in letter.read_text()
        and "Nothing: there is nothing that you have to do." in letter.read_text()
    )
    desk.done("registration", "nameservers", domain, "--to", "birch", "--registrar", "flint", "--yes", "--anyway")
    desk.done("practice", "clock", "--on", "20m")
    assert desk.run("survey", domain, "--note", str(letter)) == 1
    text = letter.read_text()
    assert (
        "has a fault that your visitors notice" in text
        and "is led to servers that do not have it" in text
        and "at the latest" not in text
    )
    desk.done("registration", "nameservers", domain, "--to", "alder", "--registrar", "flint", "--yes", "--anyway")
    desk.done("practice", "clock", "--on", "20m")
    desk.done("survey", domain, "--note", str(letter))
    assert "is in order again" in letter.read_text() and "UTC at the latest." in letter.read_text()


def test_in_the_words_of_the_house(desk: Desk, tmp_path: Path) -> None:
    folder = desk.world.folder / "letters"
    folder.mkdir()
    (folder / "words.toml").write_text('[letter]\nto_do = "Ihre Aufgaben"\n', encoding="utf-8")
    before = desk.settings.read_text()
    desk.settings.write_text(before + '\n[house]\nletters = "letters"\n')
    try:
        desk.done("survey", "ferrytimes.example", "-q", "--note", str(tmp_path / "letter.md"))
        assert "## Ihre Aufgaben" in (tmp_path / "letter.md").read_text()
        letter = ("survey", "ferrytimes.example", "-q", "--note", str(tmp_path / "letter.md"))
        (folder / "letter.md").write_text("{{ nothing }}", encoding="utf-8")
        assert desk.run(*letter) == 2 and "mend the template" in desk.said
        (folder / "words.toml").write_text("[letter", encoding="utf-8")
        assert desk.run(*letter) == 2 and "mend the file" in desk.said
    finally:
        desk.settings.write_text(before)


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (("survey", DOMAIN, "--note", "letter.pdf"), "letter.pdf: as what?"),
        (("survey", DOMAIN, "ferrytimes.example", "--note", "letter.txt"), "--note is of one domain"),
        (("history", DOMAIN, "--note", "letter"), "letter: as what?"),
        (("move", "show", DOMAIN, "--note", "letter.doc"), "letter.doc: as what?"),
        (("move", "show", DOMAIN, "--note", "/gone/letter.txt"), "/gone/letter.txt"),
    ],
)
def test_what_cannot_be_written_is_a_line(desk: Desk, words: tuple[str, ...], says: str) -> None:
    desk.run("move", "draft", DOMAIN, "--to", "birch", "--registrar", "flint", "--force")
    assert desk.run(*words) == 2 and says in desk.said, desk.said
