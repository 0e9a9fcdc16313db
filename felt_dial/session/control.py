"""Control from outside: turned knobs move dials, are learned and forgotten; programs open presets."""

from __future__ import annotations

import math
import time
from pathlib import Path

from felt_dial.bank.library.places import control_map_path
from felt_dial.errors import FeltDialError
from felt_dial.files import read_whole, write_whole
from felt_dial.live.link.messages import ControlsTurned, ProgramAsked
from felt_dial.live.midi.control_map import load_map, read_map, turned
from felt_dial.patch.patch import param_at, path_exists, value_at
from felt_dial.session.channel import Channel
from felt_dial.session.editor import Editor
from felt_dial.session.preferences import Preferences
from felt_dial.session.presets import Presets
from felt_dial.session.shelf import Shelf
from felt_dial.session.topics import Frame

RESTS = 0.4
"""Seconds after which a controller that was turned counts as let go of: its way is one step."""


class Control:
    """Listens to what the engine hears from a controller."""

    def __init__(
        self, channel: Channel, editor: Editor, shelf: Shelf, presets: Presets, preferences: Preferences
    ) -> None:
        self.channel, self.editor, self.shelf, self.presets = channel, editor, shelf, presets
        self.preferences = preferences
        self.map = load_map(control_map_path())
        self.learning = ""
        self._turned = math.inf
        channel.hear(ControlsTurned, self.turned)
        channel.hear(ProgramAsked, self.program)
        channel.watch(self._settle, Frame)

    def learn(self, path: str) -> None:
        """The next controller that is turned will turn this dial."""
        self.learning = path
        more = "" if self.preferences.now.controller != "none" else " No controller is chosen yet: Ctrl+, chooses one."
        self.channel.say(f"Turn a controller: it will turn {self.editor.label_of(path)}.{more}")

    def names_of(self, path: str) -> list[str]:
        """The controllers that turn a dial, by name."""
        return [f"controller {control}" for control in self.map.controls_of(path)]

    def forget(self, name: str) -> None:
        """Lets go of a controller."""
        self.map.forget(int(name.removeprefix("controller ")))
        self._keep()
        self.channel.say(f"Let go of {name}.")

    def turned(self, message: ControlsTurned) -> None:
        """Some controllers were turned, each to a part from 0 to 1."""
        for control, part in message.turned:
            self.came(control, part)

    def came(self, control: int, part: float) -> None:
        """A controller was turned to a part from 0 to 1."""
        if self.learning:
            path, self.learning = self.learning, ""
            try:
                self.map.learn(control, path)
            except FeltDialError as wrong:
                self.learning = path
                self.channel.say(str(wrong), problem=True)
                return
            self._keep()
            self.channel.say(f"Controller {control} turns {self.editor.label_of(path)} from now on.")
        path = self.map.entries.get(control, "")
        if not path or not path_exists(self.editor.patch, path):
            return
        param = param_at(self.editor.patch, path)
        self.editor.set(path, turned(param, part, value_at(self.editor.patch, path)), dragging=True)
        self._turned = time.monotonic()

    def program(self, asked: ProgramAsked) -> None:
        """A program was asked for: the preset with this number in a bank, both counted from 0."""
        bank, number = asked
        banks = [listed.id for listed in self.shelf.banks]
        home = banks[bank : bank + 1] if bank else [key for key in banks if key == self.editor.work.bank] or banks[:1]
        presets = self.shelf.catalogue.presets(home[0]) if home else []
        if number >= len(presets):
            self.channel.say(f"Program {number + 1} was asked for, and there is none.", problem=True)
            return
        self.presets.open(home[0], presets[number].id)

    def _settle(self) -> None:
        if time.monotonic() - self._turned > RESTS:
            self._turned = math.inf
            self.editor.history.settle()

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
            self.channel.say(str(wrong), problem=True)
