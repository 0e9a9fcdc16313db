"""Outputs: what a block of sound is handed to. Real and simulated ones stand in one list."""

from __future__ import annotations

import contextlib
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.errors import FeltDialError
from felt_dial.files import write_whole
from felt_dial.sound.matter.wav import wav_bytes

SIMULATED = "simulated"
AHEAD = 2
"""Blocks that the simulated sound card holds in its buffer."""

Render = Callable[[], NDArray[np.float32]]
Late = Callable[[float], None]


class NoDevice(FeltDialError):
    """A device that is not there or does not open."""


class Device(NamedTuple):
    """An output a person can choose."""

    id: str
    name: str
    real: bool


def list_devices() -> list[Device]:
    """Every output there is, the system's own first; the simulated one is always among them, and last."""
    found: list[Device] = []
    with contextlib.suppress(OSError, ImportError):
        import sounddevice

        own = sounddevice.default.device[1]
        hosts = sounddevice.query_hostapis()
        for number, about in enumerate(sounddevice.query_devices()):
            if about["max_output_channels"] >= 2:
                found.append(Device(str(number), f"{about['name']} · {hosts[about['hostapi']]['name']}", True))
        found.sort(key=lambda device: device.id != str(own))
    return [*found, Device(SIMULATED, "Simulated output", False)]


class SimulatedOutput:
    """A sound card made of a clock: asks for blocks in real time and keeps them if wished."""

    def __init__(self, rate: float, frames: int, render: Render, late: Late) -> None:
        self.period = frames / rate
        self.rate = rate
        self._render, self._late = render, late
        self._running = True
        self._kept: list[NDArray[np.float32]] | None = None

    def keep(self) -> None:
        """Begins to keep what is played."""
        self._kept = []

    def write(self, path: Path) -> None:
        """Writes what was kept as a WAV file, 32-bit float."""
        kept, self._kept = self._kept or [], None
        sound = np.concatenate(kept, axis=1) if kept else np.zeros((2, 0), np.float32)
        write_whole(path, wav_bytes(sound, int(self.rate)))

    def run(self) -> None:
        """Plays until `close`; a block is late when it is done after the buffer ran dry."""
        begin = time.perf_counter()
        done = 0
        while self._running:
            sound = self._render()
            if self._kept is not None:
                self._kept.append(sound.copy())
            done += 1
            now = time.perf_counter()
            spare = begin + (done + AHEAD - 1) * self.period - now
            if spare < 0:
                self._late(-spare)
                begin -= spare
            if (wait := begin + done * self.period - time.perf_counter()) > 0:
                time.sleep(wait)

    def close(self) -> None:
        """Ends `run` after the block that is being made."""
        self._running = False


class PortAudioOutput:
    """A real output through PortAudio."""

    def __init__(self, device: str, rate: float, frames: int, render: Render, late: Late) -> None:
        try:
            import sounddevice
        except (OSError, ImportError) as wrong:
            raise NoDevice(f"PortAudio is not on this machine ({wrong}).") from None
        self._running = True

        def fill(out: Any, count: int, when: Any, status: Any) -> None:
            if status.output_underflow:
                late(count / rate)
            out[:] = render().T

        try:
            self._stream = sounddevice.OutputStream(
                device=int(device), samplerate=rate, blocksize=frames, channels=2, dtype="float32", callback=fill
            )
        except (sounddevice.PortAudioError, ValueError) as wrong:
            raise NoDevice(f"Output {device} does not open at {rate:.0f} Hz ({wrong}).") from None

    def run(self) -> None:
        """Plays until `close`."""
        with self._stream:
            while self._running:
                time.sleep(0.02)

    def close(self) -> None:
        """Ends `run`."""
        self._running = False
