"""Folders of the person's whose recordings are listed: added and let go of, from the drawer or the settings."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QMenu, QWidget

from felt_dial.session.session import Session
from felt_dial.ui.theme.words import item


def add_folder(session: Session, folder: str) -> None:
    """Lists what is in a folder, from now on."""
    settings = session.settings.now
    if folder not in settings.folders:
        session.settings.keep(settings.model_copy(update={"folders": (*settings.folders, folder)}))
        session.say(f"{Path(folder).name} is read and looked into beside your work.")


def remove_folder(session: Session, folder: str) -> None:
    """Lists it no more; its files stay as they are."""
    settings = session.settings.now
    kept = tuple(f for f in settings.folders if f != folder)
    session.settings.keep(settings.model_copy(update={"folders": kept}))


def folders_menu(parent: QWidget, session: Session, then: Callable[[], None] = lambda: None) -> QMenu:
    """Adds a folder, or lets one go; `then` is called after it."""
    menu = QMenu(parent)

    def ask() -> None:
        path = QFileDialog.getExistingDirectory(parent, "Add a folder of recordings")
        if path:
            add_folder(session, path)
            then()

    def remove(folder: str) -> None:
        remove_folder(session, folder)
        then()

    menu.addAction("Add a folder…", ask)
    for folder in session.settings.now.folders:
        menu.addAction(item(f"Without {folder}"), partial(remove, folder))
    return menu
