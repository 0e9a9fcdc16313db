"""Outputs: what a block of sound is handed to. Real and simulated ones stand in one list."""

from __future__ import annotations

import contextlib
import threading
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
SILENT, STARTING = 2.0, 5.0
"""Seconds without asking for a block after which a device counts as gone: once it plays, and while it starts."""

Render = Callable[[], NDArray[np.float32]]
Late = Callable[[float], None]
Pause = Callable[[], float]


class NoDevice(FeltDialError):
    """A device that is not there or does not open."""


class Device(NamedTuple):
    """An output a person can choose; `id` is what it is called, since its number changes as others come and go."""

    id: str
    name: str
    real: bool
    number: int = -1


_asking = threading.Lock()


def list_devices(anew: bool = False) -> list[Device]:
    """Every output there is, the system's own first; the simulated one is always among them, and last.

    `anew` asks the system again, which ends every stream that is open.
    """
    found: list[Device] = []
    with _asking, contextlib.suppress(OSError, ImportError):
        import sounddevice

        with contextlib.suppress(sounddevice.PortAudioError):
            if anew:
                sounddevice._terminate()
                sounddevice._initialize()
            own = sounddevice.default.device[1]
            hosts = sounddevice.query_hostapis()
            for number, about in enumerate(sounddevice.query_devices()):
                if about["max_output_channels"] >= 2:
                    name = f"{about['name']} · {hosts[about['hostapi']]['name']}"
                    found.append(Device(name, name, True, number))
            found.sort(key=lambda device: device.number != own)
    return [*found, Device(SIMULATED, "Simulated output", False)]


class SimulatedOutput:
    """A sound card made of a clock: asks for blocks in real time and keeps them if wished."""

    def __init__(self, rate: float, frames: int, render: Render, late: Late, rest: Pause = lambda: 0.0) -> None:
        self.period = frames / rate
        self.rate = rate
        self._render, self._late, self._rest = render, late, rest
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
            if self._kept is None:
                begin += self._rest()

    def close(self) -> None:
        """Ends `run` after the block that is being made."""
        self._running = False


class PortAudioOutput:
    """A real output through PortAudio.

    Attributes
    ----------
    lost : bool
        Whether the device went away while it played.
    """

    def __init__(self, device: Device, rate: float, frames: int, render: Render, late: Late) -> None:
        try:
            import sounddevice
        except (OSError, ImportError) as wrong:
            raise NoDevice(f"PortAudio is not on this machine ({wrong}).") from None
        self.device, self.lost = device, False
        self._running, self._blocks = True, 0

        def fill(out: Any, count: int, when: Any, status: Any) -> None:
            if status.output_underflow:
                late(count / rate)
            self._blocks += 1
            out[:] = render().T

        try:
            self._stream = sounddevice.OutputStream(
                device=device.number, samplerate=rate, blocksize=frames, channels=2, dtype="float32", callback=fill
            )
        except (sounddevice.PortAudioError, ValueError) as wrong:
            raise NoDevice(f"{device.name} does not open at {rate:.0f} Hz ({wrong}).") from None

    def run(self) -> None:
        """Plays until `close`, or until the device is gone: it stops by itself, or asks for nothing more."""
        import sounddevice

        begun = moved = time.monotonic()
        blocks = self._blocks
        try:
            self._stream.start()
            while self._running and not self.lost:
                time.sleep(0.02)
                if self._blocks != blocks:
                    blocks, moved = self._blocks, time.monotonic()
                patience = SILENT if moved - begun > STARTING else STARTING
                self.lost = not self._stream.active or time.monotonic() - moved > patience
        except sounddevice.PortAudioError:
            self.lost = True
        with contextlib.suppress(sounddevice.PortAudioError):
            self._stream.abort()
            self._stream.close()

    def close(self) -> None:
        """Ends `run`."""
        self._running = False
