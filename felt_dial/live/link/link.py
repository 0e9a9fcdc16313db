"""The window's end of the engine: starts it, sends patches and values, brings it back when it dies."""

from __future__ import annotations

import subprocess
import time
from typing import Any, TypeVar

from felt_dial.live.engine.devices import SIMULATED
from felt_dial.live.engine.launch import Launched, launch
from felt_dial.live.link.async_pipe import AsyncPipe
from felt_dial.live.link.messages import (
    ENDS,
    STANDS,
    Begin,
    Died,
    Failed,
    GaveUp,
    Opened,
    Quit,
    Scheduled,
    SetQuality,
    ShowPatch,
    WakeUp,
)
from felt_dial.live.link.shared_memory import Shared
from felt_dial.patch.change import Change
from felt_dial.patch.documents.patch import write_patch
from felt_dial.patch.drawn import Drawn
from felt_dial.patch.patch import Patch, drawings, drawn_at, param_at, slots, sounding, structure, value_at
from felt_dial.sound.matter import assets
from felt_dial.sound.playing.events import BEND, HOLD, OFF, ON, PANIC, WHEEL, Event

STALLED, QUICK = 7.0, 5.0
"""Seconds without a block after which the engine counts as dead, and within which a death is a quick one. An engine sees by
itself that its device asks for nothing more, sooner than that."""


T = TypeVar("T")


class EngineLink:
    """What the window says to the engine and hears from it; no call waits for the engine."""

    def __init__(
        self, device: str = "default", rate: int = 48000, frames: int = 256, launched: Launched | None = None
    ) -> None:
        self.device, self.rate, self.frames = device, rate, frames
        self._launched = launched
        self.shared = Shared(launched.memory if launched else None, fresh=True)
        self.output_name = ""
        self.said = ""
        self.generation = 0
        self.patch: Patch | None = None
        self.slot_of: dict[str, int] = {}
        self.ready = False
        self.restarts = self.quick_deaths = self.vain_starts = 0
        self._last_words = ""
        self._down: dict[int, float] = {}
        """Keys that are held in the window, with their velocities."""
        self._wheels: dict[int, float] = {}
        self.scheduled: Scheduled | None = None
        """What the system allows the thread that makes sound, once that is known."""
        self._started = self._moved = 0.0
        self._blocks = 0
        self._standing: dict[tuple[type, object], Any] = {}
        """What an engine that is started anew is told again, see `STANDS`."""
        self.holding = False
        """Whether keys that are let go still sound."""
        self._structure: tuple[Any, ...] = ()
        self._process: subprocess.Popen[bytes] | None = None
        self._wire: AsyncPipe | None = None

    def start(self) -> None:
        """Starts the engine process and sends it the patch, if there is one."""
        self._hang_up()
        launched, self._launched = self._launched or launch(self.shared.handle), None
        self._process, self._wire = launched.process, AsyncPipe(launched.pipe)
        self.tell(Begin(self.device, self.rate, self.frames, int(self.shared.data["ring_written"])))
        self.ready = False
        self._started = self._moved = time.monotonic()
        again = dict(self._standing)
        if (quality := again.pop((SetQuality, ""), None)) is not None:
            self.tell(quality)
        if self.patch is not None:
            self._send_patch(self.patch, carry=False)
        self._note(Event(0, HOLD, 0, float(self.holding)))
        for message in again.values():  # of notes that were taken down what was played until then is gone
            self.tell(message)
        for kind, value in self._wheels.items():
            self._note(Event(0, kind, 0, value))
        for key, velocity in self._down.items():
            self._note(Event(0, ON, key, velocity))

    def close(self) -> None:
        """Ends the engine."""
        self.tell(Quit())
        if self._process is not None:
            try:
                self._process.wait(1.0)
            except subprocess.TimeoutExpired:
                self._process.kill()
                self._process.wait()
        self._process = None
        self._hang_up()

    def _hang_up(self) -> None:
        """Nobody is there any more to be told anything."""
        if self._wire is not None:
            self._wire.close(0.0)
        self._wire = None

    @property
    def pid(self) -> int:
        """The number of the engine's process; 0 where there is none."""
        return self._process.pid if self._process is not None else 0

    def kill(self) -> None:
        """Ends the engine without warning, as a crash would."""
        if self._process is not None:
            self._process.kill()

    def reopen(self, device: str, rate: int, frames: int) -> None:
        """Another device, rate or block: the engine is started anew with them."""
        self.close()
        self.quick_deaths = self.vain_starts = 0
        self.device, self.rate, self.frames = device, rate, frames
        self.start()

    def poll(self) -> list[object]:
        """What the engine said since the last call; brings it back if it died."""
        heard: list[object] = []
        if self._process is None:
            return heard
        try:
            while self._wire is not None and self._wire.poll():
                heard.append(self._wire.recv())
        except (EOFError, OSError):
            self._wire = None
        if self._process.poll() is not None or self._wire is None or self._wire.gone or self._stalled():
            heard.append(self._bring_back())
        for message in heard:
            if isinstance(message, Failed):
                self._last_words = message.reason
            if isinstance(message, Opened):
                self.ready, self.vain_starts = True, 0
                self.output_name, self.said = message.name, message.said
            if isinstance(message, Scheduled):
                self.scheduled = message
        return heard

    def _stalled(self) -> bool:
        """True where no block was asked for in a long time: the engine hangs."""
        blocks, now = int(self.shared.data["blocks"]), time.monotonic()
        if blocks != self._blocks or not self.ready:
            self._blocks, self._moved = blocks, now
        return now - self._moved > STALLED

    def _bring_back(self) -> Died | GaveUp:
        """Starts a dead engine anew.

        One that never played is tried three times, the last time on the simulated output, however long each took; one
        that dies soon after it played goes there after three deaths, and is left alone after six.
        """
        assert self._process is not None
        self._process.kill()
        code = self._process.wait()
        self.restarts += 1
        quick = time.monotonic() - self._started < QUICK
        self.quick_deaths = self.quick_deaths + 1 if quick else 1
        self.vain_starts += not self.ready
        if self.vain_starts >= 3 or self.quick_deaths >= 6:
            self._process = None
            self._hang_up()
            return GaveUp(self._last_words or f"it ended with {f'signal {-code}' if code < 0 else f'code {code}'}")
        if self.vain_starts == 2 or self.quick_deaths >= 3:
            self.device = SIMULATED
        self.start()
        return Died()

    def wait_until_ready(self, seconds: float = 10.0) -> bool:
        """Polls until the engine plays; for the command line and tests."""
        end = time.monotonic() + seconds
        while not self.ready and time.monotonic() < end:
            self.poll()
            time.sleep(0.01)
        return self.ready

    def tell(self, message: object) -> None:
        """Sends a message of `messages`; one to an engine that has died is lost, and `poll` brings it back."""
        kind = type(message)
        for ended in ENDS.get(kind, ()):
            self._standing.pop((ended, ""), None)
        if stands := STANDS.get(kind):
            of, again = stands(message)
            self._standing[kind, of] = again
        if self._wire is not None:
            self._wire.tell(message)

    def standing(self, kind: type[T], of: object = "") -> T | None:
        """The message of a kind that holds now, and is told an engine that is started anew; None where there is none."""
        return self._standing.get((kind, of))

    def take_quality(self, quality: int) -> None:
        """Plays at 1, 2, 4 or 8 times the rate; what sounds goes on."""
        self.tell(SetQuality(quality))
        if self.patch is not None:
            self._send_patch(self.patch, carry=True)

    def show(self, patch: Patch, carry: bool) -> None:
        """Makes the engine sound like `patch`: by values alone where only values differ."""
        if self.patch is not None and carry and structure(patch) == self._structure:
            self._write_values(patch, self.generation)
            self.patch = patch
        else:
            self.patch = patch
            self._send_patch(patch, carry)

    def trim(self, decibels: float) -> None:
        """Turns all of it up or down for the listener alone."""
        self.shared.data["trim"] = decibels

    def follow(self, change: Change) -> None:
        """Makes the engine sound like a patch whose change says what it touched."""
        if change.paths is None or change.rebuilds or self.patch is None:
            self.show(change.patch, carry=True)
            return
        self.patch = change.patch
        row = self.shared.values(self.generation)
        for path in change.paths:
            at, param = self.slot_of[path], param_at(change.patch, path)
            if isinstance(param, Drawn):
                numbers = param.numbers(drawn_at(change.patch, path)[1])
                row[at : at + len(numbers)] = numbers
            else:
                row[at] = param.encode(value_at(change.patch, path))

    def _write_values(self, patch: Patch, generation: int) -> None:
        """All values of a patch, then its drawings; where each begins is kept in `slot_of`."""
        listed = list(slots(patch))
        row = self.shared.give(generation)
        row[: len(listed)] = [slot.param.encode(slot.value) for slot in listed]
        self.slot_of = {slot.path: n for n, slot in enumerate(listed)}
        at = len(listed)
        for drawing in drawings(patch):
            numbers = drawing.drawn.numbers(drawing.value)
            row[at : at + len(numbers)] = numbers
            self.slot_of[drawing.path] = at
            at += len(numbers)

    def _send_patch(self, patch: Patch, carry: bool) -> None:
        self.generation += 1
        self._write_values(patch, self.generation)
        self._structure = structure(patch)
        self.tell(ShowPatch(write_patch(patch), self.generation, carry, assets.searched()))

    @property
    def settled(self) -> bool:
        """True while the engine sounds the patch that was shown last."""
        return int(self.shared.data["generation"]) == self.generation

    def reading(self, patch: Patch, path: str) -> float:
        """dB by which an effect moves the sound now."""
        places = sounding(patch)
        return float(self.shared.data["readings"][places.index(path)]) if path in places else 0.0

    def costs(self, patch: Patch) -> dict[str, float]:
        """What everything that sounds takes of one core, by its path."""
        return {path: float(cost) for path, cost in zip(sounding(patch), self.shared.data["costs"], strict=False)}

    def bead(self, path: str) -> float | None:
        """The value of a parameter at this moment; None where the engine does not know it yet."""
        slot = self.slot_of.get(path)
        return None if slot is None or not self.settled else float(self.shared.data["beads"][slot])

    def place(self, layer: int) -> float | None:
        """Where in its recording the newest note of a layer is, 0 to 1; None where it is nowhere."""
        found = float(self.shared.data["places"][layer])
        return found if self.settled and found >= 0.0 else None

    def falls_short(self, layer: int) -> float:
        """By how many dB a layer is softer than its dials say since there is no room for more grains; else 0."""
        return float(self.shared.data["short"][layer]) if self.settled else 0.0

    def hold(self, on: bool) -> None:
        """Lets keys that are let go sound on, or ends those that do."""
        self.holding = on
        self._note(Event(0, HOLD, 0, float(on)))

    def _note(self, event: Event) -> None:
        """Puts a note into the ring; an engine that rests is told that there is one."""
        self.shared.send(event)
        if self.shared.data["resting"]:
            self.tell(WakeUp())

    def note_on(self, key: int, velocity: float) -> None:
        """A key goes down, velocity 0–1."""
        self._down[key] = velocity
        self._note(Event(0, ON, key, velocity))

    def note_off(self, key: int) -> None:
        """A key goes up."""
        self._down.pop(key, None)
        self._note(Event(0, OFF, key))

    def wheel(self, value: float) -> None:
        """The mod wheel, 0–1."""
        self._wheels[WHEEL] = value
        self._note(Event(0, WHEEL, 0, value))

    def bend(self, value: float) -> None:
        """The bend wheel, −1 to 1."""
        self._wheels[BEND] = value
        self._note(Event(0, BEND, 0, value))

    def silence(self) -> None:
        """Lets go of everything."""
        self.hold(False)
        self._down.clear()
        self._note(Event(0, PANIC))


__all__ = ["SIMULATED", "EngineLink"]
