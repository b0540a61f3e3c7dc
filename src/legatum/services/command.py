"""Commands from the settings: run without a shell, for as long as the settings allow, ended with whoever called
them."""

import asyncio
import contextlib
import os
import re
import signal
import tempfile
from collections.abc import Mapping, Sequence

from legatum.core.calendar.duration import duration_text
from legatum.core.records.name import Name, name_text
from legatum.core.running.fault import OutsideFault

_FIRST = re.compile(r"[A-Za-z0-9_]")
_LAST_WORDS = 1.5  # seconds from being asked to end until it is ended
_LONGEST_OUTPUT = 65_536


async def run_command(
    command: Sequence[str], domain: Name, purpose: str, limit: float, more: Mapping[str, str] | None = None
) -> bool:
    """Runs a command, ``{domain}`` filled in, and what ``more`` has; False when none is set.

    ``limit``: seconds until it is ended, with all that it started.

    Raises :class:`OutsideFault` with its last line of output when it fails.
    """
    if not command:
        return False
    if not _FIRST.match(name_text(domain)):
        raise OutsideFault(
            f"{purpose}: a name that begins like an option is handed to no command",
            "a name begins with a letter, a digit or an underscore",
        )
    words = list(command)
    for name, value in {"domain": name_text(domain), **(more or {})}.items():
        words = [word.replace(f"{{{name}}}", value) for word in words]
    with tempfile.TemporaryFile() as output:  # not a pipe: what it leaves running in the background may keep it open
        try:
            process = await asyncio.create_subprocess_exec(
                *words, stdin=asyncio.subprocess.DEVNULL, stdout=output, stderr=output, start_new_session=True
            )
        except OSError as error:
            raise OutsideFault(f"{purpose}: {words[0]}: {error.strerror}", "mend the command in the settings") from None
        try:
            async with asyncio.timeout(limit):
                await process.wait()
        except TimeoutError:
            words_said = f"{purpose}: {words[0]} had not ended after {duration_text(limit)}, and was ended"
            remedy = (
                "whether it did its work is not known: look; [house] command_limit in the settings says how "
                "long it may take"
            )
            raise OutsideFault(words_said, remedy) from None
        finally:
            await _end(process)
        if process.returncode:
            output.seek(0)
            said = output.read(_LONGEST_OUTPUT).decode(errors="replace").strip().splitlines() or ["no output"]
            raise OutsideFault(
                f"{purpose}: {words[0]} ended with {process.returncode}: {said[-1]}",
                "run the command by hand to see why",
            )
    return True


async def _end(process: asyncio.subprocess.Process) -> None:
    """Of one that still runs: it and what it started."""
    if process.returncode is not None:
        return
    for number in (signal.SIGTERM, signal.SIGKILL):
        with contextlib.suppress(ProcessLookupError):
            os.killpg(process.pid, number)
        with contextlib.suppress(TimeoutError):
            async with asyncio.timeout(_LAST_WORDS):
                await process.wait()
