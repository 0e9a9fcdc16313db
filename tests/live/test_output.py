"""What the engine plays on while devices come and go: a sound system made for the test stands in for PortAudio."""

from __future__ import annotations

import sys
import threading
import time
from collections.abc import Callable, Iterator
from typing import Any

import numpy as np
import pytest

from felt_dial.live.engine import output
from felt_dial.live.engine.devices import SIMULATED, SimulatedOutput, list_devices
from felt_dial.live.engine.output import Output
from felt_dial.live.link.messages import Back, Gone, Opened
from tests.live.conftest import until

SPEAKER = "Speaker · Made up"


class SoundSystem:
    """As much of `sounddevice` as is used, with devices that can be pulled out and plugged in."""

    class PortAudioError(Exception):
        """What it raises."""

    def __init__(self) -> None:
        self.plugged = ["Other", "Speaker"]
        self.known: list[str] = []
        self.busy: set[str] = set()
        self.dies = False
        self.streams: list[Any] = []
        self.looks = 0
        system = self

        class OutputStream:
            """Asks for blocks as long as its device is plugged in, and no list was asked for anew."""

            def __init__(self, device: int, blocksize: int, callback: Callable[..., None], **_: object) -> None:
                self.name, self.active = system.known[device], False
                if self.name in system.busy or self.name not in system.plugged:
                    raise system.PortAudioError("busy")
                self.callback, self.frames, self.asks = callback, blocksize, True
                system.streams.append(self)

            def start(self) -> None:
                self.active = True
                threading.Thread(target=self._play, daemon=True).start()

            def _play(self) -> None:
                out, status = np.zeros((self.frames, 2), np.float32), type("Status", (), {"output_underflow": False})
                while self.active and self.name in system.plugged and not system.dies:
                    if self.asks:
                        self.callback(out, self.frames, None, status)
                    time.sleep(0.002)
                self.active = False

            def abort(self) -> None:
                self.active = False

            close = abort

        self.OutputStream = OutputStream
        self._initialize()

    @property
    def default(self) -> Any:
        """The number of its own output."""
        named = self.known.index("Speaker") if "Speaker" in self.known else -1
        return type("Default", (), {"device": (-1, named)})

    def _terminate(self) -> None:
        assert not any(stream.active for stream in self.streams), "a list asked for anew ends what plays"

    def _initialize(self) -> None:
        self.known, self.looks = list(self.plugged), self.looks + 1

    def query_hostapis(self) -> list[dict[str, str]]:
        """One."""
        return [{"name": "Made up"}]

    def query_devices(self) -> list[dict[str, object]]:
        """What was plugged in when it was asked."""
        return [{"name": name, "hostapi": 0, "max_output_channels": 2} for name in self.known]


class Playing:
    """An output that runs, and what it said."""

    def __init__(self, wanted: str) -> None:
        self.said: list[object] = []
        self.blocks = 0
        self.output = Output(wanted, 48000, 256, self._block, lambda seconds: None, self.said.append)
        self.thread = threading.Thread(target=self.output.run, daemon=True)
        self.thread.start()

    def _block(self) -> np.ndarray:
        self.blocks += 1
        return np.zeros((2, 256), np.float32)

    def heard(self, count: int) -> bool:
        """Waits until so much was said."""
        return until(lambda: len(self.said) >= count, 10)

    def sounds(self) -> bool:
        """Whether blocks are asked for."""
        before = self.blocks
        return until(lambda: self.blocks > before + 5, 10)


@pytest.fixture
def system(monkeypatch: pytest.MonkeyPatch) -> SoundSystem:
    made = SoundSystem()
    monkeypatch.setitem(sys.modules, "sounddevice", made)
    monkeypatch.setattr(output, "LOOK", 0.05)
    return made


@pytest.fixture
def playing(system: SoundSystem) -> Iterator[Playing]:
    made = Playing("default")
    assert made.heard(1)
    yield made
    made.output.close()
    made.thread.join(5)


def test_a_device_that_goes_is_told_played_without_and_gone_back_to(system: SoundSystem, playing: Playing) -> None:
    assert isinstance(playing.said[0], Opened) and playing.said[0].name == SPEAKER and playing.sounds()
    system.plugged = []
    assert playing.heard(3) and playing.sounds()
    gone, stand_in = playing.said[1:]
    assert gone == Gone(SPEAKER) and isinstance(stand_in, Opened) and stand_in.device == SIMULATED and stand_in.said
    looks = system.looks
    assert until(lambda: system.looks > looks + 3, 10) and len(playing.said) == 3, "it is said once"
    system.plugged = ["One more", "Other", "Speaker"]
    assert playing.heard(5) and playing.sounds()
    opened, back = playing.said[3:]
    assert isinstance(opened, Opened) and (opened.name, opened.said) == (SPEAKER, "") and back == Back(SPEAKER)
    assert system.streams[-1].name == "Speaker", "by its name: its number is another now"


def test_one_that_asks_for_nothing_more_counts_as_gone(
    system: SoundSystem, playing: Playing, monkeypatch: pytest.MonkeyPatch
) -> None:
    from felt_dial.live.engine import devices

    monkeypatch.setattr(devices, "STARTING", 0.2)
    monkeypatch.setattr(devices, "SILENT", 0.2)
    time.sleep(0.3)
    system.streams[-1].asks = False
    assert playing.heard(3) and playing.said[1] == Gone(SPEAKER)
    assert playing.heard(5) and playing.said[4] == Back(SPEAKER) and playing.sounds(), "it is there and opens"


def test_one_that_goes_as_soon_as_it_opens_is_let_be_for_longer_and_longer(
    system: SoundSystem, playing: Playing
) -> None:
    system.dies = True
    system.streams[-1].active = False
    assert playing.heard(3)
    time.sleep(1.0)
    assert 2 <= sum(isinstance(said, Gone) for said in playing.said) < 9 and playing.sounds()
    system.dies = False
    assert until(lambda: playing.said[-1] == Back(SPEAKER), 10) and playing.sounds()


def test_a_first_device_is_taken_once_it_is_plugged_in(system: SoundSystem) -> None:
    system.plugged = []
    system._initialize()
    made = Playing("default")
    assert made.heard(1) and isinstance(made.said[0], Opened) and made.said[0].said == "no audio device"
    assert made.sounds()
    system.plugged = ["Speaker"]
    assert made.heard(2) and made.sounds()
    assert isinstance(made.said[1], Opened) and made.said[1].name == SPEAKER and len(made.said) == 2
    made.output.close()


def test_one_that_does_not_open_is_said_once_and_tried_more_seldom(system: SoundSystem) -> None:
    system.busy = {"Other"}
    made = Playing("Other · Made up")
    assert made.heard(1) and isinstance(made.said[0], Opened)
    assert made.said[0].device == SIMULATED and "does not open at 48000 Hz" in made.said[0].said
    time.sleep(0.5)
    assert len(made.said) == 1 and made.output._wait > 0.05
    system.busy = set()
    assert made.heard(2) and isinstance(made.said[1], Opened) and made.said[1].name == "Other · Made up"
    made.output.close()


def test_the_list_is_asked_anew_only_while_no_device_plays(system: SoundSystem, playing: Playing) -> None:
    looks = system.looks
    assert [device.name for device in playing.output.devices()] == [SPEAKER, "Other · Made up", "Simulated output"]
    assert system.looks == looks and playing.sounds()
    alone = Output(SIMULATED, 48000, 256, playing._block, lambda seconds: None, lambda message: None)
    assert isinstance(alone.now, SimulatedOutput)
    playing.output.close()
    playing.thread.join(5)
    system.plugged = ["Fresh"]
    assert [device.name for device in alone.devices()] == ["Fresh · Made up", "Simulated output"]
    assert system.looks == looks + 1
    assert [device.id for device in list_devices()] == ["Fresh · Made up", SIMULATED]
