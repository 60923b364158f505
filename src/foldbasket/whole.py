"""The one way in which a file is written: aside, whole, on the disk, and only then under its name.

At every moment the complete old or the complete new file is at its place. A link is followed, and the rights and the owner of the
file that was there stay; until then only the user may read what is written. Imports nothing of the project, so that every stage may write by it.
"""

from __future__ import annotations

import contextlib
import errno
import glob
import os
import re
import shutil
import stat
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

AN_HOUR = 3600
"""Seconds after which nobody is still writing what lies beside a file, whichever process now has the number in its name."""


@contextmanager
def written_whole(path: Path, *, keep: bool = False) -> Iterator[Path]:
    """A place beside `path` to write to, which takes its name when all went well; `keep` leaves the old file as ``path~``.

    What was written is forced to the disk before, so that a full one is met while the old file still stands. Raises OSError; what
    stood there is then untouched.
    """
    target = Path(os.path.realpath(path))
    old = _standing(target)
    _clear_away(target)
    fresh = target.with_name(f".{target.name[:200]}.{os.getpid()}.new")
    try:
        _create_private(fresh)
        yield fresh
        _force(fresh)
        os.chmod(fresh, stat.S_IMODE(old.st_mode) if old is not None else 0o666 & ~_umask())
        if old is not None:
            with contextlib.suppress(PermissionError):  # only its owner or root may give a file away
                os.chown(fresh, old.st_uid, old.st_gid)
            if keep:
                _keep_earlier(target)
        os.replace(fresh, target)
        _force(target.parent)
    finally:
        with contextlib.suppress(OSError):
            fresh.unlink(missing_ok=True)


def write_whole(path: Path, content: bytes, *, keep: bool = False) -> None:
    """Puts `content` at `path` in that way. Raises OSError."""
    with written_whole(path, keep=keep) as fresh:
        fresh.write_bytes(content)


def _standing(target: Path) -> os.stat_result | None:
    """What stands at a place already. OSError where that is no plain file, and so must not be replaced by one."""
    try:
        found = os.stat(target)
    except FileNotFoundError:
        return None
    if not stat.S_ISREG(found.st_mode):
        code = errno.EISDIR if stat.S_ISDIR(found.st_mode) else errno.EINVAL
        raise OSError(
            code, "a folder stands there" if code == errno.EISDIR else "no plain file stands there", str(target)
        )
    if not os.access(target, os.W_OK):
        code = errno.EROFS if os.statvfs(target).f_flag & os.ST_RDONLY else errno.EACCES
        raise OSError(code, os.strerror(code), str(target))
    return found


def _create_private(path: Path) -> None:
    """Create an empty file that only the user may read, in place of what a killed process left. Writers that open it keep its rights."""
    path.unlink(missing_ok=True)
    os.close(os.open(path, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o600))


def _umask() -> int:
    """The rights that new files do not get. Asked of the system, since setting it to learn it would change it for other threads for a moment."""
    with contextlib.suppress(OSError, ValueError, AttributeError):
        found = re.search(r"^Umask:\s*([0-7]+)", Path("/proc/self/status").read_text("utf-8", "replace"), re.M)
        return int(found[1], 8)  # type: ignore[index]
    return 0o077


def _clear_away(target: Path) -> None:
    """Deletes what killed processes left beside a file, parts of it too; not what another process may be writing this moment."""
    lately = time.time() - AN_HOUR
    with contextlib.suppress(OSError):
        for each in target.parent.glob(f".{glob.escape(target.name[:200])}.*"):
            found = re.fullmatch(r"(\d+)\.(new|old)(-[^/]*)?", each.name[len(target.name[:200]) + 2 :])
            if found and (not _is_running(int(found[1])) or each.stat().st_mtime < lately):
                each.unlink()


def _is_running(process: int) -> bool:
    try:
        os.kill(process, 0)
    except (ProcessLookupError, OverflowError):
        return False
    except PermissionError:
        pass
    return True


def _force(path: Path) -> None:
    handle = os.open(path, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def _keep_earlier(target: Path) -> None:
    earlier, spare = target.with_name(target.name + "~"), target.with_name(f".{target.name[:200]}.{os.getpid()}.old")
    spare.unlink(missing_ok=True)
    try:
        os.link(target, spare)
    except OSError:  # a file system without hard links
        _create_private(spare)
        shutil.copy2(target, spare)
    os.replace(spare, earlier)
