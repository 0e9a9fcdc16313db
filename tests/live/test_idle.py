"""Sleep: blocks in which nothing sounds are not computed, and nobody can hear or see a difference."""

from __future__ import annotations

import threading
import time
from pathlib import Path

import numpy as np
import pytest
from numpy.typing import NDArray

from felt_dial.live.engine import devices, idle
from felt_dial.live.engine.devices import SimulatedOutput
from felt_dial.live.engine.engine import Engine
from felt_dial.live.engine.note_recorder import NoteRecorder
from felt_dial.live.link.messages import MeasureAnew, PlayPhrase, SetMonitor, WakeUp
from felt_dial.live.midi.controller import SimulatedController
from felt_dial.patch.documents.patch import read_patch
from felt_dial.patch.edits import add_effect, add_layer, add_modulator, sew
from felt_dial.patch.module import Effect, Modulator
from felt_dial.patch.patch import with_value
from felt_dial.sound.engine.program import Program
from felt_dial.sound.modules import new_layer, new_patch
from felt_dial.sound.playing.events import OFF, ON, Event
from felt_dial.sound.playing.phrases import PHRASES
from tests.live.conftest import engine

BANKS = Path(__file__).parents[2] / "felt_dial" / "data" / "banks"


def until_asleep(made: Engine, most: int = 6000) -> int:
    for n in range(most):
        made.block()
        if made.sleep:
            return n
    raise AssertionError("it does not fall asleep")


def heard(made: Engine, count: int) -> NDArray[np.float32]:
    return np.concatenate([made.block().copy() for _ in range(count)], axis=1)


@pytest.mark.parametrize("name", ["dew-pluck", "canopy-strings", "compost-kick"])
def test_a_note_after_sleep_sounds_as_one_after_silence(name: str, monkeypatch: pytest.MonkeyPatch) -> None:
    patch = read_patch(next(BANKS.glob(f"*/presets/{name}.json")).read_bytes(), name)
    sounds = []
    for sleeps in (True, False):
        if not sleeps:
            monkeypatch.setattr(idle, "FALLS_ASLEEP", 1e9)
        made = engine(patch)
        for _ in range(3000):
            made.block()
        assert bool(made.sleep) == sleeps
        made.shared.send(Event(0, ON, 57, 0.7))
        sounds.append(heard(made, 60))
    assert np.abs(sounds[0]).max() > 0.01
    if name == "compost-kick":
        assert np.array_equal(*sounds)
    else:  # an echo or a chorus sways by itself, and stood still meanwhile
        powers = [float(np.square(sound).mean()) for sound in sounds]
        assert 10 * np.log10(powers[0] / powers[1]) == pytest.approx(0.0, abs=1.0)


def test_a_tail_is_heard_to_its_end() -> None:
    """A room of 3 s falls by 120 dB in 6 s: it is computed until then, and after another 4 s no more."""
    patch, _ = add_effect(new_patch(), "1", Effect.kinds["reverb"](decay=3.0, wet=0.6))
    made = engine(patch)
    made.shared.send(Event(0, ON, 57, 1.0))
    heard(made, 20)
    made.shared.send(Event(0, OFF, 57))
    sound = []
    while not made.sleep:
        sound.append(float(np.abs(made.block()).max()))
    loud = np.flatnonzero(np.array(sound) > 1e-6)
    seconds = 256 / 48000
    assert 4.0 < loud[-1] * seconds < 9.0 and len(sound) - loud[-1] == pytest.approx(4.0 / seconds, abs=3)
    assert np.abs(heard(made, 50)).max() == 0.0


def test_what_is_asked_for_wakes() -> None:
    """A dial is seen to move, a phrase plays, another program comes: each at the next block."""
    made = engine(new_patch())
    until_asleep(made)
    made.program.values[made.program.at["layers.a.level"]] = -3.0
    made.block()
    assert not made.sleep
    until_asleep(made)
    made.hear(PlayPhrase(PHRASES["held"], True))
    assert np.abs(heard(made, 10)).max() > 0.01 and not made.sleep
    made = engine(new_patch())
    until_asleep(made)
    made.hear(MeasureAnew())
    made.block()
    assert not made.sleep
    until_asleep(made)
    made.ready = (Program(new_patch(), 48000, 256), 1, True)
    made.block()
    assert not made.sleep


def test_a_patch_whose_pictures_move_by_themselves_stays_awake() -> None:
    patch, key = add_modulator(new_patch(), Modulator.kinds["lfo"](start="free"))
    made = engine(sew(patch, key, "layers.a.pan", 0.5)[0])
    for _ in range(1500):
        made.block()
    assert not made.sleep


def test_a_freeze_that_sounds_stays_awake() -> None:
    patch, key = add_effect(new_patch(), "1", Effect.kinds["reverb"](wet=1.0))
    made = engine(patch)
    made.shared.send(Event(0, ON, 57, 1.0))
    heard(made, 40)
    made.program.values[made.program.at[f"racks.1.{key}.freeze"]] = 1.0
    made.shared.send(Event(0, OFF, 57))
    for _ in range(1500):
        made.block()
    assert not made.sleep


@pytest.mark.parametrize("second", ["rack", "out"])
def test_dry_is_the_sound_without_its_effects_whatever_the_ways(second: str) -> None:
    """Through rack 1, through rack 2 (into rack 1, or out), and direct; in and out of it without a step."""
    plain = new_patch()
    for where in ("rack2", "direct"):
        plain, key = add_layer(plain, new_layer())
        plain = with_value(plain, f"layers.{key}.out", where)
    plain = with_value(plain, "rack2", second)
    worked = add_effect(add_effect(plain, "1", Effect.kinds["drive"]())[0], "2", Effect.kinds["trim"](level=-18.0))[0]
    sounds = {}
    for name, patch in (("plain", plain), ("dry", worked), ("wet", worked)):
        made = engine(patch)
        made.monitor.limits, made.monitor.dry = False, name == "dry"
        made.shared.send(Event(0, ON, 57, 0.7))
        sounds[name] = heard(made, 60)
    away = [
        np.abs(sounds["dry"][:, n + 512 :] - sounds["plain"][:, 512 : sounds["plain"].shape[1] - n]) for n in range(80)
    ]
    assert min(float(difference.max()) for difference in away) < 1e-5, "the same, as late as the racks are"
    assert np.abs(sounds["wet"] - sounds["plain"]).max() > 0.05
    made = engine(worked)
    made.monitor.limits = False
    made.shared.send(Event(0, ON, 57, 0.7))
    parts = [heard(made, 60)]
    for dry in (True, False):
        made.hear(SetMonitor("dry", dry))
        parts.append(heard(made, 40))
    slopes = [np.abs(np.diff(part, axis=1)).max() for part in parts]
    assert slopes[1] < 1.6 * max(slopes[0], np.abs(np.diff(sounds["plain"], axis=1)).max()), "it comes without a step"


def test_an_engine_that_sleeps_rests_and_wakes_for_a_note_at_once(monkeypatch: pytest.MonkeyPatch) -> None:
    """A note is put into the ring, and the window tells of it where it sees that the engine rests: no note waits for the end."""
    made = engine(new_patch())
    assert made.rest() == 0.0, "it is awake"
    until_asleep(made)
    before = made.blocks
    assert made.rest() > 0.8 * idle.RESTS and made.blocks > before and not made.shared.data["resting"]
    monkeypatch.setattr(idle, "RESTS", 60.0)
    rests = threading.Thread(target=made.rest, daemon=True)
    rests.start()
    while not made.shared.data["resting"]:
        time.sleep(0.001)
    made.shared.send(Event(0, ON, 57, 0.7))
    made.hear(WakeUp())
    rests.join(30)
    assert not rests.is_alive()
    assert np.abs(heard(made, 10)).max() > 0.01 and made.rest() == 0.0


@pytest.mark.parametrize("why", ["note", "message", "patch", "take", "recording", "controller", "clock"])
def test_whatever_is_asked_for_is_not_kept_waiting(why: str, monkeypatch: pytest.MonkeyPatch) -> None:
    made = engine(new_patch())
    until_asleep(made)
    monkeypatch.setattr(idle, "RESTS", 60.0)
    if why == "note":
        made.shared.send(Event(0, ON, 57, 0.7))
    elif why == "message":
        made.hear(MeasureAnew())
    elif why == "patch":
        made.ready = (Program(new_patch(), 48000, 256), 1, True)
    elif why == "take":
        made.taking = NoteRecorder(48000.0, 0.0, False)
    elif why == "recording":
        made.audition.begin(np.ones((2, 4800), np.float32))
    elif why == "controller":
        made.input.controller = SimulatedController()
        made.input.controller.perform(True)
    else:
        made.input.clock.tempo = 120.0
    assert made.rest() < 30.0


class PlayerState:
    """A clock that only moves where somebody waits."""

    def __init__(self) -> None:
        self.now = 0.0

    def perf_counter(self) -> float:
        return self.now

    def sleep(self, seconds: float) -> None:
        self.now += seconds


def test_the_simulated_output_goes_on_in_time_after_a_rest(monkeypatch: pytest.MonkeyPatch) -> None:
    """No block counts as late because there was none for a while, and they come in real time again."""
    late: list[float] = []
    clock, rests, times = PlayerState(), [0.05, 0.3, 0.12], []
    monkeypatch.setattr(devices, "time", clock)

    def block() -> NDArray[np.float32]:
        times.append(clock.now)
        if len(times) == 40:
            output.close()
        return np.zeros((2, 480), np.float32)

    def rest() -> float:
        if len(times) % 10 or not rests:
            return 0.0
        clock.sleep(rests[-1])
        return rests.pop()

    output = SimulatedOutput(48000, 480, block, late.append, rest)
    output.run()
    assert not rests and not late
    steps = np.diff(times)
    assert sorted(steps)[:-3] == pytest.approx([0.01] * 36) and sum(steps) == pytest.approx(39 * 0.01 + 0.47)
