"""What is said of sounds and recordings: how they differ, what changed, what a look into a file finds."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import soundfile

from felt_dial.bank.finding.compare import changed_modules
from felt_dial.bank.finding.matter import look_at
from felt_dial.bank.measuring.features import AXES, BANDS, Features, distance, lacks, reason, steps, vector
from felt_dial.patch.edits import add_modulator, set_thread, sew
from felt_dial.patch.module import Modulator
from felt_dial.patch.patch import with_value
from felt_dial.sound.modules import new_patch

SHAPE = np.linspace(-20.0, 0.0, BANDS)
PLAIN = Features(3.0, 0.1, 1.0, 0.3, 2.0, 0.2, SHAPE)


def moved(axis: str, much: float) -> Features:
    """A sound that lies so many scales of an axis from the plain one."""
    scale = AXES[axis][2]
    value = float(getattr(PLAIN, axis))
    value = value * 10 ** (much * scale) if axis in ("attack", "length") else value + much * scale
    return PLAIN._replace(**{axis: value})


@pytest.mark.parametrize("axis", list(AXES))
def test_each_axis_counts_by_its_scale_and_is_named(axis: str) -> None:
    """One scale along one axis of six is √(1 / 6) apart, and has the word of its side."""
    for much in (1.0, -1.0):
        other = moved(axis, much)
        assert steps(PLAIN, other)[axis] == pytest.approx(much)
        assert distance(PLAIN, other) == pytest.approx(np.sqrt(1 / len(AXES)))
        assert np.linalg.norm(vector(PLAIN) - vector(other)) == pytest.approx(np.sqrt(1 / len(AXES)))
        word = AXES[axis][0 if much > 0 else 1]
        assert word in reason(PLAIN, other).split(", ")
        assert lacks(other, PLAIN) == word
    assert distance(PLAIN, moved(axis, 40.0)) == 3.0, "never over 3"


def test_what_stayed_is_said_first_and_the_two_farthest_after() -> None:
    assert reason(PLAIN, PLAIN) == "same attack" and lacks(PLAIN, PLAIN) == ""
    assert reason(PLAIN, moved("attack", 1.0)).startswith("same length, ")
    both = moved("attack", 1.0)._replace(length=moved("length", 1.0).length)
    assert reason(PLAIN, both).startswith("same brightness, ")
    three = both._replace(bright=moved("bright", 1.0).bright)
    assert reason(PLAIN, three).startswith("same grain, ")
    four = three._replace(noise=moved("noise", 1.2).noise)
    words = reason(PLAIN, four).split(", ")
    assert len(words) == 2 and words[0] == AXES["noise"][0], "the farthest first"
    assert len(lacks(four, PLAIN).split(", ")) == 3


def test_threads_are_no_modules_that_changed() -> None:
    patch, mover = add_modulator(new_patch(), Modulator.kinds["lfo"]())
    patch, thread = sew(patch, mover, "layers.a.filter.cutoff", 12.0)
    other = set_thread(patch, thread, depth=5.0)
    other = with_value(with_value(other, f"modulators.{mover}.rate", 9.0), "layers.a.filter.cutoff", 900.0)
    other = with_value(other, "layers.a.level", -3.0)
    assert set(changed_modules(patch, other)) == {f"modulators.{mover}", "layers.a.filter"}
    assert changed_modules(patch, patch) == {}


def test_a_look_into_a_file_has_its_outline(tmp_path: Path) -> None:
    """A rise from −1 to 1: the lowest and the highest of each column, of 127."""
    soundfile.write(tmp_path / "rise.wav", np.linspace(-0.5, 0.5, 48000, dtype=np.float32), 48000, subtype="FLOAT")
    (found,) = look_at([str(tmp_path / "rise.wav")])
    low, high = np.frombuffer(found.peaks, np.int8).reshape(2, -1).astype(float)
    wide = len(low)
    exact = 127 * (2 * np.arange(wide + 1) / wide - 1)
    assert np.abs(low - exact[:-1]).max() <= 1.0 and np.abs(high - exact[1:]).max() <= 1.0
    assert (found.frames, found.rate, found.channels) == (48000, 48000.0, 1)
