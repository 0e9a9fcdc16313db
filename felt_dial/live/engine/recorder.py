"""Recording: from an input device, or from the simulated microphone, which plays a made scene."""

from __future__ import annotations

import contextlib
import threading
import time
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.errors import FeltDialError
from felt_dial.sound.matter import assets
from felt_dial.sound.matter.tables import shipped_recordings

SIMULATED = "simulated"
RATE, BLOCK = 48000, 480
LONGEST = 600.0
RING = 2.0
"""Seconds that are remembered before recording begins."""
SCENE = ((0.8, "Wood Knock"), (1.9, "Struck Glass"), (4.6, "Blown Reed"), (8.4, "Plucked String"))
SCENE_SECONDS, FLOOR = 11.0, 3e-4
"""How long the scene is, which then begins again, and how loud the room is."""


class NoInput(FeltDialError):
    """An input that cannot be opened."""


class Input(NamedTuple):
    """An input that can be recorded from: its id and its name."""

    id: str
    name: str


def list_inputs() -> list[Input]:
    """Every input there is; the simulated microphone is always there."""
    found = [Input(SIMULATED, "Simulated microphone")]
    with contextlib.suppress(Exception):  # PortAudio may be missing, or have no device: both are normal
        import sounddevice

        for number, about in enumerate(sounddevice.query_devices()):
            if about["max_input_channels"] > 0:
                found.append(Input(str(number), str(about["name"])))
    return found


def scene() -> NDArray[np.float32]:
    """What the simulated microphone hears: things of a glasshouse, one after the other, in a quiet room; float32 (1, frames)."""
    made = np.random.default_rng(3).normal(0.0, FLOOR, int(SCENE_SECONDS * RATE)).astype(np.float32)
    known = shipped_recordings()
    for second, name in SCENE:
        sound = assets.load(known[name][0]) if name in known else None
        if sound is not None:
            at = int(second * RATE)
            part = sound.mean(axis=0)[: len(made) - at]
            made[at : at + len(part)] += 0.6 * part
    return made[None]


class Recorder:
    """Listens to an input; keeps what comes from the moment that it is told to.

    Attributes
    ----------
    state : str
        `off`, `idle` (it listens), `count` (it counts in), `wait` (for something loud), `on`, or `full`: it keeps no
        more, since a sample may not be longer; `stop` gives what there is.
    """

    def __init__(self) -> None:
        self.state = "off"
        self._lock = threading.Lock()
        self._ring: list[NDArray[np.float32]] = []
        self._kept: list[NDArray[np.float32]] = []
        self._frames = 0
        self._level = 0.0
        self._count = 0
        self._threshold: float | None = None
        self._before = 0.0
        self._stream: Any = None
        self._going: threading.Event | None = None
        self._thread: threading.Thread | None = None

    def open(self, device: str = SIMULATED) -> None:
        """Begins to listen; raises `NoInput`."""
        self.close()
        self.state = "idle"
        if device == SIMULATED:
            going = self._going = threading.Event()
            going.set()
            self._thread = threading.Thread(target=self._simulate, args=(going,), daemon=True)
            self._thread.start()
            return
        try:
            import sounddevice

            self._stream = sounddevice.InputStream(
                device=int(device), samplerate=RATE, blocksize=BLOCK, dtype="float32", callback=self._called
            )
            self._stream.start()
        except Exception as wrong:
            self.state = "off"
            raise NoInput(
                f"The input cannot be opened: {wrong}. Choose another, or the simulated microphone."
            ) from None

    def _called(self, data: NDArray[np.float32], frames: int, when: object, status: object) -> None:
        self._feed(np.ascontiguousarray(data.T[:2], np.float32))

    def _simulate(self, going: threading.Event) -> None:
        sound, at, begin = scene(), 0, time.monotonic()
        while going.is_set():
            due = begin + (at + BLOCK) / RATE - time.monotonic()
            if due > 0:
                time.sleep(due)
            self._feed(sound[:, (at + np.arange(BLOCK)) % sound.shape[1]])
            at += BLOCK

    def _feed(self, block: NDArray[np.float32]) -> None:
        with self._lock:
            peak = float(np.abs(block).max(initial=0.0))
            self._level = max(self._level, peak)
            if self.state == "count":
                self._count -= block.shape[1]
                if self._count <= 0:
                    self._start()
            elif self.state == "wait" and self._threshold is not None and peak >= self._threshold:
                self._start()
            if self.state == "on":
                self._kept.append(block.copy())
                self._frames += block.shape[1]
                if self._frames + BLOCK > LONGEST * RATE:  # one block more, and it could not be loaded
                    self.state = "full"
            else:
                self._ring.append(block.copy())
                while sum(b.shape[1] for b in self._ring) > RING * RATE:
                    self._ring.pop(0)

    def _start(self) -> None:
        """What came just before is kept too."""
        self.state = "on"
        frames = int(self._before * RATE)
        before = np.concatenate(self._ring, axis=1)[:, -frames:] if frames and self._ring else None
        self._kept = [before] if before is not None else []
        self._frames = before.shape[1] if before is not None else 0
        self._ring = []

    def level(self) -> float:
        """The highest sample since this was asked for the last time."""
        with self._lock:
            found, self._level = self._level, 0.0
        return found

    @property
    def seconds(self) -> float:
        """How much was kept so far."""
        with self._lock:
            return self._frames / RATE if self.state in ("on", "full") else 0.0

    def begin(self, count_in: float = 0.0, threshold_db: float | None = None, before: float = 0.1) -> None:
        """Begins to keep what comes: at once, after so many seconds, or once it is louder than a threshold.

        `before` are the seconds just before that moment, which are kept too.
        """
        with self._lock:
            if self.state == "off":
                raise NoInput("Nothing is listened to: choose an input first.")
            self._before, self._kept = min(before, RING), []
            self._threshold = None if threshold_db is None else 10.0 ** (threshold_db / 20.0)
            self._count = round(count_in * RATE)
            if self._count > 0:
                self.state = "count"
            elif self._threshold is not None:
                self.state = "wait"
            else:
                self._start()

    def stop(self) -> NDArray[np.float32]:
        """What was kept, float32 (channel, frame); it goes on listening."""
        with self._lock:
            if self.state != "off":
                self.state = "idle"
            kept, self._kept = self._kept, []
        return np.concatenate(kept, axis=1) if kept else np.zeros((1, 0), np.float32)

    def close(self) -> None:
        """Listens no more."""
        if self._going is not None:
            self._going.clear()
        if self._stream is not None:
            with contextlib.suppress(Exception):
                self._stream.close()
        if self._thread is not None and self._thread is not threading.current_thread():
            self._thread.join(1.0)
        self._stream = self._going = self._thread = None
        with self._lock:
            self.state, self._kept, self._ring = "off", [], []


def trimmed(sound: NDArray[np.float32], rate: float = RATE, under: float = -48.0) -> NDArray[np.float32]:
    """Without what is quieter than so many dB under the loudest, before and after, but for 10 and 100 ms."""
    level = np.abs(sound).max(axis=0)
    loud = np.flatnonzero(level > float(level.max(initial=0.0)) * 10.0 ** (under / 20.0))
    if not len(loud):
        return sound
    first, last = max(int(loud[0]) - int(0.01 * rate), 0), min(int(loud[-1]) + int(0.1 * rate), sound.shape[1])
    made = sound[:, first:last].copy()
    fade = min(int(0.02 * rate), made.shape[1])
    made[:, -fade:] *= np.linspace(1.0, 0.0, fade, dtype=np.float32)
    return made
