"""Envelopes, LFOs and threads: times within a tick, curves by their closed forms, depths in their own units."""

from __future__ import annotations

import numpy as np
import pytest

from felt_dial.patch.edits import add_modulator, sew
from felt_dial.patch.module import Modulator
from felt_dial.patch.patch import Patch, put, slots, value_at, with_value
from felt_dial.patch.phrase import Note
from felt_dial.patch.units import Beats
from felt_dial.sound.control.core.line import slope
from felt_dial.sound.control.envelope import Envelope
from felt_dial.sound.control.lfo import lfo_value
from felt_dial.sound.engine.program import Program
from felt_dial.sound.playing.events import OFF, ON, WHEEL, Event
from felt_dial.sound.render import render
from felt_dial.sound.sizes import TICK
from tests.sound.listening import RATE, exact_frequency, plain

TICK_SECONDS = TICK / RATE


def trace(patch: Patch, path: str, seconds: float, events: list[Event], frames: int = 256) -> np.ndarray:
    """A parameter of the first voice as modulated, tick by tick, from the first event on."""
    program = Program(patch, RATE, frames)
    slot, found = program.at[path], []
    for at in range(0, round(seconds * RATE), frames):
        now = [e._replace(frame=e.frame - at) for e in events if at <= e.frame < at + frames]
        program.block(now)
        found.append(program.modulation.control[slot, 0, :-1].copy())
    return np.concatenate(found)


def levels(patch: Patch, seconds: float, hold: float, frames: int = 256) -> np.ndarray:
    """The first envelope, tick by tick, of a note that begins at once."""
    program = Program(patch, RATE, frames)
    found = []
    for at in range(0, round(seconds * RATE), frames):
        events = [Event(0, ON, 60, 1.0)] if at == 0 else []
        if at <= round(hold * RATE) < at + frames:
            events.append(Event(round(hold * RATE) - at, OFF, 60))
        program.block(events)
        found.append(program.moves[0, 0, :-1] * program.voices.sounding[0])
    return np.concatenate(found)


def closed_form(envelope: Envelope, points: int, held: float | None = None) -> tuple[np.ndarray, np.ndarray]:
    """Times (seconds) and levels of a note held for `held` seconds, `points` of each.

    Without `held` the sustain lasts a quarter of all the other stages together.
    """
    d, a, h, y, r = (
        float(v) for v in (envelope.delay, envelope.attack, envelope.hold, envelope.decay, envelope.release)
    )
    if held is None:
        held = d + a + h + y + max(0.25 * (d + a + h + y + r), 0.02)
    t = np.linspace(0.0, held + r, points)
    before = np.minimum(t, held)

    def level(at: np.ndarray) -> np.ndarray:
        up = slope((at - d) / max(a, 1e-9), float(envelope.attack_bend))
        down = 1 - (1 - float(envelope.sustain)) * slope((at - d - a - h) / max(y, 1e-9), float(envelope.decay_bend))
        return np.where(at < d, 0.0, np.where(at < d + a, up, down))

    end = float(level(np.array([held]))[0])
    fall = 1 - slope((t - held) / max(r, 1e-9), float(envelope.release_bend))
    return t, np.where(t <= held, level(before), end * fall)


SHAPES = [
    {"attack": 0.05, "decay": 0.1, "sustain": 0.4, "release": 0.2},
    {"delay": 0.03, "attack": 0.02, "hold": 0.05, "decay": 0.3, "sustain": 0.0, "release": 0.1},
    {"attack": 0.2, "attack_bend": -0.7, "decay": 0.2, "decay_bend": 1.0, "sustain": 0.6, "release_bend": -0.5},
    {"attack": 0.0, "decay": 0.0, "sustain": 1.0, "release": 0.0},
]


@pytest.mark.parametrize("shape", SHAPES)
@pytest.mark.parametrize("hold", [0.11, 0.45])
def test_an_envelope_follows_its_closed_form(shape: dict[str, float], hold: float) -> None:
    """The kernel against the formula of `slope`, evaluated by numpy; what is between is at most one tick of time."""
    patch = plain(**{f"modulators__e1__{name}": value for name, value in shape.items()})
    envelope = patch.modulators["e1"]
    assert isinstance(envelope, Envelope)
    found = levels(patch, 1.0, hold)
    held = round(hold * RATE) // TICK * TICK_SECONDS
    points = int((held + envelope.release) / TICK_SECONDS * 8) + 1
    t, expected = closed_form(envelope, points, held)
    t, expected = np.append(t, t[-1] + 1e-6), np.append(expected, 0.0)
    now = np.arange(len(found)) * TICK_SECONDS
    earlier, later = np.interp(now - TICK_SECONDS, t, expected), np.interp(now + TICK_SECONDS, t, expected)
    exact = np.interp(now, t, expected)
    low, high = np.minimum(np.minimum(earlier, later), exact), np.maximum(np.maximum(earlier, later), exact)
    wrong = (found < low - 0.01) | (found > high + 0.01)
    assert not wrong.any(), f"first at {now[np.argmax(wrong)]:.4f} s"


@pytest.mark.parametrize(("name", "seconds"), [("attack", 0.1), ("delay", 0.07), ("hold", 0.2), ("decay", 0.15)])
def test_every_time_is_true_within_one_tick(name: str, seconds: float) -> None:
    stages = {"delay": 0.0, "attack": 0.05, "hold": 0.05, "decay": 0.05, "sustain": 0.0, "release": 0.05} | {
        name: seconds
    }
    patch = plain(**{f"modulators__e1__{key}": value for key, value in stages.items()})
    found = levels(patch, 1.0, 0.9)
    order = {"delay": 0.0, "attack": stages["delay"], "hold": stages["delay"] + stages["attack"]}
    end = sum(
        stages[key] for key in ("delay", "attack", "hold", "decay") if key in ("delay", "attack", "hold", "decay")
    )
    first = np.argmax(found > 0) * TICK_SECONDS
    top = np.argmax(found >= 1.0) * TICK_SECONDS
    fall = (len(found) - np.argmax(found[::-1] >= 1.0) - 1) * TICK_SECONDS
    last = (len(found) - np.argmax(found[::-1] > 0) - 1) * TICK_SECONDS
    tick = 1.01 * TICK_SECONDS
    assert abs(first - order["attack"]) <= tick and abs(top - order["hold"]) <= tick
    assert abs(fall - order["hold"] - stages["hold"]) <= tick and abs(last - end) <= tick


def test_a_bend_of_nothing_is_a_straight_line_and_a_full_one_an_exponential() -> None:
    part = np.linspace(0, 1, 11)
    assert np.allclose(slope(part, 0.0), part)
    assert np.allclose(slope(part, 1.0), (1 - np.exp(-8 * part)) / (1 - np.exp(-8)))
    assert np.allclose(slope(part, -1.0), 1 - slope(1 - part, 1.0)), "bent the other way it is its mirror"


def test_a_release_begins_from_the_level_of_that_moment() -> None:
    patch = plain(modulators__e1__attack=1.0, modulators__e1__release=0.2, modulators__e1__release_bend=0.0)
    found = levels(patch, 0.8, 0.25)
    at = round(0.25 / TICK_SECONDS)
    assert found[at] == pytest.approx(0.25, abs=0.002)
    assert found[at + round(0.1 / TICK_SECONDS)] == pytest.approx(0.125, abs=0.002)


@pytest.mark.parametrize(
    ("rate", "tempo", "expected"), [(3.0, 120.0, 3.0), (Beats(0.75), 96.0, 96 / 60 / 0.75), (Beats(1 / 3), 100.0, 5.0)]
)
def test_an_lfo_goes_round_at_its_rate(rate: object, tempo: float, expected: float) -> None:
    """Beats · 60 / tempo seconds a turn (common practice)."""
    patch = with_value(plain(layers__a__pan=0.0), "tempo", tempo)
    patch, key = add_modulator(patch, Modulator.kinds["lfo"](rate=rate, shape="sine"))
    patch, _ = sew(patch, key, "layers.a.pan", 0.5)
    found = trace(patch, "layers.a.pan", 4.0, [Event(0, ON, 60, 1.0)])
    assert exact_frequency(found, expected, round(1 / TICK_SECONDS)) == pytest.approx(expected, rel=0.001)
    assert found.max() == pytest.approx(0.5, abs=0.001) and found.min() == pytest.approx(-0.5, abs=0.001)


@pytest.mark.parametrize("shape", ["sine", "triangle", "up", "down", "square"])
def test_an_lfo_has_its_shape_and_begins_at_its_phase(shape: str) -> None:
    patch, key = add_modulator(plain(layers__a__pan=0.0), Modulator.kinds["lfo"](rate=5.0, shape=shape, phase=90.0))
    patch, _ = sew(patch, key, "layers.a.pan", 1.0, reading="both ways")
    found = trace(patch, "layers.a.pan", 0.5, [Event(0, ON, 60, 1.0)])
    expected = lfo_value(shape, np.arange(len(found)) * TICK_SECONDS * 5.0 + 0.25)
    jumps = np.abs(np.diff(expected, prepend=expected[0], append=expected[-1]))
    calm = (jumps[:-1] < 0.1) & (jumps[1:] < 0.1)
    assert np.abs(found - expected)[calm].max() < 0.002


def test_a_free_lfo_runs_on_and_one_per_note_begins_anew() -> None:
    found = {}
    for start in ("free", "per note"):
        patch, key = add_modulator(plain(layers__a__pan=0.0), Modulator.kinds["lfo"](rate=1.0, shape="up", start=start))
        patch, _ = sew(patch, key, "layers.a.pan", 1.0, reading="both ways")
        events = [Event(round(0.25 * RATE), ON, 60, 1.0)]
        found[start] = trace(patch, "layers.a.pan", 0.5, events)[round(0.3 / TICK_SECONDS)]
    assert found["per note"] == pytest.approx(2 * 0.05 - 1, abs=0.01)
    assert found["free"] == pytest.approx(2 * 0.30 - 1, abs=0.01)


def test_a_depth_of_twelve_semitones_is_an_octave() -> None:
    patch, _ = sew(
        plain(layers__a__source__shape="sine", layers__a__fixed=True, layers__a__frequency=300.0),
        "e1",
        "layers.a.frequency",
        12.0,
    )
    sound = render(patch, [Note(0, 2, 60)], 1.0)[0, 4800:].astype(float)
    assert exact_frequency(sound, 600.0) == pytest.approx(600.0, abs=0.02)


@pytest.mark.parametrize(
    ("source", "event", "reading", "expected"),
    [
        ("v", Event(0, ON, 60, 0.5), "one way", 0.25),
        ("v", Event(0, ON, 60, 0.5), "both ways", 0.0),
        ("k", Event(0, ON, 90, 1.0), "both ways", 0.25),
        ("k", Event(0, ON, 30, 1.0), "one way", 0.125),
        ("m1", Event(0, ON, 60, 1.0), "one way", 0.4),
        ("e1", Event(0, ON, 60, 1.0), "one way", 0.5),
    ],
)
def test_every_mover_reads_as_it_says(source: str, event: Event, reading: str, expected: float) -> None:
    """Velocity and macro 0–1, key from C4 in five octaves either way, an organ envelope 1; depth 50 %."""
    patch = with_value(plain(layers__a__pan=0.0), "macros.m1", 0.8)
    patch, key = sew(patch, source, "layers.a.pan", 0.5)
    patch = with_value(patch, f"threads.{key}.reading", reading)
    assert trace(patch, "layers.a.pan", 0.1, [event])[-1] == pytest.approx(expected, abs=0.001)


READINGS = {"one way": lambda x: x, "both ways": lambda x: 2 * x - 1, "flipped": lambda x: 1 - x}


@pytest.mark.parametrize("first", READINGS)
@pytest.mark.parametrize("second", READINGS)
def test_a_ratio_and_an_amount_on_one_frequency_whichever_came_first(first: str, second: str) -> None:
    """cutoff · 2^(Σ semitones / 12) + Σ hertz: ratios multiply the dial, amounts are added to that; in any order."""
    base = plain(layers__a__filter__on=True, layers__a__filter__cutoff=800.0)
    base = with_value(with_value(base, "macros.m1", 0.7), "macros.m2", 0.4)
    threads = [("m1", 19.0, "ratio", first), ("m2", 250.0, "amount", second), ("v", -7.0, "ratio", "one way")]
    exact = 800.0 * 2 ** ((19.0 * READINGS[first](0.7) - 7.0) / 12) + 250.0 * READINGS[second](0.4)
    for order in (threads, threads[::-1]):
        patch = base
        for source, depth, by, reading in order:
            patch = sew(patch, source, "layers.a.filter.cutoff", depth, by=by, reading=reading)[0]
        assert trace(patch, "layers.a.filter.cutoff", 0.1, [Event(0, ON, 60, 1.0)])[-1] == pytest.approx(
            exact, rel=1e-4
        )


@pytest.mark.parametrize("by", ["ratio", "amount"])
@pytest.mark.parametrize("reading", READINGS)
@pytest.mark.parametrize("upper", READINGS)
def test_a_thread_on_the_depth_of_a_thread_keeps_its_unit(by: str, reading: str, upper: str) -> None:
    """Depth + its own thread, in semitones or in hertz, before the mover is read; by closed form."""
    depth, more = (12.0, 5.0) if by == "ratio" else (300.0, 120.0)
    patch = plain(layers__a__filter__on=True, layers__a__filter__cutoff=800.0)
    patch = with_value(with_value(patch, "macros.m1", 0.7), "macros.m2", 0.4)
    patch, key = sew(patch, "m1", "layers.a.filter.cutoff", depth, by=by, reading=reading)
    patch, _ = sew(patch, "m2", f"threads.{key}.depth", more, reading=upper)
    moved = (depth + more * READINGS[upper](0.4)) * READINGS[reading](0.7)
    exact = 800.0 * 2 ** (moved / 12) if by == "ratio" else 800.0 + moved
    assert trace(patch, "layers.a.filter.cutoff", 0.1, [Event(0, ON, 60, 1.0)])[-1] == pytest.approx(exact, rel=1e-4)


def test_a_level_rises_from_silence_by_the_square_of_the_way() -> None:
    """A macro of 54 dB on −∞ ends at −6 dB, and half way stands 12 dB below that; from any other level decibels are added."""
    for base, at, exact in (
        (-60.0, 1.0, -6.0),
        (-60.0, 0.5, -6.0 + 40 * np.log10(0.5)),
        (-60.0, 0.1, -46.0),
        (-60.0, 0.0, -60.0),
        (-40.0, 0.5, -13.0),
    ):
        patch = with_value(plain(layers__a__level=base), "macros.m1", at)
        patch, _ = sew(patch, "m1", "layers.a.level", 54.0)
        found = trace(patch, "layers.a.level", 0.2, [Event(0, ON, 60, 1.0)])[-1]
        assert found == pytest.approx(exact, abs=0.02), (base, at)


def test_the_mod_wheel_moves_what_is_sewn_to_it_smoothly() -> None:
    patch, _ = sew(plain(layers__a__pan=0.0), "w", "layers.a.pan", 1.0)
    found = trace(patch, "layers.a.pan", 0.2, [Event(0, ON, 60, 1.0), Event(2400, WHEEL, 0, 1.0)])
    assert found[140] == 0.0 and found[-1] == pytest.approx(1.0, abs=1e-3)
    after = found[2400 // TICK + 15]
    assert 0.55 < after < 0.75, "63 % after 5 ms"


def test_bypassed_threads_move_nothing_and_several_add_up() -> None:
    patch, first = sew(plain(layers__a__pan=0.0), "e1", "layers.a.pan", 0.3)
    patch, second = sew(patch, "v", "layers.a.pan", 0.2)
    events = [Event(0, ON, 60, 1.0)]
    assert trace(patch, "layers.a.pan", 0.1, events)[-1] == pytest.approx(0.5, abs=1e-4)
    patch = with_value(patch, f"threads.{second}.on", False)
    assert trace(patch, "layers.a.pan", 0.1, events)[-1] == pytest.approx(0.3, abs=1e-4)
    assert first in patch.threads


def test_a_modulator_is_moved_by_another_in_the_same_tick_and_a_loop_stays_finite() -> None:
    patch, one = add_modulator(plain(layers__a__pan=0.0), Modulator.kinds["lfo"](rate=2.0))
    patch, two = add_modulator(patch, Modulator.kinds["lfo"](rate=3.0))
    patch, _ = sew(patch, two, f"modulators.{one}.rate", 4.0)
    patch, _ = sew(patch, one, "layers.a.pan", 1.0)
    program = Program(patch)
    order = [tuple(step) for step in program.modulation.noted]
    assert order.index((0, program.movers.index(two))) < order.index((1, program.at[f"modulators.{one}.rate"]))
    patch, _ = sew(patch, one, f"modulators.{two}.rate", 8.0)
    found = trace(patch, "layers.a.pan", 1.0, [Event(0, ON, 60, 1.0)])
    assert np.isfinite(found).all() and np.ptp(found) > 1.0


def test_a_level_over_time_is_what_the_layer_says() -> None:
    """Two layers, two envelopes: the second layer ends with its own."""
    patch = plain(layers__a__source__shape="sine")
    patch, key = add_modulator(patch, Modulator.kinds["envelope"](attack=0.0, decay=0.05, sustain=0.0))
    patch = put(patch, ["layers", "a", "contour"], key)
    sound = render(patch, [Note(0, 1, 60)], 0.5)[0]
    assert np.abs(sound[:1200]).max() > 0.1 and np.abs(sound[4800:]).max() == 0.0


def test_values_set_while_it_sounds_are_smoothed_over_five_milliseconds() -> None:
    program = Program(plain(layers__a__source__shape="sine", layers__a__level=0.0))
    level = next(n for n, slot in enumerate(slots(program.patch)) if slot.path == "layers.a.level")
    program.block([Event(0, ON, 69, 1.0)])
    before = program.block()[0].copy()
    program.values[level] = -60.0
    after = np.concatenate([program.block()[0].copy() for _ in range(12)])
    step = np.abs(np.diff(np.concatenate([before, after]))).max()
    assert step < 0.09, "no jump larger than the sine's own slope at 440 Hz with the fall of the level"
    assert np.abs(after[-256:]).max() < 1e-6
    assert value_at(program.patch, "layers.a.level") == 0.0
