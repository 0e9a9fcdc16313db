"""Recording from the simulated microphone: at once, after a count, or once something is loud; with what was just before."""

from __future__ import annotations

import time

import numpy as np
import pytest

from felt_dial.live.engine.recorder import BLOCK, LONGEST, RATE, Input, NoInput, Recorder, list_inputs, scene, trimmed
from tests.live.conftest import until


def test_the_simulated_microphone_is_always_there_and_hears_a_made_scene() -> None:
    assert list_inputs()[0] == Input("simulated", "Simulated microphone")
    sound = scene()
    assert sound.shape[0] == 1 and np.array_equal(sound, scene()) and 0.1 < np.abs(sound).max() < 1.0


def fed(recorder: Recorder, sound: np.ndarray) -> None:
    """Gives a recorder a sound as an input does."""
    for at in range(0, sound.shape[1] - BLOCK + 1, BLOCK):
        recorder._feed(sound[:, at : at + BLOCK])


def listening() -> Recorder:
    made = Recorder()
    made.state = "idle"
    return made


def test_what_was_just_before_is_kept_too() -> None:
    recorder, ramp = listening(), np.arange(4 * RATE, dtype=np.float32)[None] / (8 * RATE)
    fed(recorder, ramp[:, : 2 * RATE])
    recorder.begin(before=0.5)
    fed(recorder, ramp[:, 2 * RATE :])
    sound = recorder.stop()
    assert np.array_equal(sound, ramp[:, 2 * RATE - RATE // 2 :]) and recorder.state == "idle"


def test_a_threshold_waits_and_a_count_in_counts() -> None:
    quiet, loud = np.full((1, RATE), 0.001, np.float32), np.full((1, RATE), 0.3, np.float32)
    recorder = listening()
    recorder.begin(threshold_db=-20.0, before=0.0)
    fed(recorder, quiet)
    assert recorder.state == "wait" and recorder.seconds == 0.0
    fed(recorder, loud)
    assert recorder.state == "on" and recorder.seconds == pytest.approx(1.0, abs=0.02)
    assert recorder.level() == pytest.approx(0.3) and recorder.level() == 0.0
    recorder.stop()
    recorder.begin(count_in=0.5, before=0.0)
    fed(recorder, loud[:, : RATE // 4])
    assert recorder.state == "count"
    fed(recorder, loud)
    assert recorder.seconds == pytest.approx(0.75, abs=0.02)


def test_after_ten_minutes_it_keeps_no_more_and_what_it_has_can_be_loaded() -> None:
    recorder = listening()
    minute = np.full((1, 60 * RATE), 0.1, np.float32)
    fed(recorder, minute[:, :RATE])
    recorder.begin(before=0.5)
    for _ in range(11):
        fed(recorder, minute)
    assert recorder.state == "full" and recorder.seconds == pytest.approx(LONGEST, abs=0.02)
    sound = recorder.stop()
    assert LONGEST * RATE - BLOCK <= sound.shape[1] <= LONGEST * RATE and recorder.state == "idle"


def test_silence_around_a_take_is_trimmed_and_what_is_heard_stays() -> None:
    take = np.zeros((1, 3 * RATE), np.float32)
    take[:, RATE : RATE + 9600] = 0.5
    made = trimmed(take)
    assert made.shape[1] == pytest.approx(9600 + 0.11 * RATE, abs=2) and np.abs(made).max() == 0.5
    assert np.array_equal(trimmed(np.zeros((1, 100), np.float32)), np.zeros((1, 100), np.float32))


def test_it_listens_as_fast_as_time_goes_and_ends() -> None:
    recorder = Recorder()
    with pytest.raises(NoInput):
        recorder.begin()
    recorder.open()
    assert until(lambda: recorder.level() > 0.0)
    begin = time.monotonic()
    recorder.begin(before=0.0)
    assert until(lambda: recorder.seconds >= 1.0)
    assert time.monotonic() - begin > 0.5, "it may have had something to catch up with"
    assert recorder.stop().shape[1] >= RATE
    recorder.close()
    assert recorder.state == "off"
    with pytest.raises(NoInput):
        recorder.open("9999")
