"""Commands: what the window can be told from anywhere, by its menu, by a key, or both."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field

from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QMenu, QWidget

from felt_dial.ui.theme.words import item


@dataclass(frozen=True)
class Command:
    """One command: its name in the menu (none where it is a key alone), its keys, and what it does.

    `about` adds what the command would work on now, None where there is nothing to do; `group` is the part of
    the menu it stands in.
    """

    name: str
    keys: tuple[str, ...]
    act: Callable[[], object]
    group: int = 0
    about: Callable[[], str | None] = field(default=lambda: "")


def bind(commands: Iterable[Command], window: QWidget) -> None:
    """Lets every command be given by its keys."""
    for command in commands:
        for keys in command.keys:
            QShortcut(QKeySequence(keys), window).activated.connect(command.act)


def menu_of(commands: Iterable[Command], parent: QWidget) -> QMenu:
    """The menu of the commands that have names, as they are now."""
    menu = QMenu(parent)
    group = None
    for command in commands:
        if not command.name:
            continue
        if group not in (None, command.group):
            menu.addSeparator()
        group = command.group
        about = command.about()
        text = item(f"{command.name} {about}" if about else command.name)
        action = menu.addAction(f"{text}\t{command.keys[0]}" if command.keys else text, command.act)
        action.setEnabled(about is not None)
    return menu
