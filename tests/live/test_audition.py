"""What is listened to beside the patch: in tune, levelled or as it is, whole where it has an end, without clicks."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import soundfile

from felt_dial.live.engine.audition import LONGEST, LONGEST_PART, Audition, for_hearing

RATE = 48000.0


def written(folder: Path, seconds: float, level: float = 0.1, rate: int = 48000, channels: int = 1) -> Path:
    """A tone of 1 kHz as a file."""
    tone = level * np.sin(2 * np.pi * 1000 * np.arange(int(seconds * rate)) / rate)
    path = folder / f"{seconds} {level} {rate} {channels}.wav"
    soundfile.write(path, np.tile(tone[:, None], (1, channels)).astype(np.float32), rate, subtype="FLOAT")
    return path


@pytest.mark.parametrize("channels", [1, 2])
@pytest.mark.parametrize("rate", [8000, 44100, 48000, 96000])
def test_it_is_in_tune_at_every_rate(rate: int, channels: int, tmp_path: Path) -> None:
    sound = for_hearing(written(tmp_path, 1.0, rate=rate, channels=channels), RATE)
    assert sound.shape[0] == 2 and sound.shape[1] == pytest.approx(RATE, abs=4)
    for side in sound:
        assert np.abs(np.fft.rfft(side[4800:43200])).argmax() * RATE / 38400 == pytest.approx(1000.0, abs=1.3)


def test_levelled_ones_are_equally_loud_and_others_as_loud_as_they_are(tmp_path: Path) -> None:
    def level(sound: np.ndarray) -> float:
        return float(np.sqrt(2 * np.square(sound[0, 9600:38400]).mean()))

    quiet, loud, over = (written(tmp_path, 1.0, part) for part in (0.01, 0.5, 4.0))
    levelled = [level(for_hearing(path, RATE)) for path in (quiet, loud, over)]
    assert levelled == pytest.approx([levelled[0]] * 3, rel=0.01)
    plain = [level(for_hearing(path, RATE, levelled=False)) for path in (quiet, loud, over)]
    assert plain == pytest.approx([0.01, 0.5, 1.0], rel=0.01), "what is over full scale comes down to it"


def test_a_part_with_an_end_is_heard_whole_and_what_has_none_fades(tmp_path: Path) -> None:
    path = written(tmp_path, 40.0)
    assert for_hearing(path, RATE).shape[1] == LONGEST * RATE
    part = for_hearing(path, RATE, 2.0, 26.0)
    assert part.shape[1] == 24 * RATE
    assert for_hearing(path, RATE, 0.0, 40.0).shape[1] == LONGEST_PART * RATE
    for sound in (part, for_hearing(path, RATE)):
        assert abs(sound[0, -1]) < 1e-3 * np.abs(sound).max()


def test_what_goes_round_has_no_seam_of_its_own(tmp_path: Path) -> None:
    sound = for_hearing(written(tmp_path, 3.0), RATE, 1.0, 1.5, loops=True)
    audition = Audition()
    audition.begin(sound, loops=True)
    out = np.zeros((2, 480 * 200), np.float32)
    for at in range(0, out.shape[1], 480):
        audition.add_to(out[:, at : at + 480])
    steps = np.abs(np.diff(out[0, 960:]))
    assert steps.max() == pytest.approx(steps[:20000].max(), rel=0.02), "500 periods of the tone: round without a step"


def test_another_one_takes_over_within_a_block_and_an_empty_one_ends_it(tmp_path: Path) -> None:
    audition = Audition()
    audition.begin(for_hearing(written(tmp_path, 3.0), RATE), False)
    block = np.zeros((2, 480), np.float32)
    for _ in range(4):
        block[:] = 0.0
        audition.add_to(block)
    assert audition.sounding and np.abs(block).max() > 0.05
    audition.begin(np.zeros((2, 0), np.float32))
    block[:] = 0.0
    audition.add_to(block)
    assert np.abs(block[:, -8:]).max() < 0.02 and not audition.sounding
    block[:] = 0.0
    audition.add_to(block)
    assert not block.any()
