"""The outer rim of the window: what nobody caught becomes a sentence, and the work goes into the journal.

Python before 3.12 may hand on an exception that is not an object yet, as those of NumPy and of a division by zero are. Qt,
called back by such a one from a method of ours, reads it as if it were, and the program ends. An `except` on the way makes
an object of it: `guard_overrides` puts one into every method that Qt calls.
"""

from __future__ import annotations

import functools
import sys
import traceback
from collections.abc import Callable, Iterator
from types import FunctionType, TracebackType
from typing import Any

from PySide6.QtCore import QObject

from felt_dial.errors import FeltDialError, cut
from felt_dial.files import reason_of
from felt_dial.session.session import Session


def install_excepthook(session: Session) -> None:
    """Lets whatever fails under a hand be said in the window from now on; faults of the program are printed as well."""

    def hook(kind: type[BaseException], wrong: BaseException, trace: TracebackType | None) -> None:
        if isinstance(wrong, FeltDialError):
            session.say(str(wrong), problem=True)
        elif isinstance(wrong, OSError):
            session.say(f"The system refused something: {reason_of(wrong)}. Your work is on the table.", problem=True)
        elif isinstance(wrong, Exception):
            traceback.print_exception(kind, wrong, trace)
            session.autosave.write()
            session.say(
                f"That failed by a fault of the program ({kind.__name__}: {cut(wrong, 80)}). Your work is kept.",
                problem=True,
            )
        else:
            sys.__excepthook__(kind, wrong, trace)

    sys.excepthook = hook


def guard_overrides() -> None:
    """Lets what fails in a method that Qt calls be an object when Qt sees it, in all classes of the window, now and later."""
    if sys.version_info >= (3, 12):
        return
    for cls in _classes_of(QObject):
        _guard(cls)

    def begin(cls: type, **words: Any) -> None:
        super(QObject, cls).__init_subclass__(**words)  # type: ignore[misc]
        _guard(cls)

    QObject.__init_subclass__ = classmethod(begin)  # type: ignore[assignment, arg-type]


def _classes_of(base: type) -> Iterator[type]:
    cls: type
    for cls in base.__subclasses__():
        yield cls
        yield from _classes_of(cls)


def _guard(cls: type) -> None:
    """Puts an `except` into the methods of a class, and of what it is mixed with, that take the place of one of Qt's."""
    of_qt = [base for base in cls.__mro__ if base.__module__.startswith("PySide6")]
    for base in cls.__mro__:
        if not base.__module__.startswith("felt_dial"):
            continue
        for name, method in [(name, what) for name, what in vars(base).items() if name[0] != "_"]:
            fresh = isinstance(method, FunctionType) and not hasattr(method, "guarded")
            if fresh and any(name in vars(other) for other in of_qt):
                setattr(base, name, _guarded(method))


def _guarded(method: Callable[..., Any]) -> Callable[..., Any]:
    @functools.wraps(method)
    def called(*given: Any, **named: Any) -> Any:
        try:
            return method(*given, **named)
        except BaseException:
            raise

    called.guarded = True  # type: ignore[attr-defined]
    return called
