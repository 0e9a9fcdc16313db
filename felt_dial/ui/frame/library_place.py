"""Where the library is, when it is not where it was: the person is asked, and nothing is made in its place unasked."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QFileDialog, QWidget

from felt_dial.bank.library.places import lay_out_demo, library_problem
from felt_dial.errors import cut
from felt_dial.files import reason_of
from felt_dial.session.session import Session


class LibraryPlace:
    """Asks, tries again, and opens what is chosen."""

    def __init__(self, window: QWidget, session: Session) -> None:
        self.window, self.session = window, session

    def ask(self, problem: str) -> None:
        """Says what is wrong with the library, and what can be done."""
        answers: list[tuple[str, Callable[[], object]]] = [("Try again", self.again), ("Choose another…", self.choose)]
        if problem.endswith("?"):
            answers.append(("Begin a new one there", self.begin))
        self.session.ask(problem, answers)

    def again(self) -> None:
        """Looks again; where it is there now, it is opened."""
        problem = library_problem(self.session.settings.now.library_folder())
        if problem:
            self.ask(problem)
        else:
            self.begin()

    def begin(self) -> None:
        """Opens the library where it is said to be, and makes one where there is none."""
        root = self.session.settings.now.library_folder()
        try:
            lay_out_demo(root)
        except OSError as wrong:
            self.ask(f"The library {cut(str(root), 80)} cannot be made: {reason_of(wrong)}.")
            return
        self._open(lambda: self.session.shelf.open_again())

    def choose(self) -> None:
        """Asks for another folder, for good."""
        path = QFileDialog.getExistingDirectory(self.window, "Library folder")
        if path:
            settings = self.session.settings.now.model_copy(update={"library": path})
            self._open(lambda: self.session.settings.keep(settings))

    def _open(self, act: Callable[[], object]) -> None:
        act()
        if self.session.editor.work.document is None and not self.session.editor.work.worth_keeping:
            self.session.presets.open_first()
        self.session.say(f"The library has {len(self.session.shelf.banks)} banks.")
