"""History: every edit as a named step that can be undone and redone."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True)
class Step:
    """One edit: a sentence, how to go back, how to go forth, and what it can merge with."""

    says: str
    back: Callable[[], None]
    forth: Callable[[], None]
    merge: str = ""


class History:
    """A line of steps with a place on it.

    Steps with the same non-empty `merge` key become one until `settle` is called: a whole drag of
    a dial is one step.
    """

    def __init__(self, limit: int = 500) -> None:
        self._done: list[Step] = []
        self._undone: list[Step] = []
        self._open = False
        self._limit = limit

    def add(self, step: Step) -> None:
        """Records an edit that has just been made."""
        self._undone.clear()
        if self._open and step.merge and self._done and self._done[-1].merge == step.merge:
            self._done[-1] = Step(step.says, self._done[-1].back, step.forth, step.merge)
        else:
            self._done.append(step)
            del self._done[: -self._limit]
        self._open = bool(step.merge)

    def clear(self) -> None:
        """Forgets everything."""
        self._done.clear()
        self._undone.clear()
        self._open = False

    def settle(self) -> None:
        """Ends the step that is being dragged."""
        self._open = False

    def withdraw(self, merge: str) -> bool:
        """Takes back the step that is still open under a key, as if it had never been made; False where there is none."""
        if not (self._open and merge and self._done and self._done[-1].merge == merge):
            return False
        self._open = False
        self._done.pop().back()
        return True

    def undo(self) -> str:
        """Goes one step back and returns its sentence, empty where there is none; one that raises is forgotten."""
        self.settle()
        if not self._done:
            return ""
        step = self._done.pop()
        step.back()
        self._undone.append(step)
        return step.says

    def redo(self) -> str:
        """Goes one step forth and returns its sentence, empty where there is none; one that raises is forgotten."""
        self.settle()
        if not self._undone:
            return ""
        step = self._undone.pop()
        step.forth()
        self._done.append(step)
        return step.says

    @property
    def undo_says(self) -> str:
        """What undo would take back."""
        return self._done[-1].says if self._done else ""

    @property
    def redo_says(self) -> str:
        """What redo would bring again."""
        return self._undone[-1].says if self._undone else ""

    def sentences(self) -> list[str]:
        """What was done, oldest first."""
        return [step.says for step in self._done]
