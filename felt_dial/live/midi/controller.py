"""Controllers: keys, wheels, pedals and fingers, real or simulated, as events of the engine.

Several notes on channels of their own, each with its bend, pressure and slide, are told apart by the
MPE configuration message (MIDI Association, M1-100-UM); without it all channels speak to the patch.
"""

from __future__ import annotations

import contextlib
from collections import deque
from collections.abc import Callable
from typing import Any, NamedTuple

from felt_dial.errors import FeltDialError
from felt_dial.live.midi.midi_ports import NoPort, Port, port_names
from felt_dial.sound.playing.events import (
    BEND,
    OFF,
    ON,
    PANIC,
    PRESSURE,
    RANGE,
    SLIDE,
    SOSTENUTO,
    SUSTAIN,
    WHEEL,
    Event,
)

NONE, SIMULATED = "none", "simulated"
MOD_WHEEL, DATA, SUSTAIN_PEDAL, SOSTENUTO_PEDAL, TIMBRE = 1, 6, 64, 66, 74
RPN_LOW, RPN_HIGH, SILENCE, ALL_OFF = 100, 101, 120, 123
BANK, FINE = 0, 32
BEND_RANGE, MPE = 0, 6
"""Registered parameters (MIDI 1.0 detailed specification, and MPE 1.0)."""


class NoController(FeltDialError):
    """A controller that is not there or does not open."""


class Controller(NamedTuple):
    """A controller a person can choose."""

    id: str
    name: str
    real: bool


def list_controllers() -> list[Controller]:
    """No controller, the real ones there are, and the simulated one."""
    simulated = Controller(SIMULATED, "Simulated controller", False)
    try:
        names = port_names()
    except NoPort as wrong:
        return [Controller(NONE, f"None ({wrong})", True), simulated]
    return [Controller(NONE, "None", True), *(Controller(name, name, True) for name in names), simulated]


class Reader:
    """Turns channel messages into events; remembers which channels are fingers of their own.

    What is not for the patch gathers in `controls` (number, value 0–1: controllers without a meaning of their own,
    a pair of them as one with 14 bits), `programs` (bank, program) and `clock` (type, frame), until it is taken.
    """

    def __init__(self) -> None:
        self.fingers: set[int] = set()
        self.controls: list[tuple[int, float]] = []
        self.programs: list[tuple[int, int]] = []
        self.clock: list[tuple[str, int]] = []
        self._asked: dict[int, list[int]] = {}
        self._coarse: dict[tuple[int, int], int] = {}
        self._bank: dict[int, list[int]] = {}

    def _channel(self, message: Any) -> int:
        """0 for the whole patch, and for a finger's channel its number from 1."""
        return message.channel + 1 if message.channel in self.fingers else 0

    def read(self, message: Any, frame: int) -> list[Event]:
        """The events of one mido message at a frame."""
        if message.type in ("note_on", "note_off"):
            channel = self._channel(message)
            if message.type == "note_on" and message.velocity > 0:
                return [Event(frame, ON, message.note, message.velocity / 127, channel)]
            lift = message.velocity / 127 if message.type == "note_off" else 0.5
            return [Event(frame, OFF, message.note, lift, channel)]
        if message.type == "pitchwheel":
            return [Event(frame, BEND, 0, max(-1.0, message.pitch / 8191), self._channel(message))]
        if message.type == "aftertouch":
            return [Event(frame, PRESSURE, 0, message.value / 127, self._channel(message))]
        if message.type == "polytouch":
            return [Event(frame, PRESSURE, message.note, message.value / 127, self._channel(message))]
        if message.type == "program_change":
            coarse, fine = self._bank.get(message.channel, [0, 0])
            self.programs.append((coarse * 128 + fine, message.program))
        elif message.type in ("clock", "start", "stop", "continue"):
            self.clock.append((message.type, frame))
        elif message.type == "reset":
            return [Event(frame, PANIC)]
        return self._control(message, frame) if message.type == "control_change" else []

    def _control(self, message: Any, frame: int) -> list[Event]:
        value, number = message.value / 127, message.control
        if number == MOD_WHEEL:
            return [Event(frame, WHEEL, 0, value)]
        if number == TIMBRE:
            return [Event(frame, SLIDE, 0, value, self._channel(message))]
        if number == SUSTAIN_PEDAL:
            return [Event(frame, SUSTAIN, 0, value)]
        if number == SOSTENUTO_PEDAL:
            return [Event(frame, SOSTENUTO, 0, value)]
        if number in (SILENCE, ALL_OFF):
            return [Event(frame, PANIC)]
        asked = self._asked.setdefault(message.channel, [127, 127])
        if number in (RPN_LOW, RPN_HIGH):
            asked[number - RPN_LOW] = message.value
        elif number == DATA and asked == [MPE, 0] and message.channel in (0, 15):
            count = min(message.value, 15)
            zone = range(1, 1 + count) if message.channel == 0 else range(15 - count, 15)
            self.fingers = set(zone)
        elif number == DATA and asked == [BEND_RANGE, 0]:
            return [Event(frame, RANGE, 0, float(message.value), self._channel(message))]
        elif number in (BANK, BANK + FINE):
            self._bank.setdefault(message.channel, [0, 0])[number // FINE] = message.value
        elif number not in (DATA, DATA + FINE):
            self._turn(message.channel, number, message.value)
        return []

    def _turn(self, channel: int, number: int, value: int) -> None:
        """A controller without a meaning of its own. The fine half of a pair counts only after its coarse half."""
        coarse = self._coarse.get((channel, number - FINE))
        if FINE <= number < 2 * FINE and coarse is not None:
            self.controls.append((number - FINE, (coarse * 128 + value) / 16383))
            return
        if number < FINE:
            self._coarse[(channel, number)] = value
        self.controls.append((number, value / 127))


class RealController:
    """A MIDI input of the machine; messages wait until the next block asks. `stir` is told that one has come."""

    def __init__(self, name: str, stir: Callable[[], object]) -> None:
        import mido

        self._parse = mido.Message.from_bytes
        self._waiting: deque[list[int]] = deque()
        self.reader = Reader()
        self._stir = stir
        try:
            self._port = Port(name, self._hear)
        except NoPort as wrong:
            raise NoController(
                f"The controller {name} does not open: {wrong}. The keyboard on screen still plays."
            ) from None

    def _hear(self, message: list[int]) -> None:
        self._waiting.append(message)
        self._stir()

    @property
    def busy(self) -> bool:
        """True while something waits to be read."""
        return bool(self._waiting)

    def block(self, frames: int, rate: float) -> list[Event]:
        """What came since the last block, at its first frame."""
        events: list[Event] = []
        while self._waiting:
            with contextlib.suppress(ValueError, IndexError):
                events += self.reader.read(self._parse(self._waiting.popleft()), 0)
        return events

    def close(self) -> list[Event]:
        """Lets go of everything."""
        self._port.close()
        return [Event(0, PANIC)]


def gesture() -> list[tuple[float, Any]]:
    """What the simulated controller plays, as mido messages by seconds: three fingers that bend, press and slide, and a pedal."""
    from mido import Message

    def rpn(channel: int, number: int, value: int) -> list[Any]:
        pairs = ((RPN_HIGH, 0), (RPN_LOW, number), (DATA, value))
        return [Message("control_change", channel=channel, control=c, value=v) for c, v in pairs]

    made: list[tuple[float, Any]] = [(0.0, message) for message in rpn(0, MPE, 3)]
    for finger, (note, start) in enumerate(((57, 0.0), (64, 0.5), (69, 1.0)), start=1):
        made.append((start, Message("note_on", channel=finger, note=note, velocity=70 + 10 * finger)))
        for n in range(40):
            at, part = start + 0.05 * n, n / 39
            bend = round(341 * part * (1 if finger == 3 else -0.5 if finger == 2 else 0))
            made.append((at, Message("pitchwheel", channel=finger, pitch=bend)))
            made.append((at, Message("aftertouch", channel=finger, value=round(110 * (1 - abs(2 * part - 1))))))
            made.append((at, Message("control_change", channel=finger, control=TIMBRE, value=round(127 * part))))
        made.append((start + 2.2, Message("note_off", channel=finger, note=note)))
    made.append((2.6, Message("control_change", control=SUSTAIN_PEDAL, value=127)))
    made += [(2.7, Message("note_on", channel=1, note=45, velocity=90)), (2.9, Message("note_off", channel=1, note=45))]
    made.append((3.8, Message("control_change", control=SUSTAIN_PEDAL, value=0)))
    return sorted(made, key=lambda pair: pair[0])


class SimulatedController:
    """A controller without one: a scripted player on a clock of frames, the same gesture again and again, and
    whatever its window sends."""

    LENGTH = 4.5

    def __init__(self) -> None:
        from mido import Message

        self._gesture = gesture()
        self._parse = Message.from_bytes
        self._waiting: deque[list[int]] = deque()
        self.reader = Reader()
        self.performs = False
        self._frames = 0

    @property
    def busy(self) -> bool:
        """True while it plays, or something waits to be read."""
        return self.performs or bool(self._waiting)

    def perform(self, on: bool) -> list[Event]:
        """Begins the gesture anew, or ends it and lets go of its notes."""
        self.performs, self._frames = on, 0
        return [] if on else [Event(0, PANIC)]

    def send(self, message: list[int]) -> None:
        """A message as bytes, to be read at the next block."""
        self._waiting.append(message)

    def block(self, frames: int, rate: float) -> list[Event]:
        """The events of the next `frames` frames."""
        events: list[Event] = []
        while self._waiting:
            with contextlib.suppress(ValueError, IndexError):
                events += self.reader.read(self._parse(self._waiting.popleft()), 0)
        if not self.performs:
            return events
        whole = round(self.LENGTH * rate)
        start = self._frames % whole
        for seconds, message in self._gesture:
            at = round(seconds * rate) - start
            if at < 0 and start + frames > whole:
                at += whole
            if 0 <= at < frames:
                events += self.reader.read(message, at)
        self._frames += frames
        return sorted(events, key=lambda event: event.frame)

    def close(self) -> list[Event]:
        """Lets go of everything."""
        return [Event(0, PANIC)]


class Clock:
    """The tempo of a MIDI clock: 24 ticks to a quarter note, measured over a beat (MIDI 1.0)."""

    TICKS = 24

    def __init__(self) -> None:
        self.tempo = 0.0
        self._at: deque[float] = deque(maxlen=self.TICKS + 1)

    def tick(self, seconds: float) -> None:
        """A tick came at a time; the tempo is known after a quarter of a beat, and steady after one."""
        if self._at and seconds - self._at[-1] > 0.5:
            self._at.clear()
        self._at.append(seconds)
        if len(self._at) > self.TICKS // 4:
            span = self._at[-1] - self._at[0]
            tempo = 60.0 * (len(self._at) - 1) / (self.TICKS * max(span, 1e-6))
            self.tempo = min(max(round(tempo, 1), 20.0), 999.0)

    def gone(self, seconds: float) -> bool:
        """True where it was there and has stopped for half a second."""
        return bool(self._at) and seconds - self._at[-1] > 0.5


def open_controller(key: str, stir: Callable[[], object] = lambda: None) -> RealController | SimulatedController | None:
    """The controller of an id, None for none; raises `NoController`. A real one calls `stir` as a message comes."""
    if key == NONE:
        return None
    return SimulatedController() if key == SIMULATED else RealController(key, stir)
