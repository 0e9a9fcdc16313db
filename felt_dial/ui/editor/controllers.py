"""Control from outside: turned knobs move dials, are learned and forgotten; programs open presets."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, QTimer

from felt_dial.bank.library.places import control_map_path
from felt_dial.errors import FeltDialError
from felt_dial.files import read_whole, write_whole
from felt_dial.live.midi.control_map import load_map, read_map, turned
from felt_dial.patch.patch import param_at, path_exists, value_at
from felt_dial.ui.editor.session import Session


class Control(QObject):
    """Listens to what the engine hears from a controller, on behalf of a session."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.map = load_map(control_map_path())
        self.learning = ""
        self._rest = QTimer(self, singleShot=True, interval=400)
        self._rest.timeout.connect(lambda: self.session.history.settle())
        session.controls_turned.connect(self.turned)
        session.program_asked.connect(self.program)
        session.control = self

    def learn(self, path: str) -> None:
        """The next controller that is turned will turn this dial."""
        self.learning = path
        more = "" if self.session.settings.controller != "none" else " No controller is chosen yet: Ctrl+, chooses one."
        self.session.say(f"Turn a controller: it will turn {self.session.label_of(path)}.{more}")

    def names_of(self, path: str) -> list[str]:
        """The controllers that turn a dial, by name."""
        return [f"controller {control}" for control in self.map.controls_of(path)]

    def forget(self, name: str) -> None:
        """Lets go of a controller."""
        self.map.forget(int(name.removeprefix("controller ")))
        self._keep()
        self.session.say(f"Let go of {name}.")

    def turned(self, controls: list[tuple[int, float]]) -> None:
        """Some controllers were turned, each to a part from 0 to 1."""
        for control, part in controls:
            self.came(control, part)

    def came(self, control: int, part: float) -> None:
        """A controller was turned to a part from 0 to 1."""
        if self.learning:
            path, self.learning = self.learning, ""
            try:
                self.map.learn(control, path)
            except FeltDialError as wrong:
                self.learning = path
                self.session.say(str(wrong), problem=True)
                return
            self._keep()
            self.session.say(f"Controller {control} turns {self.session.label_of(path)} from now on.")
        path = self.map.entries.get(control, "")
        if not path or not path_exists(self.session.patch, path):
            return
        param = param_at(self.session.patch, path)
        self.session.set(path, turned(param, part, value_at(self.session.patch, path)), dragging=True)
        self._rest.start()

    def program(self, bank: int, number: int) -> None:
        """A program was asked for: the preset with this number in a bank, both counted from 0."""
        session = self.session
        banks = [listed.id for listed in session.banks()]
        home = banks[bank : bank + 1] if bank else [key for key in banks if key == session.work.bank] or banks[:1]
        presets = session.catalogue.presets(home[0]) if home else []
        if number >= len(presets):
            session.say(f"Program {number + 1} was asked for, and there is none.", problem=True)
            return
        session.open(home[0], presets[number].id)

    def export(self, path: Path) -> None:
        """Writes the map as JSON; raises `CannotWrite`."""
        write_whole(path, self.map.write())

    def take_map(self, path: Path) -> None:
        """Takes a map from a file; raises `BadControlMap` or `CannotRead`."""
        self.map = read_map(read_whole(path), f"“{path.name}”")
        self._keep()

    def _keep(self) -> None:
        try:
            write_whole(control_map_path(), self.map.write())
        except FeltDialError as wrong:
            self.session.say(str(wrong), problem=True)
