"""What is played: keys of the window and of a controller, its knobs and its clock, and keys that are held."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from functools import partial

from felt_dial.live.link.messages import ControlsTurned, NoControllerThere, ProgramAsked, TransportAsked
from felt_dial.live.link.shared_memory import Shared
from felt_dial.live.midi.controller import (
    Clock,
    NoController,
    Reader,
    RealController,
    SimulatedController,
    open_controller,
)
from felt_dial.sound.playing.events import HOLD, OFF, ON, Event


class NoteInput:
    """Gives the events of every block that come from a person.

    Attributes
    ----------
    controller : RealController, SimulatedController or None
    clock : Clock
        That of the controller, which rules the tempo while it comes.
    """

    def __init__(self, shared: Shared, rate: float, frames: int, tell: Callable[[object], None]) -> None:
        self.shared, self._rate, self._frames, self._tell = shared, rate, frames, tell
        self.controller: RealController | SimulatedController | None = None
        self.clock = Clock()
        self._holds = False
        self._held_back: set[tuple[float, int]] = set()

    @property
    def busy(self) -> bool:
        """True while the controller plays by itself, or rules the tempo."""
        return bool(self.clock.tempo) or (self.controller is not None and self.controller.busy)

    def block(self, number: int) -> list[Event]:
        """What was played since the last block; `number` counts blocks. Knobs and programs are told to the window."""
        played = self._held(self.shared.received())
        if self.controller is not None:
            played += self._held(self.controller.block(self._frames, self._rate))
            self._hear_controls(self.controller.reader, number * self._frames / self._rate)
        return played

    def opened(self, key: str, stir: Callable[[], None]) -> Callable[[], list[Event]]:
        """Opens another controller, which takes time; what is returned plugs it in, at the beginning of a block."""
        ends = self.controller.close() if self.controller is not None else []
        found = None
        try:
            found = open_controller(key, stir)
        except NoController as wrong:
            self._tell(NoControllerThere(str(wrong)))
        return partial(self._plug_in, found, ends)

    def _plug_in(self, controller: RealController | SimulatedController | None, ends: list[Event]) -> list[Event]:
        """Another controller plays from this block on; what the one before was holding ends."""
        self.controller, self.clock = controller, Clock()
        self.shared.data["clock"] = 0.0
        return ends

    def _hear_controls(self, reader: Reader, now: float) -> None:
        """What a controller sends besides notes: turned knobs and programs go to the window, a clock rules the tempo."""
        if reader.controls:
            self._tell(ControlsTurned(list(dict(reader.controls).items())))
            reader.controls.clear()
        for bank, program in reader.programs:
            self._tell(ProgramAsked(bank, program))
        reader.programs.clear()
        for kind, frame in reader.clock:
            if kind == "clock":
                self.clock.tick(now + frame / self._rate)
            else:
                self._tell(TransportAsked(kind != "stop"))
        reader.clock.clear()
        if self.clock.gone(now):
            self.clock = Clock()
        self.shared.data["clock"] = self.clock.tempo

    def _held(self, events: Iterable[Event]) -> list[Event]:
        """What is played, without keys that come up while they are held; those come up where holding ends."""
        found = []
        for event in events:
            if event.kind == HOLD:
                self._holds = event.value >= 0.5
                if not self._holds:
                    found += [Event(0, OFF, key, 0.0, channel) for key, channel in self._held_back]
                    self._held_back.clear()
                continue
            if event.kind == OFF and self._holds:
                self._held_back.add((event.key, event.channel))
                continue
            if event.kind == ON:
                self._held_back.discard((event.key, event.channel))
            found.append(event)
        return found
