"""The one channel of notification: who wants to know of what, and is told when it happens.

What happened is a topic, an object of a type of its own (`felt_dial.session.topics`, and the messages of the engine), or an edit
at some paths of the patch. What fails in one who is told keeps nobody else from being told.
"""

from __future__ import annotations

import inspect
import sys
import weakref
from collections.abc import Callable, Iterable
from typing import Any, NamedTuple, TypeVar

T = TypeVar("T")
Follow = Callable[[], None]
EVERYTHING = ""
DOCUMENT = "document"
"""Not a path: which preset the patch belongs to, and whether disk holds it as it is."""


class Said(NamedTuple):
    """One sentence for the person, red where it is a problem."""

    text: str
    problem: bool = False


class Asked(NamedTuple):
    """One sentence for the person, with buttons that answer it."""

    text: str
    answers: list[tuple[str, Callable[[], object]]]
    problem: bool = True


class _Listener:
    """One who is told: a method of something that may vanish, which is held weakly, or a function."""

    __slots__ = ("_held", "plain")

    def __init__(self, call: Callable[..., object], plain: bool) -> None:
        self._held: Any = weakref.WeakMethod(call) if inspect.ismethod(call) else call
        self.plain = plain

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Listener) and self._held == other._held

    def __hash__(self) -> int:
        return hash(self._held)

    def call(self) -> Callable[..., object] | None:
        """What is called; None where it has vanished."""
        found: Callable[..., object] | None
        found = self._held() if isinstance(self._held, weakref.WeakMethod) else self._held
        return found


class Channel:
    """Listeners by topic, and by the paths of the patch at which they look.

    One that watches `layers.a` is woken by everything below it; `layers.*.out` looks at the output of every layer, and
    `EVERYTHING` at all values. Every watcher of paths is woken by an edit that may have changed more than values. Methods are
    held weakly: only those of widgets that still live are called.

    Parameters
    ----------
    lives : callable
        Tells whether the owner of a method may still be called; a toolkit takes widgets away while Python still holds them.
    """

    def __init__(self, lives: Callable[[object], bool] = lambda owner: True) -> None:
        self._lives = lives
        self._of: dict[type, list[_Listener]] = {}
        self._at: dict[tuple[str, ...], list[_Listener]] = {}
        self._all: dict[_Listener, None] = {}

    def hear(self, topic: type[T], heard: Callable[[T], object]) -> None:
        """Lets a function of the topic be called whenever it is told."""
        self._of.setdefault(topic, []).append(_Listener(heard, plain=False))

    def watch(self, follow: Callable[[], object], *what: str | type) -> None:
        """Lets a function without arguments be called after edits at or below paths, and when topics are told; where neither
        is named, after every edit that may have changed more than values."""
        kept = _Listener(follow, plain=True)
        if not what:
            self._all[kept] = None
        for one in what:
            if isinstance(one, type):
                self._of.setdefault(one, []).append(kept)
            else:
                self._all[kept] = None
                self._at.setdefault(_steps(one), []).append(kept)

    def leave(self, follow: Callable[..., object], *what: str | type) -> None:
        """Lets it be called no more for these; after an edit that may have changed more than values it still is."""
        gone = _Listener(follow, plain=True)
        for one in what:
            kept = self._of.get(one) if isinstance(one, type) else self._at.get(_steps(one))
            if kept:
                kept[:] = [listener for listener in kept if listener != gone]

    def look_elsewhere(self, follow: Follow, before: Iterable[str], after: Iterable[str]) -> None:
        """Lets a function be called after edits at other paths than before."""
        self.leave(follow, *before)
        self.watch(follow, *after)

    def hears(self, topic: type) -> bool:
        """Whether anybody wants to hear of a topic."""
        return any(self._living(listener) for listener in self._of.get(topic, ()))

    def tell(self, topic: object) -> None:
        """Tells all who want to hear of it."""
        kept = self._of.get(type(topic), [])
        for listener in list(kept):
            if (call := self._living(listener)) is None:
                if listener in kept:
                    kept.remove(listener)
            elif listener.plain:
                self._guarded(call)
            else:
                self._guarded(call, topic)

    def wake(self, paths: Iterable[str] | None) -> None:
        """Calls all who look at some paths, once each; all there are where it is not known what changed."""
        if paths is None:
            self._all = {one: None for one in self._all if self._living(one)}
            self._at = {path: living for path, kept in self._at.items() if (living := list(filter(self._living, kept)))}
            woken = list(self._all)
        else:
            woken = [one for path in paths for place in _places(path) for one in self._at.get(place, ())]
        for listener in dict.fromkeys(woken):
            if call := self._living(listener):
                self._guarded(call)

    def say(self, text: str, problem: bool = False) -> None:
        """One sentence for the person."""
        self.tell(Said(text, problem))

    def ask(self, text: str, answers: Iterable[tuple[str, Callable[[], object]]], problem: bool = True) -> None:
        """One sentence for the person, with buttons that answer it; red where it is about something that is wrong."""
        self.tell(Asked(text, list(answers), problem))

    def _living(self, listener: _Listener) -> Callable[..., object] | None:
        call = listener.call()
        return None if call is None or not self._lives(getattr(call, "__self__", None)) else call

    @staticmethod
    def _guarded(call: Callable[..., object], *words: Any) -> None:
        """Calls one; what nobody caught in it is told to whoever hears of such, as if it had stood alone."""
        try:
            call(*words)
        except Exception:
            sys.excepthook(*sys.exc_info())


def _steps(path: str) -> tuple[str, ...]:
    return tuple(path.split(".")) if path else ()


def _places(path: str) -> Iterable[tuple[str, ...]]:
    """Everything that one may look at to see a path: itself, what is above it, and any thing of its kind."""
    steps = tuple(path.split("."))
    for count in range(len(steps) + 1):
        yield steps[:count]
        if count > 1:
            yield (steps[0], "*", *steps[2:count])
