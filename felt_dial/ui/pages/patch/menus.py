"""Menus of a row and of a card: everything that can be done with a layer or a modulator as a whole."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QMenu, QWidget

from felt_dial.patch.edits import move_layer
from felt_dial.patch.parts import WHERE
from felt_dial.session.copying import (
    copy_layer,
    copy_modulator,
    duplicate,
    duplicate_modulator,
    paste_layer,
    paste_modulator,
    remove_idle_movers,
    remove_layers,
    remove_mover,
    share_envelope,
)
from felt_dial.session.session import Session
from felt_dial.ui.theme.words import item


def layer_menu(over: QWidget, session: Session, key: str) -> QMenu:
    """What can be done with a layer, or with all that are chosen with it."""
    menu = _menu(over)
    editor, patch = session.editor, session.patch
    those = editor.chosen if key in editor.chosen else {key}
    many = f"{len(those)} layers" if len(those) > 1 else f"layer {key.upper()}"
    for switch, word in (("on", "On"), ("solo", "Solo"), ("mute", "Mute")):
        _switch(menu, session, f"layers.{key}.{switch}", word)
    menu.addSeparator()
    _act(menu, "Duplicate", "Ctrl+D", partial(duplicate, session, key))
    _act(menu, "Duplicate with its movers", "", partial(duplicate, session, key, own_movers=True))
    _act(menu, "Copy", "Ctrl+C", partial(copy_layer, session, key))
    _act(menu, "Paste as a new layer", "Ctrl+V", partial(paste_layer, session))
    menu.addSeparator()
    goes = menu.addMenu("Goes to")
    for where in patch.layers[key].choice_of("out").ids:
        _choice(goes, WHERE[where], partial(editor.set, f"layers.{key}.out", where), patch.layers[key].out == where)
    shape = menu.addMenu("Level over time")
    for other, layer in patch.layers.items():
        if other != key:
            text = f"That of {other.upper()} {layer.name}, {layer.contour.upper()}"
            alike = layer.contour == patch.layers[key].contour
            _choice(shape, item(text), partial(share_envelope, session, key, other), alike)
    shape.setEnabled(len(patch.layers) > 1)
    order = list(patch.layers)
    for word, to in (("Move up", order.index(key) - 1), ("Move down", order.index(key) + 1)):
        act = partial(_move, session, key, to)
        _act(menu, word, "", act, 0 <= to < len(order))
    menu.addSeparator()
    _act(menu, f"Remove {many}", "Del", partial(remove_layers, session, those), len(those) < len(order))
    return menu


def modulator_menu(over: QWidget, session: Session, key: str) -> QMenu:
    """What can be done with a modulator."""
    menu = _menu(over)
    _act(menu, "Duplicate", "Ctrl+D", partial(duplicate_modulator, session, key))
    _act(menu, "Copy", "Ctrl+C", partial(copy_modulator, session, key))
    _act(menu, "Paste as a new one", "Ctrl+V", partial(paste_modulator, session))
    menu.addSeparator()
    _act(menu, f"Remove {key.upper()}", "Del", partial(remove_mover, session, key))
    _act(menu, "Remove all that move nothing", "", partial(remove_idle_movers, session))
    return menu


def _menu(over: QWidget) -> QMenu:
    menu = QMenu(over)
    menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    return menu


def _act(menu: QMenu, text: str, keys: str, act: Callable[[], object], can: bool = True) -> None:
    menu.addAction(f"{text}\t{keys}" if keys else text, lambda: act()).setEnabled(can)


def _choice(menu: QMenu, text: str, act: Callable[[], object], chosen: bool) -> None:
    made = menu.addAction(text, lambda: act())
    made.setCheckable(True)
    made.setChecked(chosen)


def _switch(menu: QMenu, session: Session, path: str, text: str) -> None:
    on = bool(session.editor.value(path))
    _choice(menu, text, lambda: session.editor.set(path, not on), on)


def _move(session: Session, key: str, to: int) -> None:
    session.editor.edit(move_layer(session.patch, key, to), f"move layer {key.upper()}")
