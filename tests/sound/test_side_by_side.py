"""Voices that are worked on four at a time are as they would be alone, whenever they begin and however blocks are cut."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
import pytest
from numpy.typing import NDArray

from felt_dial.patch.module import Filter, Module
from felt_dial.patch.shaping import WAYS, Shaper
from felt_dial.sound.compiling.compile import still_control
from felt_dial.sound.compiling.compiled import arrays_of, kernel_of
from felt_dial.sound.compiling.kernel import Stage
from felt_dial.sound.modules import new_patch
from felt_dial.sound.sizes import TICK
from felt_dial.sound.tone.kernels.core.voices import Played
from tests.sound.plain import plain

Sound = NDArray[np.float32]
RATE, VOICES, FRAMES = 48000, 6, 256
assert new_patch(), "the modules are read"


def kinds() -> dict[str, Module]:
    """Every filter in every response, and every way of a drive, set so that they have something to do."""
    made: dict[str, Module] = {}
    for name, cls in Filter.kinds.items():
        plain = cls(on=True, resonance=0.6, drive=4.0)
        for choice in ("response", "character", "teeth", "side", "throat"):
            if choice in plain.params:
                for value in plain.params[choice].ids:
                    made[f"{name} {value}"] = plain.with_value(choice, value)
        made.setdefault(name, plain)
    for way in WAYS:
        made[f"drive {way}"] = Shaper(on=True, way=way, amount=12.0, bias=0.2, before=60.0, tone=9000.0, kept=False)
    return made


KINDS = kinds()


@dataclass
class Bench:
    """A module's kernel with dials and room of its own."""

    module: Module
    frames: int = FRAMES
    control: Sound = field(init=False)

    def __post_init__(self) -> None:
        self.stage = Stage(float(RATE), self.frames, VOICES)
        self.room = arrays_of(self.module, self.stage)
        self.control = still_control(self.module, VOICES, self.frames // TICK)
        ticks = self.frames // TICK + 1
        keys = np.array([40, 52, 57, 61, 64, 79], np.float32)[:, None]
        self.line = np.ascontiguousarray(np.broadcast_to(keys, (VOICES, ticks)))
        self.frequency = (440 * 2 ** ((self.line - 69) / 12)).astype(np.float32)

    def dial(self, name: str, values: NDArray[np.float64]) -> None:
        """A value for every voice, (voice,), or for every voice and tick, (voice, tick + 1)."""
        row = list(self.module.params).index(name)
        self.control[row] = values if values.ndim == 2 else values[:, None]

    def run(self, audio: Sound, rows: list[int], start: dict[int, int] | None = None, compiled: bool = True) -> Sound:
        begins = np.full(VOICES, -1, np.int32)
        for row, tick in (start or {}).items():
            begins[row] = tick
        where = np.array(rows, np.int32)
        played = Played(audio, self.control, self.line, self.frequency, where, begins, TICK, float(RATE))
        kernel = kernel_of(self.module)
        (kernel if compiled else plain(kernel))(*played, *self.room)
        return audio


def sound(blocks: int = 1, seed: int = 3) -> Sound:
    return np.random.default_rng(seed).uniform(-0.5, 0.5, (VOICES, 2, blocks * FRAMES)).astype(np.float32)


def spread_out(bench: Bench) -> None:
    """Another cutoff, resonance and drive for every voice."""
    params = bench.module.params
    for name, values in (
        ("cutoff", np.geomspace(120, 9000, VOICES)),
        ("resonance", np.linspace(0.1, 0.9, VOICES)),
        ("drive", np.linspace(0, 12, VOICES)),
        ("amount", np.linspace(0, 24, VOICES)),
        ("bias", np.linspace(-0.5, 0.5, VOICES)),
        ("vowel", np.linspace(0, 7, VOICES)),
    ):
        if name in params:
            bench.dial(name, values)


@pytest.mark.parametrize("kind", KINDS)
def test_a_voice_is_the_same_alone_and_among_five_others(kind: str) -> None:
    together, whole = Bench(KINDS[kind]), sound(3)
    spread_out(together)
    rows = [0, 1, 2, 3, 4, 5]
    heard = np.concatenate(
        [
            together.run(whole[..., n : n + FRAMES].copy(), rows, {k: 0 for k in rows} if n == 0 else None)
            for n in range(0, 3 * FRAMES, FRAMES)
        ],
        axis=2,
    )
    for row in rows:
        alone = Bench(KINDS[kind])
        spread_out(alone)
        single = np.concatenate(
            [
                alone.run(whole[..., n : n + FRAMES].copy(), [row], {row: 0} if n == 0 else None)
                for n in range(0, 3 * FRAMES, FRAMES)
            ],
            axis=2,
        )
        assert single[row] == pytest.approx(heard[row], abs=1e-6), row


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("moving", [False, True], ids=["still", "moving"])
def test_lanes_make_what_plain_numbers_make(kind: str, moving: bool) -> None:
    """The same kernel as plain Python over NumPy's numbers: one block of five voices, one of them beginning within it."""
    benches = Bench(KINDS[kind]), Bench(KINDS[kind])
    for bench in benches:
        spread_out(bench)
        if moving:
            for name in {"cutoff", "drive", "amount", "gain", "mix"} & set(bench.module.params):
                row = list(bench.module.params).index(name)
                bench.control[row] *= np.linspace(1.0, 0.6, bench.control.shape[2], dtype=np.float32)
    rows, begins = [5, 0, 3, 1, 2], {5: 0, 0: 0, 3: 4, 1: 0, 2: 0}
    lanes, numbers = (bench.run(sound(), rows, begins, bench is benches[0]) for bench in benches)
    assert lanes == pytest.approx(numbers, abs=2e-6)
    assert np.abs(lanes[rows] - sound()[rows]).max() > 1e-3, "and it does something"


@pytest.mark.parametrize("kind", KINDS)
def test_a_voice_that_begins_within_a_block_begins_as_any_other(kind: str) -> None:
    """The same sound 80 frames later comes out 80 frames later, whatever stood in the voice's row before."""
    at = 5 * TICK
    source = sound()
    soon = Bench(KINDS[kind]).run(source.copy(), [0, 1, 2, 3], dict.fromkeys(range(4), 0))
    late = Bench(KINDS[kind])
    late.run(sound(seed=8), [0, 1, 2, 3], dict.fromkeys(range(4), 0))
    delayed = np.zeros_like(source)
    delayed[..., at:] = source[..., :-at]
    heard = late.run(delayed.copy(), [0, 1, 2, 3], {1: 5, 2: 5})
    for row in (1, 2):
        assert heard[row, :, at:] == pytest.approx(soon[row, :, :-at], abs=1e-6)
        assert (heard[row, :, :at] == 0).all(), "and nothing is heard of it before"


@pytest.mark.parametrize("kind", KINDS)
def test_blocks_may_be_cut_anywhere(kind: str) -> None:
    """Sixteen blocks of 64 frames are four of 256, with a cutoff or an amount that climbs all the while."""
    whole = sound(4)
    name, low, high = ("amount", 3.0, 18.0) if isinstance(KINDS[kind], Shaper) else ("resonance", 0.2, 0.8)

    def made(frames: int) -> Sound:
        bench, heard = Bench(KINDS[kind], frames), []
        for n in range(0, whole.shape[2], frames):
            at = (n + np.arange(0, frames + 1, TICK)) / whole.shape[2]
            bench.dial(name, np.broadcast_to(low + (high - low) * at, (VOICES, len(at))))
            start = dict.fromkeys(range(5), 0) if n == 0 else None
            heard.append(bench.run(whole[..., n : n + frames].copy(), [0, 1, 2, 3, 4], start))
        return np.concatenate(heard, axis=2)[:5]

    assert made(64) == pytest.approx(made(256), abs=3e-5)


def test_a_comb_above_the_tick_rings_at_its_pitch() -> None:
    """Delays shorter than a tick are worked on in shorter runs: 48000 / 9 Hz and below, against an FFT, within 3 cents."""
    for hertz in (2500.0, 3300.0, 5000.0):
        bench = Bench(Filter.kinds["comb"](on=True, counted="hertz", cutoff=hertz, resonance=0.95, follow=0.0))
        heard = []
        for block in range(64):
            audio = np.zeros((VOICES, 2, FRAMES), np.float32)
            if block == 0:
                audio[0, :, 0] = 1.0
            heard.append(bench.run(audio, [0], {0: 0} if block == 0 else None)[0, 0].copy())
        power = np.abs(np.fft.rfft(np.concatenate(heard) * np.hanning(64 * FRAMES), 16 * 64 * FRAMES))
        at = np.fft.rfftfreq(16 * 64 * FRAMES, 1 / RATE)
        near = np.abs(at - hertz) < 0.2 * hertz
        assert abs(1200 * np.log2(at[near][power[near].argmax()] / hertz)) < 3.0, hertz


def test_a_voice_is_tuned_as_its_note_says_not_as_the_last_one_in_its_row() -> None:
    """What stands in the row before the note begins was counted in hertz; the note counts from its key."""
    at, source = 5, sound()
    source[..., : at * TICK] = 0.0
    bench, plain = (Bench(Filter.kinds["state_variable"](on=True, counted="key", cutoff=9000.0)) for _ in range(2))
    bench.control[list(bench.module.params).index("counted"), :, :at] = 0.0
    heard, wanted = (b.run(source.copy(), [0], {0: at}) for b in (bench, plain))
    assert heard[0] == pytest.approx(wanted[0], abs=1e-6)
