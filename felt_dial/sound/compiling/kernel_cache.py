"""Where compiled kernels are kept, and whether one that is kept still holds.

Numba by itself looks at the file that a kernel stands in, and keeps one that calls a changed kernel of another file, or was
compiled with a number of another file that has changed. Here a kernel holds as long as its own code, that of all kernels
that it calls, and all numbers that it was compiled with are what they were.

Numba also trusts that what it kept is whole: after one file that a power cut or a full disk left damaged, no start would
come to a sound any more. Here every file has a sum, and one that does not add up is as if it were not there.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import pickle
import zlib
from collections.abc import Callable
from functools import cache
from pathlib import Path
from types import CodeType, FunctionType, ModuleType
from typing import Any

import numpy as np
from numba.core.caching import IndexDataCacheFile, InTreeCacheLocator, UserWideCacheLocator
from numba.core.dispatcher import Dispatcher

from felt_dial.home import home_of

LANES = Path(__file__).parents[1] / "simd"
"""What gives lanes to Numba: a kernel uses it without naming it, so that all hold only as long as it does."""


@cache
def _lanes() -> bytes:
    return b"".join(path.read_bytes() for path in sorted(LANES.glob("*.py")) if path.name != "__init__.py")


def _code(code: CodeType, found: Any, says: str | None = None) -> None:
    """What a function does: all of its code, but not what its docstring says."""
    found.update(code.co_code)
    found.update(" ".join(code.co_names).encode())
    for part in code.co_consts:
        if isinstance(part, CodeType):
            _code(part, found)
        elif part is None or part != says:
            found.update(repr(part).encode())


def _named(value: Any, found: Any) -> None:
    """What a kernel was compiled with under a name of its file."""
    if isinstance(value, Dispatcher):
        found.update(digest(value.py_func).encode())
        found.update(repr(sorted(value.targetoptions.items(), key=str)).encode())
    elif isinstance(value, FunctionType):
        _code(value.__code__, found, value.__doc__)
    elif isinstance(value, np.ndarray):
        found.update(repr((value.dtype, value.shape)).encode() + value.tobytes())
    elif isinstance(value, ModuleType):
        found.update(value.__name__.encode())
    elif isinstance(value, type):
        found.update(repr((value.__name__, getattr(value, "_fields", ()))).encode())
    elif isinstance(value, int | float | str | tuple | np.generic):
        found.update(repr(value).encode())


@cache
def digest(plain: FunctionType) -> str:
    """SHA-256 of all that a kernel is compiled from."""
    found = hashlib.sha256(_lanes())
    _code(plain.__code__, found, plain.__doc__)
    for name in sorted(set(plain.__code__.co_names) & set(plain.__globals__)):
        found.update(name.encode())
        _named(plain.__globals__[name], found)
    return found.hexdigest()


class Stamp:
    """The digest of a kernel, worked out when it is compared or written: by then all that it calls is there."""

    def __init__(self, plain: FunctionType) -> None:
        self.plain = plain

    def __str__(self) -> str:
        return digest(self.plain)

    def __eq__(self, other: object) -> bool:
        return str(self) == str(other)

    def __hash__(self) -> int:
        return hash(str(self))

    def __reduce__(self) -> tuple[Any, ...]:
        return str, (str(self),)


@cache
def _writable(folder: str) -> bool:
    try:
        os.makedirs(folder, exist_ok=True)
    except OSError:
        return False
    return os.access(folder, os.W_OK)


class _Stamped:
    _plain: Any
    get_cache_path: Callable[[], str]

    def ensure_cache_path(self) -> None:
        """Raises where the folder cannot be written to."""
        if not _writable(self.get_cache_path()):
            raise OSError("not writable")

    def get_disambiguator(self) -> str:
        """Nothing besides its name: a kernel that only moves to another line is not compiled anew."""
        return "kernel"

    def get_source_stamp(self) -> Stamp:
        """What the kernel is compiled from."""
        return Stamp(self._plain)


class Beside(_Stamped, InTreeCacheLocator):
    """In the `__pycache__` beside the file, where that can be written to."""

    def __init__(self, plain: Any, file: str) -> None:
        super().__init__(plain, file)
        self._plain = plain


class InHome(_Stamped, UserWideCacheLocator):
    """In the person's cache folder: the program may be installed where nobody can write."""

    def __init__(self, plain: Any, file: str) -> None:
        super().__init__(plain, file)
        self._plain = plain
        self._cache_path = str(home_of("cache") / "kernels" / self.get_suitable_cache_subpath(file))


class Nowhere(_Stamped, UserWideCacheLocator):
    """Where neither of the two takes anything: every start compiles anew, which is better than none."""

    def __init__(self, plain: Any, file: str) -> None:
        super().__init__(plain, file)
        self._plain, self._cache_path = plain, os.path.join(os.devnull, "kernels")

    @classmethod
    def from_function(cls, plain: Any, file: str) -> Nowhere:
        """It takes every kernel."""
        return cls(plain, file)

    def ensure_cache_path(self) -> None:
        """There is none."""


class Whole(IndexDataCacheFile):
    """What is kept of one kernel: an index of its signatures, and machine code for each."""

    _source_stamp: Stamp
    _data_path: Callable[[str], str]

    def _sum(self, content: bytes) -> bytes:
        """Tells damage, and the code of an earlier state of the kernel: the index is written before the code."""
        return zlib.crc32(content, zlib.crc32(str(self._source_stamp).encode())).to_bytes(4, "big")

    def _load_index(self) -> dict[Any, str]:
        try:
            found = super()._load_index()
        except Exception:  # whatever a damaged pickle lets fail
            return {}
        return found if isinstance(found, dict) else {}

    def _load_data(self, name: str) -> Any:
        with open(self._data_path(name), "rb") as file:
            kept, content = file.read(4), file.read()
        if kept != self._sum(content):
            raise OSError("damaged")  # which Numba takes for a file that is not there
        return pickle.loads(content)

    def _save_data(self, name: str, data: Any) -> None:
        content = self._dump(data)
        with self._open_for_write(self._data_path(name)) as file:
            file.write(self._sum(content) + content)

    def save(self, key: Any, data: Any) -> None:
        """Keeps a compiled kernel; where the disk does not take it, it is compiled anew the next time."""
        with contextlib.suppress(OSError):
            super().save(key, data)
