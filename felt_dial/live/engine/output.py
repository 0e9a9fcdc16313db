"""What the engine plays on: the wanted device, the simulated one while that is not there, and the device again once it is."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from felt_dial.live.engine.devices import (
    SIMULATED,
    Device,
    Late,
    NoDevice,
    Pause,
    PortAudioOutput,
    Render,
    SimulatedOutput,
    list_devices,
)
from felt_dial.live.engine.real_time import RealTime
from felt_dial.live.link.messages import Back, Gone, Opened

LOOK, SELDOM, SLOWER = 2.0, 10.0, 1.5
"""Seconds between two looks for a device that is not there, at first and in the long run, and by what they grow: a look takes
as long as six blocks."""
STEADY = 10.0
"""Seconds that a device has to play to be looked for at once when it is gone; one that comes and goes is let be for longer."""


class Output:
    """Plays on one device after the other until `close`.

    Parameters
    ----------
    wanted : str
        Id of a device; `default` for the system's own, `SIMULATED` for none.
    rate : float
        Frames per second.
    frames : int
        Frames of a block.
    render : function
        Makes the next block, float32 (2, frame).
    late : function
        Is told by how many seconds a block came too late.
    tell : function
        Is given `Opened`, `Gone` and `Back`.
    rest : function
        Waits while nothing sounds, see `IdleTimer`; the stand-in asks it before a block, and a device has to be fed.
    """

    def __init__(
        self,
        wanted: str,
        rate: float,
        frames: int,
        render: Render,
        late: Late,
        tell: Callable[[object], None],
        rest: Pause = lambda: 0.0,
    ) -> None:
        self.wanted, self.rate, self.frames = wanted, rate, frames
        self._render, self._late, self._tell, self._rest = render, late, tell, rest
        self._running, self._lost = True, ""
        self.real_time: RealTime | None = None
        """Asks the system that what makes sound goes first, where this process does nothing else."""
        self._said: Opened | None = None
        self._wait = LOOK
        self._changing = threading.Lock()
        self.now: SimulatedOutput | PortAudioOutput = self._stand_in()

    def _stand_in(self) -> SimulatedOutput:
        return SimulatedOutput(self.rate, self.frames, self._block, self._late, self._rest)

    def _block(self) -> NDArray[np.float32]:
        """The next block; the thread that asks for its first one may go first from then on."""
        if self.real_time is not None and (found := self.real_time.asked()) is not None:
            self._tell(found)
        return self._render()

    def devices(self) -> list[Device]:
        """Every output there is; the system is asked anew where no device is open, which it would close."""
        with self._changing:
            return list_devices(anew=isinstance(self.now, SimulatedOutput))

    def _wanted_of(self, devices: list[Device]) -> Device | None:
        return next((one for one in devices if one.real and self.wanted in ("default", one.id)), None)

    def _open(self, gone: bool) -> None:
        """Opens the wanted device, or the stand-in with a word of why; says so where it is another than before.

        One that has just `gone` is not asked: it may still stand in the list, and go again as soon as it opens.
        """
        said, device = "", None
        if self.wanted != SIMULATED:
            device = None if gone else self._wanted_of(list_devices())
            said = "no audio device" if self.wanted == "default" else f"{self.wanted} is not there"
            said = f"{self._lost} is gone" if gone else said
        if device is not None:
            try:
                self.now = PortAudioOutput(device, self.rate, self.frames, self._block, self._late)
                said = ""
            except NoDevice as wrong:
                said, device = str(wrong), None
        if device is None:
            self.now = self._stand_in()
            device = Device(SIMULATED, "Simulated output", False)
        opened = Opened(device.id, device.name, self.rate, self.frames, said)
        if opened != self._said:
            self._tell(opened)
            self._said = opened
        if device.real and self._lost:
            self._tell(Back(device.name))
            self._lost = ""

    def run(self) -> None:
        """Plays until `close`: what sounds goes on while the device is another."""
        gone = False
        while self._running:
            with self._changing:
                self._open(gone)
            begun = time.monotonic()
            looking = threading.Event()
            if isinstance(self.now, SimulatedOutput) and self.wanted != SIMULATED:
                threading.Thread(target=self._look, args=(self.now, looking), daemon=True).start()
            self.now.run()
            looking.set()
            if time.monotonic() - begun > STEADY and isinstance(self.now, PortAudioOutput):
                self._wait = LOOK
            if gone := isinstance(self.now, PortAudioOutput) and self.now.lost:
                self._lost = self.now.device.name
                self._tell(Gone(self._lost))

    def _look(self, stand_in: SimulatedOutput, enough: threading.Event) -> None:
        """Looks for the wanted device from time to time, beside the sound; ends the stand-in once it is there."""
        while not enough.wait(self._wait):
            self._wait = min(self._wait * SLOWER, SELDOM)
            if self._wanted_of(self.devices()) is not None:
                stand_in.close()
                return

    def close(self) -> None:
        """Ends `run`."""
        self._running = False
        self.now.close()

    def keep(self) -> None:
        """The stand-in begins to keep what it plays; a real device keeps nothing."""
        if isinstance(self.now, SimulatedOutput):
            self.now.keep()

    def write(self, path: Path) -> bool:
        """Writes what was kept as a WAV file; False where nothing can be."""
        if isinstance(self.now, SimulatedOutput):
            self.now.write(path)
            return True
        return False
