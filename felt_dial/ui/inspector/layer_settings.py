"""Parts of the inspector about a layer among others: what modulates it, when it plays, how the patch is tuned."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QMenu, QVBoxLayout, QWidget

from felt_dial.errors import FeltDialError
from felt_dial.patch.edits import add_inlet, add_send, loops_back, remove_inlet, remove_send
from felt_dial.patch.parts import WHERE, Bus, Layer
from felt_dial.patch.routing import place_words
from felt_dial.patch.sends import sends_to
from felt_dial.patch.tuning import load_tuning
from felt_dial.session.session import Session
from felt_dial.ui.dials.controls import Pill, text_label
from felt_dial.ui.dials.dial import Dial
from felt_dial.ui.dials.layouts import clear
from felt_dial.ui.theme.colours import dye, layer_dye
from felt_dial.ui.theme.words import item


class Inlets(QWidget):
    """The layers that modulate a layer, each with its index and its ring."""

    def __init__(self, session: Session, path: str) -> None:
        super().__init__()
        self.session = session
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(2)
        head = QHBoxLayout()
        head.addWidget(text_label("Modulated by", "value"))
        head.addStretch()
        self.add = Pill("+ Layer", "small", self._menu, "Let another layer modulate this one at audio rate")
        head.addWidget(self.add)
        box.addLayout(head)
        self.rows = QVBoxLayout()
        self.rows.setSpacing(2)
        box.addLayout(self.rows)
        self._laid_for: object = None
        self.turn_to(path, "")

    def turn_to(self, path: str, shade: str) -> None:
        """Is about another layer; its rows are laid out anew where there are any."""
        self.path, self.key = path, path.split(".")[1]
        patch = self.session.patch
        about = [
            (other, patch.layers[other].name or patch.layers[other].source.title, self._note(other))
            for other in patch.layers[self.key].inlets
        ]
        laid_for = (self.key, about) if about else ()
        if laid_for == self._laid_for:
            return
        self._laid_for = laid_for
        clear(self.rows)
        for other, name, note in about:
            self.rows.addLayout(self._row(other, name, note))
        if not about:
            self.rows.addWidget(text_label("no other layer; a modulating one may go nowhere and stay unheard", "small"))

    def _note(self, other: str) -> str:
        patch = self.session.patch
        if loops_back(patch, self.key, other):
            return "in a loop: a block late"
        return "silent itself" if patch.layers[other].get("out") == "none" else ""

    def _row(self, other: str, name: str, note: str) -> QHBoxLayout:
        path = f"{self.path}.inlets.{other}"
        row = QHBoxLayout()
        row.setSpacing(4)
        letter = text_label(other.upper(), "title")
        letter.setStyleSheet(f"font-size: 22px; color: {dye(layer_dye(other)).name()};")
        row.addWidget(letter)
        about = QVBoxLayout()
        about.setSpacing(0)
        about.addStretch()
        about.addWidget(text_label(name, "value"))
        about.addWidget(text_label(note, "small"))
        about.addStretch()
        row.addLayout(about, 1)
        row.addWidget(Dial(self.session, f"{path}.index", layer_dye(other), 17))
        row.addWidget(Dial(self.session, f"{path}.ring", layer_dye(other), 17))
        row.addWidget(Pill("Cut", "link", lambda: self._cut(other), "Let it modulate this layer no more"))
        return row

    def _menu(self) -> None:
        menu = QMenu(self)
        for other, layer in self.session.patch.layers.items():
            if other not in self.session.patch.layers[self.key].inlets:
                itself = " (itself, a block late)" if other == self.key else ""
                menu.addAction(
                    item(f"{other.upper()} {layer.name or layer.source.title}{itself}"), lambda o=other: self.tie(o)
                )
        menu.exec(self.add.mapToGlobal(self.add.rect().bottomLeft()))

    def tie(self, other: str) -> None:
        """Lets another layer modulate this one, by nothing at first."""
        session = self.session
        session.editor.try_edit(
            lambda: add_inlet(session.patch, self.key, other), f"let {other.upper()} modulate {self.key.upper()}"
        )

    def _cut(self, other: str) -> None:
        session = self.session
        session.editor.edit(
            remove_inlet(session.patch, self.key, other), f"cut {other.upper()} from {self.key.upper()}"
        )


class Sends(QWidget):
    """The places that a layer or a bus sends to beside the one where it goes, each with its level."""

    def __init__(self, session: Session, path: str) -> None:
        super().__init__()
        self.session = session
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(2)
        head = QHBoxLayout()
        head.addWidget(text_label("Also sends to", "value"))
        head.addStretch()
        self.add = Pill("+ Send", "small", self._menu, "Send a part of this sound to one more bus or rack")
        head.addWidget(self.add)
        box.addLayout(head)
        self.rows = QVBoxLayout()
        self.rows.setSpacing(2)
        box.addLayout(self.rows)
        self._laid_for: object = None
        self.turn_to(path, "")

    @property
    def part(self) -> Layer | Bus:
        """The layer or the bus."""
        family, key = self.path.split(".")
        found: Layer | Bus = getattr(self.session.patch, family)[key]
        return found

    def turn_to(self, path: str, shade: str) -> None:
        """Is about another layer; its rows are laid out anew where there are any."""
        self.path = path
        family, key = path.split(".")
        self.shade, self.name = (layer_dye(key), key.upper()) if family == "layers" else ("walnut", f"bus {key}")
        places = [(where, place_words(self.session.patch, where)) for where in self.part.sends]
        laid_for = (path, places) if places else ()
        if laid_for == self._laid_for:
            return
        self._laid_for = laid_for
        clear(self.rows)
        for where, words in places:
            self.rows.addLayout(self._row(where, words))
        if not places:
            self.rows.addWidget(text_label("no other place", "small"))

    def _row(self, where: str, words: str) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(4)
        about = QVBoxLayout()
        about.setSpacing(0)
        about.addStretch()
        about.addWidget(text_label(WHERE[where], "value"))
        about.addWidget(text_label(words, "small"))
        about.addStretch()
        row.addLayout(about, 1)
        row.addWidget(Dial(self.session, f"{self.path}.sends.{where}.level", self.shade, 17))
        row.addWidget(Pill("Cut", "link", lambda: self._cut(where), "Send nothing there any more"))
        return row

    def _menu(self) -> None:
        menu = QMenu(self)
        patch = self.session.patch
        for where, name in WHERE.items():
            if where == "none" or where in self.part.sends:
                continue
            says = place_words(patch, where)
            action = menu.addAction(item(f"{name}: {says}" if says else name), lambda w=where: self.send(w))
            if where not in sends_to(self.part):
                action.setEnabled(False)
                action.setText(item(f"{name}: it may come here itself"))
            elif where == self.part.out:
                action.setEnabled(False)
                action.setText(item(f"{name}: it goes there already"))
        menu.exec(self.add.mapToGlobal(self.add.rect().bottomLeft()))

    def send(self, where: str) -> None:
        """Sends to one more place."""
        session = self.session
        session.editor.try_edit(
            lambda: add_send(session.patch, self.path, where), f"send {self.name} to {WHERE[where].lower()}"
        )

    def _cut(self, where: str) -> None:
        session = self.session
        session.editor.edit(
            remove_send(session.patch, self.path, where), f"send {self.name} to {WHERE[where].lower()} no more"
        )


class TuningRow(QWidget):
    """The scale of the patch: loaded from a file, or equal temperament."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        tuning = session.patch.tuning
        about = tuning.about() if tuning else "Equal temperament"
        name = text_label(about if len(about) <= 34 else about[:33] + "…", "value")
        name.setToolTip(about)
        row.addWidget(name, 1)
        row.addWidget(Pill("Load…", "small", self._load, "Read a scale (.scl) or a keyboard map (.kbm)"))
        if tuning:
            row.addWidget(Pill("Equal", "link", lambda: self._take(None, "tune equally"), "Back to equal temperament"))

    def _load(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "Load a tuning", "", "Scales and maps (*.scl *.kbm)")
        if path:
            self.load(Path(path))

    def load(self, path: Path) -> None:
        """Reads a file into the patch, or says why not."""
        try:
            tuning = load_tuning(path, self.session.patch.tuning)
        except FeltDialError as wrong:
            self.session.say(str(wrong), problem=True)
            return
        self._take(tuning, f"tune by {path.name}")

    def _take(self, tuning: object, says: str) -> None:
        self.session.editor.edit(self.session.patch.model_copy(update={"tuning": tuning}), says)
