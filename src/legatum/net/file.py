"""Files that are written whole or not at all, and are on the disk before the old ones are gone."""

import contextlib
import errno
import os
import tempfile
from pathlib import Path

from legatum.core.running.fault import BadInput, Fault, OutsideFault

_FULL = {errno.ENOSPC, errno.EDQUOT, errno.EFBIG, errno.EIO}
_COMMON, _PRIVATE = 0o666, 0o600


def write_whole(path: Path, content: str | bytes) -> None:
    """Puts ``content`` at ``path`` in one step, text as UTF-8 without changing line ends: who reads finds the old or
    the new, after a crash too. A link is followed to the file that is meant; mode, owner and group stay.

    What cannot be replaced (a pipe, a device) is written to. Raises :class:`BadInput` where the path cannot be written,
    :class:`OutsideFault` where the disk is full; then nothing is left over.
    """
    octets = content.encode("utf-8") if isinstance(content, str) else content
    try:
        target = path.resolve()
        if target.exists() and not target.is_file():
            target.write_bytes(octets)
            return
        part = _beside(target, octets)
        try:
            if _takes_the_place(part, target):
                part.replace(target)
            else:
                # Only the owner could give it away: the contents go over, with the whole copy beside them until then.
                _write_over(target, octets)
                part.unlink()
        except BaseException:
            with contextlib.suppress(OSError):
                part.unlink()
            raise
        _settle(target.parent)
    except OSError as error:
        raise unwritable(path, error) from None


def write_private(path: Path, text: str) -> None:
    """A new file that only this user can read. Raises :class:`BadInput` where it is there already, or cannot be."""
    try:
        file = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, _PRIVATE)
    except FileExistsError:
        raise BadInput(f"{path} is there already", "name a new file") from None
    except OSError as error:
        raise unwritable(path, error) from None
    try:
        with os.fdopen(file, "w", encoding="utf-8") as writing:
            writing.write(text)
            writing.flush()
            os.fsync(file)
        _settle(path.parent)
    except OSError as error:
        with contextlib.suppress(OSError):
            path.unlink()
        raise unwritable(path, error) from None


def _beside(target: Path, octets: bytes) -> Path:
    """A file of a name that nobody else has, in the same folder, on the disk."""
    file, name = tempfile.mkstemp(prefix=f".{target.name[:200]}.", suffix=".part", dir=target.parent)
    part = Path(name)
    try:
        with os.fdopen(file, "wb") as writing:
            writing.write(octets)
            writing.flush()
            os.fsync(file)
    except BaseException:
        part.unlink()
        raise
    return part


def _takes_the_place(part: Path, target: Path) -> bool:
    """Gives the new file mode, owner and group of the old one; False where that is not allowed."""
    try:
        old = target.stat()
    except FileNotFoundError:
        os.umask(mask := os.umask(0))
        part.chmod(_COMMON & ~mask)
        return True
    try:
        if (new := part.stat()).st_uid != old.st_uid or new.st_gid != old.st_gid:
            os.chown(part, old.st_uid, old.st_gid)
    except PermissionError:
        return False
    part.chmod(old.st_mode & 0o7777)
    return True


def _write_over(target: Path, octets: bytes) -> None:
    with target.open("r+b") as writing:
        writing.write(octets)
        writing.truncate()
        writing.flush()
        os.fsync(writing.fileno())


def _settle(folder: Path) -> None:
    """The folder's own entry is on the disk too."""
    with contextlib.suppress(OSError):  # some file systems have nothing to settle
        opened = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
        try:
            os.fsync(opened)
        finally:
            os.close(opened)


def require_writable(path: Path) -> None:
    """Before long work whose result is to go there. Raises :class:`BadInput`."""
    folder = path.parent
    if path.is_dir() or not folder.is_dir() or not os.access(folder, os.W_OK):
        reason = (
            "is a folder" if path.is_dir() else "no such folder" if not folder.is_dir() else "may not be written to"
        )
        raise BadInput(f"{path if path.is_dir() else folder}: {reason}", "give a file that can be written")


def unwritable(path: Path, error: OSError) -> Fault:
    """What to tell of a file that could not be written."""
    if error.errno in _FULL:
        return OutsideFault(f"{path}: {error.strerror}", "make room, or give a file elsewhere")
    return BadInput(f"{path}: {error.strerror}", "give a file that can be written")
