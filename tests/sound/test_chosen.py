"""The sound depends on the patch and the notes alone: not on where in a block a note falls, or on the order in a file.

All bounds are definitions, set by us, unless a source is named.
"""

from __future__ import annotations

from itertools import pairwise, permutations

import numpy as np
import pytest
from numpy.typing import NDArray
from scipy import signal

from felt_dial.bank.library.places import shipped_banks
from felt_dial.live.engine.player import Player
from felt_dial.patch.documents.patch import read_patch
from felt_dial.patch.edits import add_modulator, sew
from felt_dial.patch.patch import Patch
from felt_dial.patch.phrase import Beat, Note, Phrase
from felt_dial.patch.shaping import Shaper
from felt_dial.sound.modules import Modulator
from felt_dial.sound.playing.events import OFF, ON, Event, in_order
from felt_dial.sound.render import note_events, render
from tests.sound.listening import decibels, plain
from tests.sound.test_effects import through

WAYS = list(Shaper.choice_of("way").options)
FALLS = {
    "modulators__e1__decay": 0.25, "modulators__e1__sustain": 0.0, "modulators__e1__release": 0.02,
    "layers__a__drive__on": True, "layers__a__drive__amount": 18.0,
}  # fmt: skip


def kick(way: str = "soft", shape: str = "sine") -> Patch:
    """A sine that falls onto its note, driven hard."""
    patch = plain(layers__a__source__shape=shape, layers__a__drive__way=way, **FALLS)
    patch, key = add_modulator(patch, Modulator.kinds["envelope"](attack=0.0, decay=0.06, sustain=0.0))
    return sew(patch, key, "layers.a.pitch", 24.0)[0]


def hits(patch: Patch, tempo: float, key: int = 36, rate: int = 48000, **how: int) -> NDArray[np.float64]:
    """Peaks in dB of sixteen eighths that are struck alike."""
    step = 30.0 / tempo
    sound = render(patch, [Note(n * step, 0.1, key) for n in range(16)], 16 * step, rate=rate, **how)[0]
    places = [int(n * step * rate) for n in range(17)]
    return np.array([decibels(float(np.abs(sound[a:b]).max())) for a, b in pairwise(places)])


@pytest.mark.parametrize("way", WAYS)
def test_equal_hits_are_equally_loud_through_every_drive(way: str) -> None:
    """Wherever in a block each begins: within 0.1 dB, the first as the sixteenth."""
    for tempo in (120.0, 128.0, 174.0):
        assert np.ptp(hits(kick(way), tempo)) < 0.1, tempo


@pytest.mark.parametrize("shape", ["sine", "saw", "pulse"])
def test_they_are_so_in_every_block_at_every_rate_and_quality(shape: str) -> None:
    patch = kick(shape=shape)
    for rate in (44100, 96000):
        for quality in (1, 4):
            found = [hits(patch, 128.0, rate=rate, quality=quality, block=block) for block in (32, 240, 1024)]
            assert np.ptp(np.concatenate(found)) < 0.1, (rate, quality)


@pytest.mark.parametrize("block", [64, 256, 1024])
@pytest.mark.parametrize("kept", [True, False])
def test_a_note_after_silence_is_driven_from_its_first_frame_on(block: int, kept: bool) -> None:
    """The third harmonic of a driven sine is there in its first cycle, and its first millisecond as loud as any other."""
    words = {"layers__a__drive__on": True, "layers__a__drive__amount": 18.0, "layers__a__drive__kept": kept}
    patch = plain(layers__a__source__shape="sine", **words)
    sound = render(patch, [Note(0.1, 1.0, 69)], 1.0, block=block)[0].astype(np.float64)
    begin, cycle = int(np.flatnonzero(np.abs(sound) > 1e-4)[0]), 48000 / 440

    def third(first: float, cycles: int) -> float:
        at = np.arange(round(first), round(first + cycles * cycle))
        turns = [np.exp(-2j * np.pi * k * 440 * at / 48000) for k in (1, 3)]
        return decibels(abs((sound[at] * turns[1]).sum()) / abs((sound[at] * turns[0]).sum()))

    assert third(begin, 1) == pytest.approx(third(24000, 40), abs=0.6)
    power = np.convolve(sound**2, np.ones(round(cycle)) / cycle, "valid")
    assert decibels(power[begin] / power[24000]) / 2 == pytest.approx(0.0, abs=0.5)


@pytest.mark.parametrize("way", WAYS)
def test_nothing_stands_still_behind_a_curve(way: str) -> None:
    """However narrow a pulse and whatever the bias, what stands still is 60 dB below the sound."""
    for width in (0.1, 0.3, 0.5):
        for bias in (-0.4, 0.0, 0.4):
            words = {"source__shape": "pulse", "source__width": width, "drive__on": True, "drive__way": way}
            words |= {"drive__amount": 12.0, "drive__bias": bias}
            patch = plain(**{f"layers__a__{name}": value for name, value in words.items()})
            sound = render(patch, [Note(0.0, 3.0, 57)], 1.5)[0].astype(np.float64)[48000:]
            whole = sound[: 24000 // 2400 * 2400]  # eleven cycles of 220 Hz in 2400 frames
            stands, loud = abs(whole.mean()), float(np.sqrt((whole**2).mean()))
            assert decibels(stands / loud) < -60.0, (width, bias)


# --- the order in a file ------------------------------------------------------------------------


def test_notes_that_are_struck_together_have_one_order_live_and_rendered() -> None:
    chord = [Note(0.0, 1.0, key, 90) for key in (60, 52, 67)]
    orders = [note_events(order, 48000.0) for order in permutations(chord)]
    assert all(order == orders[0] for order in orders) and [event.key for event in orders[0]][:3] == [52, 60, 67]
    player = Player(48000.0)
    player.play(Phrase("a", "A", 4.0, tuple(Beat(0.0, 1.0 + n, key, 90) for n, key in enumerate((60, 52, 67)))), True)
    assert [event.key for event in player.block(256, 120.0)] == [52, 60, 67]
    mixed = [Event(5, ON, 60), Event(5, OFF, 72), Event(5, OFF, 48), Event(2, ON, 90)]
    assert in_order(mixed) == [mixed[3], mixed[2], mixed[1], mixed[0]]


def test_a_chord_sounds_the_same_in_whatever_order_it_is_written() -> None:
    path = next(path for bank in shipped_banks() for path in bank.glob("presets/canopy-strings.json"))
    patch = read_patch(path.read_bytes(), "it")
    keys = [48, 60, 55, 64]
    sounds = [render(patch, [Note(0.0, 1.0, key) for key in order], 1.2) for order in (keys, sorted(keys), keys[::-1])]
    assert all(np.array_equal(sound, sounds[0]) for sound in sounds)


# --- true peaks ---------------------------------------------------------------------------------

ANNEX_2 = np.array([
    (0.0017089843750, 0.0109863281250, -0.0196533203125, 0.0332031250000, -0.0594482421875, 0.1373291015625,
     0.9721679687500, -0.1022949218750, 0.0476074218750, -0.0266113281250, 0.0148925781250, -0.0083007812500),
    (-0.0291748046875, 0.0292968750000, -0.0517578125000, 0.0891113281250, -0.1665039062500, 0.4650878906250,
     0.7797851562500, -0.2003173828125, 0.1015625000000, -0.0582275390625, 0.0330810546875, -0.0189208984375),
])  # fmt: skip
"""Two phases of the filter of ITU-R BS.1770-4, annex 2 (from memory); the other two are these turned round."""


def true_peak(sound: NDArray[np.float32]) -> float:
    """dBTP at four times the rate."""
    phases = [*ANNEX_2, *ANNEX_2[:, ::-1]]
    return decibels(
        max(float(np.abs(np.convolve(side, phase)).max()) for side in sound.astype(float) for phase in phases)
    )


def test_true_peaks_stay_under_the_ceiling_of_a_limiter() -> None:
    """Saws, squares, noise and random sounds, soft to far too loud: ITU-R BS.1770-4, annex 2, to the hundredth of a dB."""
    t = np.arange(24000) / 48000
    sounds = [signal.sawtooth(2 * np.pi * f * t) for f in (55.0, 440.0, 1234.5)]
    sounds += [signal.square(2 * np.pi * f * t) for f in (110.0, 331.0)]
    for seed in range(60):
        rng = np.random.default_rng(seed)
        x = rng.normal(0.0, rng.uniform(0.1, 2.0), len(t)) * np.exp(rng.normal(0.0, 1.0, 24)).repeat(1000)
        b, a = signal.butter(2, rng.uniform(0.02, 0.95), str(rng.choice(["low", "high"])))
        sounds.append(signal.lfilter(b, a, x))
    for n, mono in enumerate(sounds):
        mono = mono * np.minimum(1.0, (len(t) - np.arange(len(t))) / 2000)
        both = np.stack([mono, 0.8 * np.roll(mono, 11)])
        out = through("limiter", both, ceiling=-1.0, gain=6.0 * (n % 4), release=(0.005, 0.05, 0.5)[n % 3])
        assert true_peak(out) <= -1.0, n
