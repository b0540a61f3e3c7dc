"""Files that are written whole or not at all."""

import contextlib
import errno
from pathlib import Path

from legatum.core.fault import BadInput, Fault, OutsideFault

_FULL = {errno.ENOSPC, errno.EDQUOT, errno.EFBIG, errno.EIO}


def write_whole(path: Path, content: str | bytes) -> None:
    """Puts ``content`` at ``path`` in one step, text as UTF-8 without changing line ends: who reads finds the old or the new.

    What cannot be replaced (a pipe, a device) is written to. Raises :class:`BadInput` where the path cannot be written,
    :class:`OutsideFault` where the disk is full; then nothing is left over.
    """
    octets = content.encode("utf-8") if isinstance(content, str) else content
    try:
        if path.exists() and not path.is_file():
            path.write_bytes(octets)
            return
        part = path.with_name(path.name + ".part")
        try:
            part.write_bytes(octets)
            part.replace(path.resolve())
        except BaseException:
            with contextlib.suppress(OSError):
                part.unlink()
            raise
    except OSError as error:
        raise unwritable(path, error) from None


def unwritable(path: Path, error: OSError) -> Fault:
    """What to tell of a file that could not be written."""
    if error.errno in _FULL:
        return OutsideFault(f"{path}: {error.strerror}", "make room, or give a file elsewhere")
    return BadInput(f"{path}: {error.strerror}", "give a file that can be written")
