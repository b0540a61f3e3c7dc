"""A PostgreSQL of the tests' own, on a socket in a folder: nothing listens on the network."""

import os
import pwd
import shutil
import subprocess
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

BIN = next(iter(sorted(Path("/usr/lib/postgresql").glob("*/bin"), reverse=True)), None)


def _run(program: str, *words: str, account: str) -> None:
    assert BIN is not None
    as_account = ["runuser", "-u", account, "--"] if os.getuid() == 0 else []  # it refuses to run as root
    done = subprocess.run(
        [*as_account, str(BIN / program), *words], capture_output=True, text=True, timeout=60, check=False
    )
    assert done.returncode == 0, done.stdout + done.stderr


def _account() -> str:
    return "postgres" if os.getuid() == 0 else pwd.getpwuid(os.getuid()).pw_name


def restart(url: str) -> None:
    """Ends every connection to it."""
    folder = url.partition("host=")[2]
    _run(
        "pg_ctl", "-D", f"{folder}/data", "-m", "immediate", "-l", f"{folder}/log", "-w", "restart", account=_account()
    )


@contextmanager
def postgresql() -> Iterator[str]:
    """The URL of an empty database."""
    account = _account()
    folder = Path(tempfile.mkdtemp(prefix="pg-"))  # short: a socket's path may have 107 octets
    if os.getuid() == 0:
        shutil.chown(folder, account)
    data = str(folder / "data")
    try:
        _run("initdb", "-D", data, "-A", "trust", "-U", "quillmoor", "--no-sync", account=account)
        options = f"-k {folder} -c listen_addresses= -c fsync=off"
        _run("pg_ctl", "-D", data, "-o", options, "-l", str(folder / "log"), "-w", "start", account=account)
        try:
            yield f"postgresql://quillmoor@/postgres?host={folder}"
        finally:
            _run("pg_ctl", "-D", data, "-m", "immediate", "-w", "stop", account=account)
    finally:
        shutil.rmtree(folder, ignore_errors=True)
