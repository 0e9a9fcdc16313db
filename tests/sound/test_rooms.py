"""Rooms and swaying copies against their equations, written out a frame at a time."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray
from scipy import signal

from felt_dial.patch.edits import add_effect, replace_module
from felt_dial.patch.module import Effect, Source
from felt_dial.patch.patch import Patch
from felt_dial.patch.phrase import Note
from felt_dial.sound.compiling.compile import still_control
from felt_dial.sound.compiling.compiled import arrays_of, kernel_of
from felt_dial.sound.compiling.kernel import Stage
from felt_dial.sound.effects.kernels.reverb import DENSITY, DIFFUSERS
from felt_dial.sound.effects.reverb import LENGTHS
from felt_dial.sound.engine.program import Program
from felt_dial.sound.render import render
from felt_dial.sound.sizes import BLOCK, TICK
from felt_dial.sound.tone.comb import Comb, loop_at
from felt_dial.sound.tone.kernels.core.voices import Played
from tests.sound.listening import RATE, noise, plain, sine
from tests.sound.test_effects import through
from tests.sound.walking import through_rack

Sound = NDArray[np.float64]


def network(sound: Sound, way: str, decay: float, damping: float, size: float) -> Sound:
    """What a room adds: Schroeder's all-passes (JAES 10, 1962) into Jot's feedback delay network (AES 90, 1991).

    Lines are mixed by I − (2/8) 11ᵀ, a Householder matrix; each loses 60 dB in `decay`, and its highs sooner by a one-pole.
    Without pre-delay, cuts (20 Hz and 20 kHz are what the dials keep) and movement.
    """
    lengths = [int(np.floor(seconds * size * RATE + 0.5)) for seconds in LENGTHS[way]]
    passes = [int(seconds * size * RATE) for seconds in DIFFUSERS[way]]
    gains = 10 ** (-3 * np.array(lengths) / RATE / decay)
    dense = [min(DENSITY[way], 10 ** (-6 * late / RATE / decay)) for late in passes]
    lines = [np.zeros(n) for n in lengths]
    held = [np.zeros(n) for n in passes]
    damped, dull = np.zeros(8), 0.75 * damping**2
    poles = {"low": np.zeros(2), "high": np.zeros(2)}
    low, high = (1 - np.exp(-2 * np.pi * hertz / RATE) for hertz in (20.0, 20000.0))
    signs = 0.35 * np.where(np.arange(8) % 2 == 0, 1.0, -1.0)
    out = np.zeros_like(sound)
    for n in range(sound.shape[1]):
        entering = 0.5 * np.array([sound[0, n] + sound[1, n], sound[0, n] - sound[1, n]])
        poles["low"] += low * (entering - poles["low"])
        poles["high"] += high * (entering - poles["low"] - poles["high"])
        fed, side = poles["high"]
        for line, g in zip(held, dense, strict=True):
            late = line[n % len(line)]
            inner = fed + g * late
            fed = late - g * inner
            line[n % len(line)] = inner
        heard = np.array([line[n % len(line)] for line in lines])
        damped = heard + dull * (damped - heard)
        each = gains * damped
        back = each - each.sum() / 4 + 0.5 * fed + signs * side
        for line, value in zip(lines, back, strict=True):
            line[n % len(line)] = value
        out[:, n] = each[0::2].sum(), each[1::2].sum()
    return out


@pytest.mark.parametrize(("way", "size"), [("room", 0.25), ("room", 1.0), ("plate", 0.6), ("hall", 1.0)])
def test_a_room_is_its_network(way: str, size: float) -> None:
    """Noise of 20 ms and what follows it for 0.3 s, long enough that every line has gone round several times."""
    sound = np.zeros((2, round(0.3 * RATE)))
    sound[:, :960] = noise(0.02)
    words = {"way": way, "decay": 1.3, "damping": 0.5, "size": size}
    wet = through("reverb", sound, **words, predelay=0.0, low_cut=20.0, high_cut=20000.0, movement=0.0, wet=1.0) - sound
    exact = network(sound, **words)  # type: ignore[arg-type]
    assert np.abs(exact).max() > 0.05
    assert np.abs(wet - exact).max() < 2e-5 * np.abs(exact).max()


def test_a_room_that_moves_rings_as_long_as_one_that_stands() -> None:
    """Movement changes when echoes come, not how long they ring, up to 6 kHz; without it a room is the same each time.

    The fall within half a second of a decay of 1 s, from 0.5 s on: 30 dB, and a tenth of it is what the dial allows.
    """
    sound = np.zeros((2, 5 * RATE // 4))
    sound[:, 0] = 1.0
    words = {"wet": 1.0, "damping": 0.0, "decay": 1.0, "predelay": 0.0, "low_cut": 20.0, "high_cut": 20000.0}
    still, again = (through("reverb", sound, **words, movement=0.0) for _ in range(2))
    assert (still == again).all()
    quarter = RATE // 4
    for movement in (0.0, 0.25, 1.0):
        out = through("reverb", sound, **words, movement=movement)
        assert (movement == 0.0) == bool((out == still).all())
        spectra = [np.abs(np.fft.rfft(out[:, k * quarter : (k + 1) * quarter])) ** 2 for k in (2, 4)]
        for low, high in ((50, 375), (375, 1500)):
            fall = 10 * np.log10(spectra[0][:, low:high].sum() / spectra[1][:, low:high].sum())
            assert fall == pytest.approx(30.0, abs=1.5)


@pytest.mark.parametrize(("copies", "rate"), [(1, 0.6), (3, 5.0), (4, 12.0)])
def test_a_chorus_is_its_sum_of_swaying_copies(copies: int, rate: float) -> None:
    """Of a sine the copies are known at any time: the sine of the time less their delay."""
    hertz, time, depth, wet, spread = 500.0, 0.01, 0.5, 0.7, 0.6
    sound = sine(hertz, -6.0, 1.0)
    out = through("chorus", sound, copies=copies, rate=rate, time=time, depth=depth, wet=wet, spread=spread)
    seconds = np.arange(sound.shape[1]) / RATE
    turns = rate * seconds  # it begins with the first sound
    exact = sound.copy()
    for k in range(copies):
        wait = time * (1 + 0.9 * depth * np.sin(2 * np.pi * (turns + k / copies)))
        copy = np.abs(sound).max() * np.sin(2 * np.pi * hertz * (seconds - wait))
        side = 0 if k == copies - 1 and copies % 2 else 1 if k % 2 == 0 else -1
        for channel, sign in enumerate((1.0, -1.0)):
            exact[channel] += wet / np.sqrt(copies) * (1 + sign * spread * side) * copy
    exact /= np.sqrt(1 + wet * wet)
    later = slice(RATE // 4, None)
    assert np.abs(out[:, later] - exact[:, later]).max() < 2e-3


@pytest.mark.parametrize("way", ["room", "hall", "cloud"])
def test_a_room_falls_as_it_is_drawn(way: str) -> None:
    """Of an impulse, the fall of two bands over half a second, within a tenth; and its first echoes, to a frame."""
    words = {
        "way": way,
        "decay": 1.2,
        "damping": 0.6,
        "size": 0.8,
        "predelay": 0.02,
        "low_cut": 100.0,
        "high_cut": 9000.0,
    }
    sound = np.zeros((2, RATE))
    sound[:, 0] = 1.0
    out = through("reverb", sound, **words, movement=0.0, wet=1.0)
    out[:, 0] = 0.0
    effect = Effect.kinds["reverb"](**words)
    for hertz in (500.0, 6000.0):
        band = signal.sosfilt(signal.butter(3, (hertz / 1.1, hertz * 1.1), "band", fs=RATE, output="sos"), out)
        power = [(band[:, a : a + RATE // 8] ** 2).sum() for a in (RATE // 4, 3 * RATE // 4)]
        assert 10 * np.log10(power[1] / power[0]) / 0.5 == pytest.approx(effect.fall(hertz)[1], rel=0.1)
    first = np.flatnonzero(np.abs(out[0]) > 1e-4)[0] / RATE
    assert first == pytest.approx(effect.echoes()[0][0], abs=1.5 / RATE)


@pytest.mark.parametrize("size", [1.0, 0.5])
def test_a_room_that_moves_makes_no_steps(size: float) -> None:
    """A sine of 1 kHz in a room that sways as far as it can: nothing beside it, where a step every tick (3 kHz) would stand.

    −65 dB at 2 and 4 kHz were there when its lengths did step.
    """
    out = through("reverb", sine(1000.0, -12.0, 3.0), movement=1.0, size=size, wet=1.0)[0, RATE:]
    power = np.abs(np.fft.rfft(out * np.kaiser(len(out), 18.0)))
    hertz = np.fft.rfftfreq(len(out), 1 / RATE)
    beside = power[(hertz > 1500) & (hertz < 8000)].max()
    assert 20 * np.log10(beside / power.max()) < -95


def string(x: NDArray[np.float64], waits: NDArray[np.float64], back: float) -> NDArray[np.float64]:
    """A comb a frame at a time: what was `waits` ago (Hermite's cubic), without what stands still, fed back."""
    y, low, blocked = np.zeros(len(x) + 4), 0.0, 0.0
    keep = 1.0 - 2.0 * np.pi * 1.0 / RATE
    for n, wait in enumerate(waits):
        whole = int(wait)
        p = wait - whole
        taps = [y[n - whole + k] if n - whole + k >= 0 else 0.0 for k in (1, 0, -1, -2)]
        before, here, after, last = taps
        c1, c3 = 0.5 * (after - before), 0.5 * (last - before) + 1.5 * (here - after)
        heard = ((c3 * p + before - 2.5 * here + 2.0 * after - 0.5 * last) * p + c1) * p + here
        blocked, low = heard - low + keep * blocked, heard
        y[n] = x[n] + back * blocked
    return y[:-4] * np.sqrt(1 - 0.96 * back * back)


@pytest.mark.parametrize("end", [220.0, 220.6, 223.0, 440.0])
def test_a_comb_whose_pitch_glides_is_its_loop(end: float) -> None:
    """Still, slowly, quickly and by an octave within 40 blocks; noise up to 6 kHz, too soft for the loop to give way.

    A gliding wait is read at both ends of a tick and faded, which is within 1 %.
    """
    blocks, back = 40, 1 - 0.3**2
    module = Comb(on=True, counted="hertz", cutoff=220.0, resonance=0.7)
    control, state = still_control(module, 1, BLOCK // TICK), arrays_of(module, Stage(RATE, BLOCK, 1))
    hertz = np.geomspace(220.0, end, blocks * (BLOCK // TICK) + 1).astype(np.float32)
    x = np.zeros(blocks * BLOCK)
    x[:4000] = 0.02 * np.random.default_rng(3).uniform(-1, 1, 4000)
    x = signal.sosfilt(signal.butter(4, 6000.0, fs=RATE, output="sos"), x)
    found, start, flat = np.zeros_like(x), np.zeros(1, np.int32), np.full((1, BLOCK // TICK + 1), 60, np.float32)
    for n in range(blocks):
        part = slice(n * BLOCK, (n + 1) * BLOCK)
        control[Comb.row_of("cutoff"), 0] = hertz[n * (BLOCK // TICK) : (n + 1) * (BLOCK // TICK) + 1]
        audio = np.tile(x[part], (1, 2, 1)).astype(np.float32)
        kernel_of(module)(*Played(audio, control, flat, flat, np.zeros(1, np.int32), start, TICK, float(RATE)), *state)
        start[:] = -1
        assert (audio[0, 0] == audio[0, 1]).all()
        found[part] = audio[0, 0]
    ticks = [loop_at(float(f), 20000.0, RATE, 1.0)[1] for f in hertz]
    waits = np.interp(np.arange(len(x)), np.arange(len(ticks)) * TICK, ticks)
    exact = string(x, waits, back)
    assert np.abs(found - exact).max() < (0.01 if end > 220.0 else 1e-4) * np.abs(exact).max()


# --- how long -------------------------------------------------------------------------------------


def reverberation(sound: NDArray[np.float64], low: float, high: float) -> float:
    """Seconds for 60 dB in a band, from −5 to −35 dB of the integrated squares (M. R. Schroeder, JASA 37, 1965; ISO 3382)."""
    heard = signal.sosfilt(signal.butter(3, [low, high], "band", fs=RATE, output="sos"), sound)
    left = 10 * np.log10(np.cumsum(heard[::-1] ** 2)[::-1] / (heard**2).sum() + 1e-30)
    between = np.flatnonzero((left <= -5) & (left >= -35))
    return float(-60 / np.polyfit(between / RATE, left[between], 1)[0])


@pytest.mark.parametrize("way", list(LENGTHS))
@pytest.mark.parametrize("decay", [0.5, 1.0, 3.0])
def test_a_room_decays_as_long_as_it_says_in_every_band(way: str, decay: float) -> None:
    """After noise ends, walls swaying: within 11 % from 350 Hz to 9 kHz, and to 12 kHz within 12 %, with no damping."""
    sound = np.pad(noise(1.0), ((0, 0), (0, int(2.2 * decay * RATE))))
    words = {"decay": decay, "damping": 0.0, "wet": 1.0, "low_cut": 20.0, "high_cut": 20000.0}
    tail = (through("reverb", sound, way=way, **words) - sound)[0, RATE:]
    for low, high in ((350.0, 700.0), (1400.0, 2800.0), (5600.0, 9000.0), (9000.0, 12000.0)):
        assert reverberation(tail, low, high) == pytest.approx(decay, rel=0.12), (low, high)


@pytest.mark.parametrize("way", ["room", "plate"])
def test_damping_is_as_strong_at_every_rate(way: str) -> None:
    """How long 7 to 9 kHz ring after a burst of noise is within 8 % of what it is at 48 kHz, where the dial is defined."""
    effect = Effect.kinds["reverb"](
        way=way, decay=1.5, damping=0.6, wet=1.0, low_cut=20.0, high_cut=20000.0, movement=0.0
    )
    patch = add_effect(replace_module(plain(), "layers.a.source", Source.kinds["noise"]()), "1", effect)[0]
    found = {}
    for rate in (44100, 48000, 96000):
        sound = render(patch, [Note(0.0, 0.3, 60)], 1.5, rate=rate)[0].astype(np.float64)
        band = signal.butter(3, [7000, 9000], "band", fs=rate, output="sos")
        heard = signal.sosfilt(band, sound)[int(0.31 * rate) :]
        left = 10 * np.log10(np.cumsum(heard[::-1] ** 2)[::-1] / (heard**2).sum() + 1e-30)
        between = np.flatnonzero((left <= -3) & (left >= -25))
        found[rate] = -60 / np.polyfit(between / rate, left[between], 1)[0]
    assert found[48000] < 1.0
    assert found[44100] == pytest.approx(found[48000], rel=0.08)
    assert found[96000] == pytest.approx(found[48000], rel=0.08)


def test_no_space_rings_more_than_another() -> None:
    """Of what a click leaves, no tone stands out of its third of an octave by more than it does in a plate, within a decibel.

    150 Hz to 6 kHz, after a quarter of a second; bins of a noise of even modes would stand out by 9 to 10 dB.
    """
    rings = {}
    for way in LENGTHS:
        sound = np.zeros((2, 5 * RATE))
        sound[:, 0] = 0.5
        tail = (through("reverb", sound, way=way, wet=1.0, predelay=0.0) - sound)[:, RATE // 4 :]
        power, at = np.square(np.abs(np.fft.rfft(tail))), np.fft.rfftfreq(tail.shape[1], 1 / RATE)
        thirds = [power[:, (at >= low) & (at < low * 2 ** (1 / 3))] for low in np.geomspace(150, 6000, 16)]
        rings[way] = max(float((10 * np.log10(part.max(axis=1) / part.mean(axis=1))).max()) for part in thirds)
    assert max(rings.values()) < rings["plate"] + 1.0 < 14.0


@pytest.mark.parametrize("way", list(LENGTHS))
def test_a_frozen_room_keeps_its_highs(way: str) -> None:
    """Ten seconds later 6 to 10 kHz are as loud as when it was frozen, within 0.5 dB, and nothing new is let in."""
    program = Program(
        add_effect(plain(), "1", Effect.kinds["reverb"](way=way, wet=1.0, high_cut=20000.0))[0], float(RATE)
    )
    program.block()
    rack, slot, out = program.racks["1"], program.at["racks.1.reverb1.freeze"], []
    random = np.random.default_rng(5)
    for n in range(12 * RATE // BLOCK):
        if n == 120:
            program.values[slot] = 1.0
        program.block()
        dry = (random.normal(size=(2, BLOCK)) * 0.1 * (n < 300)).astype(np.float32)
        wet = dry.copy()
        through_rack(rack, wet)
        out.append(wet - dry)
    heard = np.concatenate(out, axis=1)[0].astype(np.float64)
    high = signal.sosfilt(signal.butter(4, [6000, 10000], "band", fs=RATE, output="sos"), heard)
    for sound in (heard, high):
        first, last = sound[2 * RATE : 3 * RATE], sound[11 * RATE :]
        assert 20 * np.log10(np.std(last) / np.std(first)) == pytest.approx(0.0, abs=0.5)


@pytest.mark.parametrize("kind", ["chorus", "flanger", "phaser", "rotary", "thicken", "delay", "reverb", "shift"])
def test_effects_begin_anew_from_silence(kind: str) -> None:
    """The first sound meets an effect as a render does, whenever it comes; and so does one after six seconds of silence."""
    words = {"wow": 1.0} if kind == "delay" else {"hertz": 3.0} if kind == "shift" else {}
    patch = add_effect(plain(), "1", Effect.kinds[kind](**words))[0]
    sound = noise(0.2).astype(np.float32)[:, : 37 * BLOCK]

    def heard(program: Program, silence: int) -> NDArray[np.float32]:
        rack, out = program.racks["1"], []
        for _ in range(silence):
            through_rack(rack, np.zeros((2, BLOCK), np.float32))
        for at in range(0, sound.shape[1], BLOCK):
            block = sound[:, at : at + BLOCK].copy()
            through_rack(rack, block)
            out.append(block)
        return np.concatenate(out, axis=1)

    first = heard(begun(patch), 0)
    assert (heard(begun(patch), 333) == first).all()
    program = begun(patch)
    heard(program, 11)
    assert (heard(program, 20 * RATE // BLOCK) == first).all()


def test_a_gate_that_does_not_wait_for_the_sound_keeps_time_through_silence() -> None:
    """With steps of an eighth of a second, open and closed in turn, a note is cut where the beats of the render are."""
    steps = {"steps": 2, "pace": 8.0, "s1": 1.0, "s2": 0.0, "anew": False, "least": 0.0}
    patch = add_effect(plain(layers__a__source__shape="sine"), "1", Effect.kinds["gate"](**steps))[0]
    for begin in (0.0, 0.3, 8.1):
        sound = np.abs(render(patch, [Note(begin, 1.0, 81)], begin + 1.0)[0, round((begin + 0.05) * RATE) :])
        at = (np.arange(len(sound)) / RATE + begin + 0.05) % 0.25
        assert sound[(at > 0.03) & (at < 0.1)].max() > 0.1 and sound[(at > 0.155) & (at < 0.235)].max() < 0.01, begin


def begun(patch: Patch) -> Program:
    program = Program(patch, float(RATE))
    program.block()
    return program
