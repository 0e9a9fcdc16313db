"""The menu of banks that presets can be moved or copied into: one for a preset and for many."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtWidgets import QMenu, QWidget

from felt_dial.session.session import Session
from felt_dial.ui.theme.words import item


def banks_menu(
    parent: QWidget,
    session: Session,
    act: Callable[[str], object],
    without: str = "",
    into_new: Callable[[], object] | None = None,
) -> QMenu:
    """Every bank but the one that all of them are in already; `into_new` is offered where that can be done."""
    menu = QMenu(parent)
    for bank in session.shelf.banks:
        if bank.id != without:
            said = f"{bank.name} (shipped)" if session.presets.shipped(bank.id) else bank.name
            menu.addAction(item(said), partial(act, bank.id))
    if into_new is not None:
        menu.addSeparator()
        menu.addAction("Into a new bank", into_new)
    return menu
