"""What was made ready from recordings and tables: what is in use is never made twice, and the latest of the rest stay."""

from __future__ import annotations

import threading
import weakref
from collections import OrderedDict
from collections.abc import Callable, Iterator
from typing import Any, NamedTuple, ParamSpec, TypeVar

import numpy as np
from numpy.typing import NDArray

P = ParamSpec("P")
T = TypeVar("T")
MOST_BYTES = 128 * 1024**2
"""How much is kept that nobody uses; what is in use comes on top."""


class _Fading(NamedTuple):
    """Something that is kept no more: had back as long as somebody else holds all of its arrays."""

    kind: type
    arrays: tuple[weakref.ref[NDArray[Any]], ...]

    def whole(self) -> Any:
        arrays = [found for found in (array() for array in self.arrays) if found is not None]
        if len(arrays) < len(self.arrays):
            return None
        return arrays[0] if self.kind is np.ndarray else self.kind(*arrays)


_lock = threading.RLock()
_strong: OrderedDict[tuple[Any, ...], Any] = OrderedDict()
_fading: dict[tuple[Any, ...], _Fading] = {}


def _arrays(made: Any) -> tuple[NDArray[Any], ...]:
    return (made,) if isinstance(made, np.ndarray) else tuple(made)


def _bytes(made: Any) -> int:
    return sum(array.nbytes for array in _arrays(made))


def fixed(array: NDArray[Any]) -> NDArray[Any]:
    """An array that was made ready once, and that nobody writes: no program carries it over to another rate."""
    array.setflags(write=False)
    return array


def kept(make: Callable[P, T]) -> Callable[P, T]:
    """A function of hashable arguments that makes an array, or a named tuple of arrays, as if it were made once only."""

    def found(*given: P.args, **named: P.kwargs) -> T:
        key = (make, *given, *sorted(named.items()))
        with _lock:
            made = _strong.pop(key) if key in _strong else _fading[key].whole() if key in _fading else None
        if made is None:
            made = make(*given, **named)
        if made is not None:
            with _lock:
                _fading.pop(key, None)
                _strong[key] = made
                for old in _too_many():
                    _fade(old)
        return made

    return found


def _too_many() -> Iterator[tuple[Any, ...]]:
    """Keys of the oldest, for as long as more is kept than should be; the latest always stays."""
    total = sum(map(_bytes, _strong.values()))
    for key in list(_strong)[:-1]:
        if total <= MOST_BYTES:
            break
        total -= _bytes(_strong[key])
        yield key


def _fade(key: tuple[Any, ...]) -> None:
    made = _strong.pop(key)
    for gone in [other for other, fading in _fading.items() if fading.whole() is None]:
        del _fading[gone]
    _fading[key] = _Fading(type(made), tuple(weakref.ref(array) for array in _arrays(made)))
