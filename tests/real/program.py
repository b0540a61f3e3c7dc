"""The program beside real servers: run in the folder that holds its settings."""

import json
import subprocess
import sys
from pathlib import Path
from typing import Any


def legatum(folder: Path, *words: str, status: int = 0) -> Any:
    """Its JSON document, or what it said on standard error where that tells of a failure."""
    command = [sys.executable, "-m", "legatum", *words, "--json", "--settings", "legatum.toml"]
    ended = subprocess.run(command, cwd=folder, capture_output=True, text=True, timeout=100, check=False)
    assert ended.returncode == status, (words, ended.stdout[-2000:], ended.stderr[-2000:])
    document = json.loads(ended.stdout) if ended.stdout else {}
    return ended.stderr if document.get("schema") in (None, "legatum.fault/1") else document
