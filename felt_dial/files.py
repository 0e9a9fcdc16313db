"""Files written whole or not at all, names that are safe as file names, and folders held against other processes."""

from __future__ import annotations

import contextlib
import errno
import os
import re
import secrets
import shutil
import stat
import threading
import time
import unicodedata
from collections.abc import Callable, Iterator
from pathlib import Path

from filelock import FileLock, Timeout

from felt_dial.errors import FeltDialError, cut

PATIENCE = 10.0
"""Seconds for which a lock that another process holds is waited for."""
_hurry: float | None = None


def hurry(seconds: float) -> None:
    """From now on the main thread of this process, which paints a window, waits for a lock no longer than this."""
    global _hurry
    _hurry = seconds


def _patience() -> float:
    paints = _hurry is not None and threading.current_thread() is threading.main_thread()
    return _hurry if paints and _hurry is not None else PATIENCE


LONGEST = 2**26
"""Bytes that are read of what is given as a document; all of them end long before, and what does not is refused."""
LITTER = (".writing-", ".making-", ".gone-")
"""How names of what is only half made, or half taken away, begin."""


class CannotRead(FeltDialError):
    """A file that is not there, or that the disk does not give."""


class CannotWrite(FeltDialError):
    """A folder or disk that does not take what should be kept; the old version stays. `reason` is what it says itself."""

    def __init__(self, says: str, reason: str = "") -> None:
        super().__init__(says)
        self.reason = reason or says


def regular(path: Path) -> None:
    """Raises OSError where a path leads to what is no file and no folder: to read a pipe or a device may never end."""
    mode = os.stat(path).st_mode
    if not (stat.S_ISREG(mode) or stat.S_ISDIR(mode)):
        raise OSError(errno.EINVAL, "it is no file", str(path))


def is_folder(path: Path) -> bool:
    """Whether there is a folder that may be asked for: what may not be looked into, a dead mount and a name that is too long
    are none."""
    try:
        return path.is_dir()
    except OSError:
        return False


def bytes_of(path: Path, most: int | None = None) -> bytes:
    """All bytes of a file, or the first `most`; raises OSError."""
    regular(path)
    with open(path, "rb") as file:
        return file.read() if most is None else file.read(most)


def read_whole(path: Path, most: int = LONGEST) -> bytes:
    """The bytes of a document, at most so many of them; raises `CannotRead`, a sentence naming it."""
    try:
        return bytes_of(path, most)
    except OSError as wrong:
        raise CannotRead(f"“{cut(path.name)}” cannot be read: {reason_of(wrong)}.") from None


def write_whole(path: Path, content: str | bytes) -> None:
    """Writes beside the file, syncs, and takes its place; raises `CannotWrite` and leaves the old file."""
    _write(path, content, os.replace)


def write_new(path: Path, content: str | bytes) -> bool:
    """The same for a file that must not be there yet: False, and nothing is written, where it is."""
    try:
        _write(path, content, _link)
    except FileExistsError:
        return False
    return True


NO_LINKS = (errno.EPERM, errno.ENOTSUP, errno.EOPNOTSUPP, errno.ENOSYS, errno.EMLINK, errno.EXDEV)
"""What the system says where a disk has no hard links, as FAT and many shares."""


def _link(temporary: Path, path: Path) -> None:
    """Puts a file where none must be yet: by a link, or where there are none by taking the name first."""
    try:
        os.link(temporary, path)
    except OSError as wrong:
        if wrong.errno not in NO_LINKS:
            raise
        os.close(os.open(path, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o666))
        try:
            os.replace(temporary, path)
        except OSError:
            path.unlink(missing_ok=True)
            raise
    else:
        temporary.unlink()


def link_or_copy(path: Path, other: Path) -> None:
    """Lets a file stand in another place too, without taking room where the disk can do that; raises OSError or `CannotWrite`."""
    try:
        os.link(path, other)
    except OSError as wrong:
        if wrong.errno not in NO_LINKS:
            raise
        write_whole(other, bytes_of(path))


def clear_litter(folder: Path, older: float = 3600.0) -> None:
    """Takes away what processes that were killed left half written, in a folder and those in it, once it is so old."""
    now = time.time()
    for base, _, names in os.walk(folder):
        for name in names:
            if name.startswith(LITTER[0]):
                with contextlib.suppress(OSError):
                    path = os.path.join(base, name)
                    if now - os.stat(path).st_mtime > older:
                        os.unlink(path)


def _write(path: Path, content: str | bytes, put: Callable[[Path, Path], None]) -> None:
    data = content.encode() if isinstance(content, str) else content
    temporary: Path | None = None
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        temporary = path.parent / f".writing-{secrets.token_hex(8)}"
        with open(temporary, "xb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        put(temporary, path)
        sync_folder(path.parent)
    except OSError as wrong:
        if temporary is not None:
            with contextlib.suppress(OSError):
                temporary.unlink(missing_ok=True)
        if isinstance(wrong, FileExistsError) and put is _link:
            raise
        reason = reason_of(wrong)
        says = f"“{path.name}” could not be written in {path.parent}: {reason}. What was there before stays."
        raise CannotWrite(says, reason) from None


def sync_folder(folder: Path) -> None:
    """Has the disk take what was renamed in a folder."""
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


@contextlib.contextmanager
def held(lock: Path, what: str) -> Iterator[None]:
    """Holds something against other processes by a lock file; raises `CannotWrite` where one does not let go of it."""
    try:
        lock.parent.mkdir(parents=True, exist_ok=True)
        own = FileLock(lock, timeout=PATIENCE, is_singleton=True)
        own.acquire(timeout=_patience())
    except Timeout:
        raise CannotWrite(f"{what} is being changed by another window. Nothing was changed; try again.") from None
    except OSError as wrong:
        raise CannotWrite(f"{what} cannot be changed: {wrong.strerror or wrong}. It is as it was.") from None
    try:
        yield
    finally:
        own.release()


def in_use(lock: Path) -> bool:
    """Whether another process, or another thread, holds a lock."""
    if not lock.exists():
        return False
    try:
        with FileLock(lock, timeout=0):
            return False
    except (Timeout, OSError):
        return True


@contextlib.contextmanager
def at_the_disk(what: str, kept: str) -> Iterator[None]:
    """Turns what the disk refuses into one sentence: `what` could not be done, and what was `kept`."""
    try:
        yield
    except (OSError, CannotWrite) as wrong:
        reason = wrong.reason if isinstance(wrong, CannotWrite) else reason_of(wrong)
        raise CannotWrite(f"{what}: {reason}. {kept}", reason) from None


def reason_of(wrong: OSError) -> str:
    """What the system says of a failure, without the files that it names; of several, the first."""
    if isinstance(wrong, shutil.Error) and wrong.args and isinstance(wrong.args[0], list):
        found = re.search(r"\] ([^:']+)", str(wrong.args[0][0][-1]))
        return found[1] if found else "some files could not be copied"
    return wrong.strerror or cut(wrong)


def file_id(name: str) -> str:
    """The name of a file as text that can be written down anywhere, see `file_named`: bytes that are no UTF-8 as `\\xe9`."""
    return name.encode("utf-8", "surrogateescape").decode("utf-8", "backslashreplace")


def named_in_text(path: str) -> bool:
    """Whether the name of a file is text: bytes that are no UTF-8 cannot be listed."""
    try:
        path.encode()
    except UnicodeEncodeError:
        return False
    return True


def file_named(key: str) -> str:
    """The name of the file that `file_id` gave this text for."""
    if "\\x" not in key:
        return key
    plain = re.sub(rb"\\x([89a-f][0-9a-f])", lambda found: bytes([int(found[1], 16)]), key.encode())
    return os.fsdecode(plain)


def slug(name: str) -> str:
    """A file name for a person's name: `Dew Pluck` → `dew-pluck`."""
    plain = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode().lower()
    return re.sub(r"[^a-z0-9]+", "-", plain).strip("-")[:60].strip("-") or "sound"


def free_name(wanted: str, taken: set[str]) -> str:
    """`wanted`, or with a number behind it where it is taken."""
    return next(name for name in names_like(wanted) if name not in taken)


def names_like(wanted: str) -> Iterator[str]:
    """`wanted`, and with a number behind it, without end."""
    yield wanted
    n = 2
    while True:
        yield f"{wanted}-{n}"
        n += 1


def tidy_cache(folder: Path, kept: str, most: int, drafts_last: float = 3600.0) -> None:
    """Takes the oldest of what can be made anew away where all together is more than `most` bytes.

    What does not end as the `kept` do was left half written, or is of an earlier version: it goes once it is so many seconds old.
    """
    found, now = [], time.time()
    with contextlib.suppress(OSError):
        for entry in os.scandir(folder):
            with contextlib.suppress(OSError):  # another window tidies too
                about = entry.stat()
                if entry.name.endswith(kept):
                    found.append((about.st_mtime, about.st_size, entry.path))
                elif entry.is_file() and now - about.st_mtime > drafts_last:
                    os.unlink(entry.path)
    total = sum(size for _, size, _ in found)
    for _, size, path in sorted(found):
        if total <= most:
            break
        with contextlib.suppress(OSError):
            os.unlink(path)
        total -= size
