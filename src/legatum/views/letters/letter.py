"""A letter written out: its sentences from the language's words, its layout from the language's template.

A house's own folder may have ``words.toml`` and templates of the same names; what is not there is taken from English,
which is shipped.
"""

import re
import tomllib
from collections.abc import Sequence
from pathlib import Path
from typing import Any, NamedTuple

from legatum.core.calendar.instant import for_people, instant_text, parse_instant
from legatum.core.house.letter import Letter, Said
from legatum.core.running.fault import BadInput
from legatum.core.text.printable import clean
from legatum.net.file import write_whole

FORMS = {"html": ".html", "markdown": ".md", "text": ".txt"}
"""Form → the ending of its files."""
_SHIPPED = Path(__file__).parent / "en"
_PAGES = Path(__file__).parents[1] / "pages"
_SPECIAL = re.compile(r"([\\`*_\[\]<>|#])")


class Step(NamedTuple):
    """Something that was done: in the journal's words, begun and seen everywhere when, as text."""

    what: str
    begun: str
    everywhere: str


class Words:
    """The sentences of a language. ``folder``: the house's own, None for none. Raises :class:`BadInput` where its file
    is none."""

    def __init__(self, folder: Path | None) -> None:
        self._tables = [
            _read(each / "words.toml")
            for each in (*((folder,) if folder else ()), _SHIPPED)
            if (each / "words.toml").exists()
        ]

    def section(self, name: str) -> dict[str, str]:
        found: dict[str, str] = {}
        for table in reversed(self._tables):
            found |= {key: str(value) for key, value in table.get(name, {}).items()}
        return found

    def say(self, said: Said) -> str:
        """A finding for which there is no sentence of its own gets the one that stands for all."""
        section, _, key = said.key.partition(".")
        sentences = self.section(section)
        sentence = sentences.get(key, sentences.get("_", said.key))
        values = {"slug": key, **said.values}
        return re.sub(r"\{(\w+)\}", lambda match: values.get(match[1], match[0]), sentence)


def _read(path: Path) -> dict[str, dict[str, Any]]:
    try:
        return tomllib.loads(path.read_text(encoding="utf-8"))
    except (OSError, UnicodeDecodeError, tomllib.TOMLDecodeError) as error:
        raise BadInput(
            f"{path}: {error}", "mend the file at that place: a section and sentences, as in the one that is shipped"
        ) from None


def form_of(file: str, wanted: str) -> str:
    """By what is wanted, else by the file's ending; plain text for standard output. Raises :class:`BadInput`."""
    if wanted:
        return wanted
    if file == "-":
        return "text"
    found = next((form for form, ending in FORMS.items() if file.lower().endswith(ending)), None)
    if found is None and file.lower().endswith(".htm"):
        return "html"
    if found is None:
        raise BadInput(f"{file}: as what?", f"let it end in {', '.join(FORMS.values())}; or --form {'|'.join(FORMS)}")
    return found


def letter_text(
    letter: Letter, form: str, now: float, folder: Path | None = None, house: str = "", steps: Sequence[Step] = (),
    attached: Sequence[tuple[str, str, str]] = (), of_changes: bool = False,
) -> str:  # fmt: skip
    """``steps``: what was done, and when; ``attached``: file, its contents as a link, and what they are of;
    ``of_changes``: it is about what changed, and says so where that is nothing."""
    words = Words(folder)
    general = words.section("letter")

    def say(said: Said) -> str:
        return clean(words.say(said))

    told = list(dict.fromkeys(map(say, letter.told)))
    asks = list(dict.fromkeys(map(say, letter.asks))) or [say(Said("ask.nothing"))]
    when = Said("letter.by" if house else "letter.when", {"now": _moment(now), "house": house})
    until = say(Said(letter.until_key, {"instant": _moment(parse_instant(letter.until))})) if letter.until else ""
    differences = [
        {
            "what": say(each.topic),
            "before": [clean(line) for line in each.before],
            "after": [clean(line) for line in each.after],
        }
        for each in letter.differences
    ]
    values = {
        "title": say(Said("letter.title", {"domain": letter.domain})),
        "when": say(when),
        "lead": say(letter.lead),
        "told": told,
        "differences": differences,
        "asks": asks,
        "until": until,
        "steps": [Step(*map(clean, each)) for each in steps],
        "attached": attached,
        "words": _Sections(general),
        "state": letter.state,
        "of_changes": of_changes,
        "language": folder.name if folder else "en",
    }
    text = _rendered(form, folder, values)
    return for_people(re.sub(r"\n{3,}", "\n\n", text).strip() + "\n")


class _Sections(dict[str, str]):
    """For templates: ``words.before``."""

    __getattr__ = dict.__getitem__


def _moment(at: float) -> str:
    return instant_text(at).replace("T", " ").replace("Z", " UTC")


def _rendered(form: str, folder: Path | None, values: dict[str, Any]) -> str:
    from jinja2 import Environment, FileSystemLoader, StrictUndefined, TemplateError

    folders = [*([folder] if folder else []), _SHIPPED, _PAGES]
    environment = Environment(
        loader=FileSystemLoader(folders),
        autoescape=form == "html",
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )
    environment.filters["mark"] = lambda text: _SPECIAL.sub(r"\\\1", str(text))
    try:
        return environment.get_template(f"letter{FORMS[form]}").render(values)
    except TemplateError as error:
        raise BadInput(
            f"letters in {folder}: {error}", "mend the template; without one of one's own that of English is taken"
        ) from None


def write_letter(file: str, text: str) -> None:
    """Into a file, or to standard output for ``-``. Raises as :func:`~legatum.net.file.write_whole`."""
    if file == "-":
        import sys

        sys.stdout.write(text)
        sys.stdout.flush()
        return
    write_whole(Path(file), text)
