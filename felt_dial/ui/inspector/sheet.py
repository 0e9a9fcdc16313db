"""A sheet of the inspector: what it shows of one thing, and how that is turned to another that is laid out alike."""

from __future__ import annotations

from typing import cast

from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from felt_dial.patch.module import Source
from felt_dial.patch.params import Choice
from felt_dial.patch.parts import Layer
from felt_dial.patch.patch import Patch, put
from felt_dial.session.copying import copy_layer, duplicate, paste_layer, remove_layers
from felt_dial.session.session import Session
from felt_dial.ui.dials.controls import NameEdit, Pill, set_text, text_label
from felt_dial.ui.dials.shake_pill import ShakePill
from felt_dial.ui.dials.turning import Turns, turn_all
from felt_dial.ui.inspector.tone import shown
from felt_dial.ui.theme.colours import cloth, dye, layer_dye


class Sheet(QWidget):
    """A column of parts. Those that have a `path` and `turn_to` become parts of another layer by it.

    To choose another layer is what one does all the time, and to make sixty widgets takes ten times as long as to turn them.
    """

    def __init__(self, path: str) -> None:
        super().__init__()
        self.path = path
        self.body = QVBoxLayout(self)
        self.body.setContentsMargins(0, 0, 0, 0)
        self.body.setSpacing(5)
        self._turning: list[Turns] = []

    def laid(self) -> None:
        """All parts are in: notes which of them can be turned; what lies inside of one of these is its own matter."""
        self._turning = _turning_in(self)

    def turn_to(self, path: str, shade: str) -> None:
        """Lets everything in it be at or below another path."""
        turn_all(self._turning, self.path, path, shade)
        self.path = path


def _turning_in(top: QWidget) -> list[Turns]:
    found: list[Turns] = []
    for child in top.children():
        if hasattr(child, "turn_to"):
            found.append(cast(Turns, child))
        elif isinstance(child, QWidget):
            found += _turning_in(child)
    return found


def shape_of(patch: Patch, part: str, key: str) -> object:
    """What a sheet of a layer is laid out for; None where it is made anew each time, since it has a drawing or a modulator."""
    layer: Layer = patch.layers[key]
    if part == "level" or layer.drive.get("way") == "drawn":
        return None
    source: Source = layer.source
    empty = bool(source.needs_matter) and getattr(source, "asset", None) is None
    choices = [
        module.get(name)
        for module in (layer, source, layer.drive, layer.filter)
        for name, param in module.params.items()
        if param.rebuilds and isinstance(param, Choice)
    ]
    return (
        part,
        type(source),
        empty,
        type(layer.filter),
        tuple(map(tuple, map(shown, (layer.drive, layer.filter)))),
        tuple(choices),
        cloth.theme.name,
    )


class LayerHead(QWidget):
    """The letter of a layer in its dye, its name, and what kind its source is."""

    def __init__(self, session: Session, path: str) -> None:
        super().__init__()
        self.session, self.path = session, path
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(8)
        self.letter, self.kind = text_label("", "title"), text_label("")
        self.name = NameEdit("", "title", self._rename)
        self.name.setAccessibleName("Name")
        row.addWidget(self.letter)
        row.addWidget(self.name, 1)
        row.addWidget(self.kind)
        remove = Pill("Remove", "link", lambda: remove_layers(session, (self.key,)), "Remove this layer: Delete")
        row.addWidget(remove)
        self.turn_to(path, "")
        self.name.follow(session.channel.watch, lambda: getattr(session.patch.layers.get(self.key), "name", None))

    @property
    def key(self) -> str:
        """The layer."""
        return self.path.split(".")[1]

    def turn_to(self, path: str, shade: str) -> None:
        """Is about another layer."""
        self.path = path
        layer = self.session.patch.layers[self.key]
        set_text(self.letter, self.key.upper())
        look = f"font-size: 26px; color: {dye(layer_dye(self.key)).name()};"
        if self.letter.styleSheet() != look:
            self.letter.setStyleSheet(look)
        set_text(self.kind, layer.source.title)
        self.name.setPlaceholderText(layer.source.title)
        self.name.show_name(layer.name)

    def _rename(self, name: str) -> None:
        session, key = self.session, self.key
        fresh = session.patch.layers[key].model_copy(update={"name": name.strip()})
        session.editor.edit(put(session.patch, ["layers", key], fresh), f"name layer {key.upper()} {name.strip()}")


class LayerButtons(QWidget):
    """What can be done with a layer as a whole."""

    def __init__(self, session: Session, path: str) -> None:
        super().__init__()
        self.session, self.path = session, path
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        for name, act, tip in (
            ("Duplicate", lambda: duplicate(session, self.key), "Duplicate this layer: Ctrl+D"),
            (
                "With its movers",
                lambda: duplicate(session, self.key, own_movers=True),
                "Duplicate this layer and all that shapes and moves it, so that the copy moves by itself",
            ),
            ("Copy", lambda: copy_layer(session, self.key), "Copy this layer, to paste it here or elsewhere: Ctrl+C"),
            ("Paste", lambda: paste_layer(session), "Paste the copied layer as a new one: Ctrl+V"),
        ):
            row.addWidget(Pill(name, "small", act, tip))
        self.shake = ShakePill(session, path, "the layer")
        row.addWidget(self.shake)
        row.addStretch()

    @property
    def key(self) -> str:
        """The layer."""
        return self.path.split(".")[1]

    def turn_to(self, path: str, shade: str) -> None:
        """Is about another layer."""
        self.path = path
        self.shake.turn_to(path, shade)
