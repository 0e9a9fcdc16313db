"""Controllers: keys, wheels, pedals and fingers, real or simulated, as events of the engine.

Several notes on channels of their own, each with its bend, pressure and slide, are told apart by the
MPE configuration message (MIDI Association, M1-100-UM); without it all channels speak to the patch.
"""

from __future__ import annotations

import contextlib
from collections import deque
from typing import Any, NamedTuple

from felt_dial.errors import FeltDialError
from felt_dial.sound.voices import BEND, OFF, ON, PANIC, PRESSURE, SLIDE, SOSTENUTO, SUSTAIN, WHEEL, Event

NONE, SIMULATED = "none", "simulated"
MOD_WHEEL, DATA, SUSTAIN_PEDAL, SOSTENUTO_PEDAL, TIMBRE = 1, 6, 64, 66, 74
RPN_LOW, RPN_HIGH, SILENCE, ALL_OFF = 100, 101, 120, 123
MPE = 6


class NoController(FeltDialError):
    """A controller that is not there or does not open."""


class Controller(NamedTuple):
    """A controller a person can choose."""

    id: str
    name: str
    real: bool


def list_controllers() -> list[Controller]:
    """No controller, the real ones there are, and the simulated one."""
    found = [Controller(NONE, "None", True)]
    with contextlib.suppress(ImportError):
        import rtmidi

        with contextlib.suppress(rtmidi.RtMidiError):
            found += [Controller(name, name, True) for name in rtmidi.MidiIn().get_ports()]
    return [*found, Controller(SIMULATED, "Simulated controller", False)]


class Reader:
    """Turns channel messages into events; remembers which channels are fingers of their own."""

    def __init__(self) -> None:
        self.fingers: set[int] = set()
        self._asked: dict[int, list[int]] = {}

    def _channel(self, message: Any) -> int:
        """0 for the whole patch, and for a finger's channel its number from 1."""
        return message.channel + 1 if message.channel in self.fingers else 0

    def read(self, message: Any, frame: int) -> list[Event]:
        """The events of one mido message at a frame."""
        if message.type in ("note_on", "note_off"):
            channel = self._channel(message)
            if message.type == "note_on" and message.velocity > 0:
                return [Event(frame, ON, message.note, message.velocity / 127, channel)]
            return [Event(frame, OFF, message.note, 0.0, channel)]
        if message.type == "pitchwheel":
            return [Event(frame, BEND, 0, max(-1.0, message.pitch / 8191), self._channel(message))]
        if message.type == "aftertouch":
            return [Event(frame, PRESSURE, 0, message.value / 127, self._channel(message))]
        if message.type == "polytouch":
            return [Event(frame, PRESSURE, message.note, message.value / 127, self._channel(message))]
        return self._control(message, frame) if message.type == "control_change" else []

    def _control(self, message: Any, frame: int) -> list[Event]:
        value = message.value / 127
        if message.control == MOD_WHEEL:
            return [Event(frame, WHEEL, 0, value)]
        if message.control == TIMBRE:
            return [Event(frame, SLIDE, 0, value, self._channel(message))]
        if message.control == SUSTAIN_PEDAL:
            return [Event(frame, SUSTAIN, 0, value)]
        if message.control == SOSTENUTO_PEDAL:
            return [Event(frame, SOSTENUTO, 0, value)]
        if message.control in (SILENCE, ALL_OFF):
            return [Event(frame, PANIC)]
        asked = self._asked.setdefault(message.channel, [127, 127])
        if message.control in (RPN_LOW, RPN_HIGH):
            asked[message.control - RPN_LOW] = message.value
        elif message.control == DATA and asked == [MPE, 0] and message.channel in (0, 15):
            count = min(message.value, 15)
            zone = range(1, 1 + count) if message.channel == 0 else range(15 - count, 15)
            self.fingers = set(zone)
        return []


class RealController:
    """A MIDI input through `python-rtmidi`; messages wait until the next block asks."""

    def __init__(self, name: str) -> None:
        import mido
        import rtmidi

        try:
            self._input = rtmidi.MidiIn()
            self._input.ignore_types(sysex=True, timing=True, active_sense=True)
            self._input.open_port(self._input.get_ports().index(name))
        except (rtmidi.RtMidiError, ValueError) as wrong:
            raise NoController(
                f"The controller {name} does not open ({wrong}). The keyboard on screen still plays."
            ) from None
        self._parse = mido.Message.from_bytes
        self._waiting: deque[list[int]] = deque()
        self._reader = Reader()
        self._input.set_callback(lambda message, _: self._waiting.append(message[0]))

    def block(self, frames: int, rate: float) -> list[Event]:
        """What came since the last block, at its first frame."""
        events: list[Event] = []
        while self._waiting:
            with contextlib.suppress(ValueError, IndexError):
                events += self._reader.read(self._parse(self._waiting.popleft()), 0)
        return events

    def close(self) -> list[Event]:
        """Lets go of everything."""
        self._input.close_port()
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
    """A scripted player on a clock of frames: the same gesture, again and again."""

    LENGTH = 4.5

    def __init__(self) -> None:
        self._gesture = gesture()
        self._reader = Reader()
        self._frames = 0

    def block(self, frames: int, rate: float) -> list[Event]:
        """The events of the next `frames` frames."""
        events: list[Event] = []
        whole = round(self.LENGTH * rate)
        start = self._frames % whole
        for seconds, message in self._gesture:
            at = round(seconds * rate) - start
            if at < 0 and start + frames > whole:
                at += whole
            if 0 <= at < frames:
                events += self._reader.read(message, at)
        self._frames += frames
        return sorted(events, key=lambda event: event.frame)

    def close(self) -> list[Event]:
        """Lets go of everything."""
        return [Event(0, PANIC)]


def open_controller(key: str) -> RealController | SimulatedController | None:
    """The controller of an id, None for none; raises `NoController`."""
    if key == NONE:
        return None
    return SimulatedController() if key == SIMULATED else RealController(key)
