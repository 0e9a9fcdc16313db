"""What every page is: a name, a place among the tabs, and what happens when it is opened."""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Callable
from typing import Any, ClassVar

from PySide6.QtCore import Signal
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import QLayout, QWidget

from felt_dial.session.session import Session
from felt_dial.ui import pages
from felt_dial.ui.theme.felt import Wool


class Page(Wool):
    """A page of the window; a class with a `title` enters itself. It is built with the session alone."""

    known: ClassVar[list[type[Page]]] = []
    title: ClassVar[str] = ""
    place: ClassVar[int] = 100
    page_asked = Signal(str)
    """Asks for another page, by its title."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.drawer: QWidget | None = None
        """The drawer while it is shown here."""
        self._due: Callable[[], None] | None = None

    def lay_when_seen(self, lay: Callable[[], None]) -> None:
        """Lays a part out anew, now or once the page is opened: what is not seen costs nothing."""
        if self.isVisible():
            lay()
        else:
            self._due = lay

    def showEvent(self, event: QShowEvent) -> None:
        due, self._due = self._due, None
        if due is not None:
            due()
        super().showEvent(event)

    def __init_subclass__(cls, **words: Any) -> None:
        super().__init_subclass__(**words)
        if cls.title:
            Page.known.append(cls)

    def opened(self, seen: bool) -> None:
        """It is shown now, or another page is."""

    def place_of_drawer(self) -> tuple[QLayout | None, list[QWidget]]:
        """Where the drawer stands, and what gives its place to it; None where a page has no place for it."""
        return None, []

    def show_drawer(self, drawer: QWidget) -> bool:
        """Shows the drawer until it is hidden; False where there is no place for it."""
        layout, others = self.place_of_drawer()
        if layout is None:
            return False
        layout.addWidget(drawer)
        self.drawer = drawer
        for other in others:
            other.hide()
        drawer.show()
        return True

    def hide_drawer(self) -> None:
        """What gave its place to the drawer is there again."""
        if self.drawer is not None:
            self.drawer.hide()
            self.drawer = None
            for other in self.place_of_drawer()[1]:
                other.show()

    def sections(self) -> list[QWidget]:
        """Its parts, as the eye goes through them."""
        return [self]

    def first(self) -> QWidget | None:
        """What has the focus when it is opened; None for nothing of its own."""
        return None


def all_pages() -> list[type[Page]]:
    """Every page in the order of the tabs: each stands in `page.py` of a folder of `ui/pages`."""
    for found in pkgutil.iter_modules(pages.__path__, pages.__name__ + "."):
        if found.ispkg:
            importlib.import_module(f"{found.name}.page")
    return sorted(Page.known, key=lambda page: page.place)
