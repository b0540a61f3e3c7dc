"""The program beside real servers: run in the folder that holds its settings."""

from pathlib import Path
from typing import Any

from tests.started import run_program


def legatum(folder: Path, *words: str, status: int = 0) -> Any:
    """Its JSON document, or what it said on standard error where that tells of a failure."""
    ended = run_program([*words, "--json", "--settings", "legatum.toml"], folder, {}, patience=200)
    failed = [line.strip() for line in ended.out.splitlines() if '"why": "' in line and '"why": ""' not in line]
    assert ended.status == status, (words, failed, ended.out[-2000:], ended.err[-2000:])
    document = ended.document if ended.out else {}
    return ended.err if document.get("schema") in (None, "legatum.fault/1") else document
