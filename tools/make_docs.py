"""Writes the pages that are made from the code: docs/findings.md, docs/legatum.1 and docs/schema/. ``--check``: only
says what is out of date."""

import importlib
import json
import pkgutil
import sys
from inspect import cleandoc
from pathlib import Path
from typing import Any

import msgspec

import legatum.demo.report  # it has a document too
import legatum.views
from legatum import __version__
from legatum.cli.program.main import COMMANDS, MODULES
from legatum.cli.program.tree import command_tree
from legatum.core.findings.finding import collect
from legatum.core.moves.plain import schema as move_file
from legatum.settings.document import Settings
from legatum.views.document import Document
from legatum.views.explain import FAMILIES
from legatum.views.manual import manual

DOCS = Path(__file__).parent.parent / "docs"


def pages() -> dict[Path, str]:
    """Path → text of every generated page."""
    made = {DOCS / "findings.md": findings(), DOCS / "legatum.1": manual_page()}
    for module in pkgutil.walk_packages(legatum.views.__path__, "legatum.views."):
        importlib.import_module(module.name)
    for document in Document.__subclasses__():
        tag = str(document.__struct_config__.tag)
        made[DOCS / "schema" / f"{tag.removeprefix('legatum.').replace('/', '-')}.json"] = schema(document)
    made[DOCS / "schema" / "settings.json"] = schema(Settings)
    made[DOCS / "schema" / "move-file-2.json"] = json.dumps(move_file(), indent=2, ensure_ascii=False) + "\n"
    return made


def manual_page() -> str:
    tree = command_tree(COMMANDS, MODULES)
    sections = [
        (" ".join(each.words), each.summary, [(one.flags, one.value, one.help) for one in each.options])
        for each in tree.all
        if each.words
    ]
    return manual(__version__, tree.summary, sections)


def schema(struct: type) -> str:
    return json.dumps(_dedented(msgspec.json.schema(struct)), indent=2, ensure_ascii=False) + "\n"


def _dedented(part: Any) -> Any:
    """Docstrings as they read; the library takes them as they stand in the code or not, by its version."""
    match part:
        case dict():
            return {
                key: cleandoc(each) if key == "description" and isinstance(each, str) else _dedented(each)
                for key, each in part.items()
            }
        case list():
            return [_dedented(each) for each in part]
    return part


def findings() -> str:
    families = {name: collect(vars(module)) for name, module in FAMILIES.items()}
    count = sum(len(kinds) for kinds in families.values())
    lines = [
        "# Findings",
        "",
        f"All {count}, made from the code by `make docs`; `legatum explain SLUG` says the same.",
        "",
    ]
    lines += [
        "Severity is judged by what visitors suffer: *error*, some or all of them fail now; *warning*, they "
        "will when something"
    ]
    lines += ["else fails; *notice*, worth knowing.", ""]
    for name, kinds in families.items():
        slugs = ", ".join(f"[{kind.slug}](#{kind.slug})" for kind in kinds)
        lines.append(f"- **{name}**: {slugs}")
    lines.append("")
    for kind in (kind for kinds in families.values() for kind in kinds):
        lines += [
            f"## {kind.slug}",
            "",
            f"**{kind.title}** ({kind.severity}, {kind.standard})",
            "",
            kind.why,
            "",
            f"*What to do:* {kind.remedy}",
            "",
        ]
        if kind.after:
            lines += [f"*Told under its cause where that is seen too:* {', '.join(kind.after)}.", ""]
    return "\n".join(lines)


def main() -> int:
    stale = [path for path, text in pages().items() if not path.exists() or path.read_text(encoding="utf-8") != text]
    if "--check" in sys.argv:
        for path in stale:
            print(f"{path.relative_to(DOCS.parent)} is out of date: make docs")
        return 1 if stale else 0
    for path, text in pages().items():
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text, encoding="utf-8")
    return 0


if __name__ == "__main__":
    sys.exit(main())
