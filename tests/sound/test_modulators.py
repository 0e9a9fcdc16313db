"""Every kind of mover against its closed form or its definition, at tick accuracy, in a running program."""

from __future__ import annotations

import math
import random
from collections.abc import Iterable

import numpy as np
import pytest

from felt_dial.errors import FeltDialError
from felt_dial.patch.drawn import Rows, doubled, flipped, mirrored
from felt_dial.patch.edits import add_modulator, duplicate_layer, set_thread, sew
from felt_dial.patch.module import Modulator
from felt_dial.patch.params import Param
from felt_dial.patch.parts import depth_param
from felt_dial.patch.patch import Patch, movers, put, slots, target_param, with_value
from felt_dial.patch.units import Beats
from felt_dial.sound.control.blend import blend_value
from felt_dial.sound.control.chance import Chance, chance_line
from felt_dial.sound.control.core.line import line_value, slope
from felt_dial.sound.control.curve import READY
from felt_dial.sound.control.envelope import times_factor
from felt_dial.sound.control.lfo import lfo_value
from felt_dial.sound.engine.program import Program
from felt_dial.sound.playing.events import BEND, OFF, ON, PRESSURE, SUSTAIN, WHEEL, Event
from felt_dial.sound.sizes import TICK
from tests.sound.listening import RATE, plain

SECONDS = TICK / RATE
NOTE = Event(0, ON, 60, 1.0)


def moved(patch: Patch, key: str, seconds: float, events: Iterable[Event] = (NOTE,), row: int = 0) -> np.ndarray:
    """A mover tick by tick, in the row of the first note, from the first block on; it is made to move something."""
    patch = sew(patch, key, "layers.a.pan", 0.0)[0] if key not in ("e1",) else patch
    program = Program(patch, RATE)
    at, found = program.movers.index(key), []
    for frame in range(0, round(seconds * RATE), 256):
        program.block([e._replace(frame=e.frame - frame) for e in events if frame <= e.frame < frame + 256])
        found.append(program.moves[at, row, :-1] * program.voices.sounding[row])
    return np.concatenate(found)


def with_mover(kind: str, **values: object) -> tuple[Patch, str]:
    return add_modulator(plain(layers__a__pan=0.0), Modulator.kinds[kind](**values))


def times(found: np.ndarray) -> np.ndarray:
    return np.arange(len(found)) * SECONDS


# --- envelopes ---------------------------------------------------------------------------------


def test_an_envelope_loops_between_two_points_while_the_key_is_held() -> None:
    """Attack 50 ms and decay 50 ms to nothing, from the start: a hill every 100 ms until the key comes up."""
    patch = plain(
        modulators__e1__attack=0.05,
        modulators__e1__decay=0.05,
        modulators__e1__sustain=0.0,
        modulators__e1__decay_bend=0.0,
        modulators__e1__loop_from="start",
        modulators__e1__release=0.0,
    )
    found = moved(patch, "e1", 0.5, [NOTE, Event(round(0.45 * RATE), OFF, 60)])
    turn = times(found) % 0.1
    expected = np.where(turn < 0.05, turn / 0.05, 2 - turn / 0.05)
    held = times(found) < 0.449
    assert np.abs(found - expected)[held].max() < 0.02
    assert (found[times(found) > 0.456] == 0.0).all()


def test_a_loop_goes_back_as_often_as_it_says_and_continues_at_its_level() -> None:
    """Three loops from the attack are four hills; with a sustain of 40 % the later ones begin at 40 %."""
    patch = plain(
        modulators__e1__attack=0.02,
        modulators__e1__decay=0.02,
        modulators__e1__sustain=0.4,
        modulators__e1__loop_from="attack",
        modulators__e1__loop_count=3,
    )
    found = moved(patch, "e1", 0.4)
    tops = np.flatnonzero((found[1:-1] >= found[:-2]) & (found[1:-1] > found[2:]) & (found[1:-1] > 0.9))
    assert len(tops) == 4
    assert found[60:].min() > 0.39 and np.allclose(found[-100:], 0.4)
    assert np.abs(np.diff(found)).max() < 0.12


@pytest.mark.parametrize(
    ("key", "velocity", "by_key", "by_velocity"), [(72, 1.0, 1, 0), (48, 1.0, 1, 0), (60, 0.5, 0, 1)]
)
def test_key_and_velocity_stretch_the_times(key: int, velocity: float, by_key: float, by_velocity: float) -> None:
    """An octave up halves, an octave down doubles; half of full velocity at +100 % halves (a quarter to the half)."""
    patch = plain(
        modulators__e1__attack=0.2, modulators__e1__key_times=by_key, modulators__e1__velocity_times=by_velocity
    )
    found = moved(patch, "e1", 0.6, [Event(0, ON, key, velocity)])
    factor = times_factor(key, velocity, by_key, by_velocity)
    assert factor == pytest.approx({72: 0.5, 48: 2.0, 60: 0.5}[key])
    assert np.argmax(found >= 1.0) * SECONDS == pytest.approx(0.2 * factor, abs=1.01 * SECONDS)


@pytest.mark.parametrize(("begins", "least"), [("zero", 0.0), ("here", 0.5)])
def test_in_mono_an_envelope_begins_at_nothing_or_where_the_note_before_has_got_to(begins: str, least: float) -> None:
    patch = plain(
        play="mono",
        modulators__e1__attack=0.1,
        modulators__e1__sustain=0.6,
        modulators__e1__decay=0.01,
        modulators__e1__begins=begins,
    )
    program = Program(patch, RATE)
    for block in range(60):
        program.block([NOTE] if block == 0 else [Event(0, ON, 64, 1.0)] if block == 40 else [])
        if block == 40:
            first = float(program.moves[0, program.voices.newest, 0])
    assert first == pytest.approx(0.6 if least else 0.0, abs=1e-4)


def test_envelope_times_may_be_beats() -> None:
    patch = with_value(plain(tempo=120.0), "modulators.e1.attack", Beats(0.5))
    assert np.argmax(moved(patch, "e1", 0.4) >= 1.0) * SECONDS == pytest.approx(0.25, abs=1.01 * SECONDS)


# --- LFOs and curves ---------------------------------------------------------------------------

ZIGZAG: Rows = ((0.0, 0.2, 0.0), (0.3, 1.0, -0.6), (0.7, 0.0, 0.5), (1.0, 0.2, 0.0))


@pytest.mark.parametrize("shape", ["sine", "triangle", "up", "down", "square", "drawn"])
def test_an_lfo_follows_its_closed_form(shape: str) -> None:
    patch, key = with_mover("lfo", shape=shape, rate=3.0, phase=30.0, line=ZIGZAG)
    found = moved(patch, key, 1.0)
    exact = lfo_value(shape, 3.0 * times(found) + 30 / 360, ZIGZAG)
    near = np.abs(found - exact) < 1e-3
    assert near.mean() > 0.995, "only ticks at a jump may fall on its other side"


def test_a_drawn_line_is_its_points_and_bends() -> None:
    assert np.allclose(line_value(ZIGZAG, [0.0, 0.3, 0.7, 1.0]), [0.2, 1.0, 0.0, 0.2])
    half = line_value(ZIGZAG, [0.5])[0]
    assert half == pytest.approx(1.0 - slope(0.5, -0.6))
    places = np.linspace(0.01, 0.99, 50)
    assert np.allclose(line_value(flipped(ZIGZAG), places), 1 - line_value(ZIGZAG, places))
    assert np.allclose(line_value(mirrored(ZIGZAG), places), line_value(ZIGZAG, 1 - places))
    assert np.allclose(line_value(doubled(ZIGZAG, 64), places / 2), line_value(ZIGZAG, places))


def test_once_goes_round_once_and_stays() -> None:
    patch, key = with_mover("lfo", shape="drawn", rate=4.0, start="once", line=((0.0, 0.0, 0.0), (1.0, 0.75, 0.0)))
    found = moved(patch, key, 0.6)
    assert found[0] == -1.0 and np.allclose(found[times(found) > 0.26], 0.5)


def test_delay_fade_smooth_and_swing_do_what_they_say() -> None:
    patch, key = with_mover("lfo", shape="square", rate=10.0, delay=0.1, fade=0.2)
    found = moved(patch, key, 0.5)
    assert (found[times(found) < 0.0995] == 0.0).all()
    assert found[np.argmin(np.abs(times(found) - 0.22))] == pytest.approx(0.6, abs=0.01)
    patch, key = with_mover("lfo", shape="square", rate=1.0, smooth=0.05)
    found = moved(patch, key, 0.8)
    flip = np.argmin(np.abs(times(found) - 0.55))
    assert found[flip] == pytest.approx(-1 + 2 * math.exp(-1), abs=0.02), "63 % of the way in one time constant"
    patch, key = with_mover("lfo", shape="up", rate=10.0, swing=0.5)
    jumps = times(found := moved(patch, key, 0.62))[1:][np.diff(found) < -1]
    assert np.allclose(jumps, [0.15, 0.2, 0.35, 0.4, 0.55, 0.6], atol=1.1 * SECONDS)


def test_a_first_note_lfo_begins_when_no_key_was_held() -> None:
    """Two overlapping notes share it; after both are up the next one begins it anew."""
    patch, key = with_mover("lfo", shape="up", rate=1.0, start="first note")
    second, third = round(0.3 * RATE), round(0.8 * RATE)
    events = [NOTE, Event(second, ON, 64, 1.0), Event(round(0.5 * RATE), OFF, 60), Event(round(0.6 * RATE), OFF, 64)]
    patch = sew(patch, key, "layers.a.pan", 0.0)[0]
    program, found = Program(patch, RATE), []
    for frame in range(0, RATE, 256):
        now = [e._replace(frame=e.frame - frame) for e in [*events, Event(third, ON, 67, 1.0)]]
        program.block([e for e in now if 0 <= e.frame < 256])
        found.append(program.moves[program.movers.index(key), -1, :-1].copy())
    line = np.concatenate(found)
    at = times(line)
    assert np.abs(line[(at > 0.01) & (at < 0.79)] - (2 * at[(at > 0.01) & (at < 0.79)] - 1)).max() < 0.002
    after = (at > 0.81) & (at < 0.99)
    assert np.abs(line[after] - (2 * (at[after] - 0.8) - 1)).max() < 0.002


def test_a_curve_goes_once_or_keeps_a_part_going_while_the_key_is_held() -> None:
    line = READY["Riser"]
    patch, key = with_mover("curve", length=0.5, line=line)
    found = moved(patch, key, 0.8)
    assert np.abs(found - line_value(line, times(found) / 0.5)).max() < 0.002 and found[-1] == 1.0
    patch, key = with_mover("curve", length=1.0, line=((0, 0, 0), (1, 1, 0)), loop="held", loop_from=0.2, loop_to=0.4)
    patch = with_value(patch, "modulators.e1.release", 2.0)
    found = moved(patch, key, 1.5, [NOTE, Event(round(0.9 * RATE), OFF, 60)])
    at = times(found)
    inside = np.where(at < 0.4, at, 0.2 + (at - 0.4) % 0.2)
    assert np.abs(found - inside)[at < 0.899].max() < 0.002
    assert found[-1] == pytest.approx(0.3 + 0.6, abs=0.01), "let go at 30 % it goes on to the end"


# --- chance, steps, blends, follow -------------------------------------------------------------


@pytest.mark.parametrize("way", ["note", "stepped", "smooth", "chaotic"])
def test_chance_stays_between_its_floor_and_its_range_and_comes_again_the_same(way: str) -> None:
    values = {"way": way, "rate": 20.0, "floor": 0.3, "span": 0.4, "seed": 7}
    patch, key = with_mover("chance", **values)
    found = moved(patch, key, 2.0)
    assert found.min() >= 0.3 and found.max() <= 0.7 + 1e-6
    assert (found == moved(patch, key, 2.0)).all()
    if way != "note":
        assert found.std() > 0.05
    other = moved(with_value(patch, f"modulators.{key}.seed", 8), key, 2.0)
    assert np.abs(other - found).max() > 0.01
    if way == "smooth":
        assert np.abs(np.diff(found)).max() < 0.4 * 1.5 * 20 * SECONDS * 1.01, "slope of the easing: 1.5 of a step"


@pytest.mark.parametrize("way", ["note", "stepped", "smooth", "chaotic"])
@pytest.mark.parametrize("voices", ["own", "all"])
def test_a_chance_gives_what_its_picture_shows(way: str, voices: str) -> None:
    patch, key = with_mover("chance", way=way, voices=voices, rate=6.0, floor=0.1, span=0.8, smooth=0.01, seed=3)
    found = moved(patch, key, 2.0)
    chance = patch.modulators[key]
    assert isinstance(chance, Chance)
    line = chance_line(chance, 6.0, SECONDS, len(found), 0 if chance.shared() else 1)
    assert (np.abs(found - line) < 0.01).mean() > 0.995, "a tick at a jump may fall on its other side"


def test_chance_per_note_is_even_over_many_notes() -> None:
    """A few hundred notes fill the range evenly (Kolmogorov–Smirnov, p > 1 %)."""
    from scipy.stats import kstest

    patch, key = with_mover("chance")
    program, found = Program(sew(patch, key, "layers.a.pan", 0.0)[0], RATE), []
    for _ in range(300):
        program.block([Event(0, ON, 60, 1.0)])
        found.append(program.moves[program.movers.index(key), program.voices.newest, -1])
        program.block([Event(0, OFF, 60)])
    assert kstest(found, "uniform").pvalue > 0.01


def test_steps_go_in_time_tie_glide_and_leave_out() -> None:
    rows = ((1.0, 0, 1, 0), (0.25, 0, 1, 0), (0.9, 1, 1, 0), (0.5, 0, 0, 0))
    patch, key = with_mover("steps", row=rows, rate={"beats": 0.25}, start="per note")
    found = moved(with_value(patch, "tempo", 120.0), key, 0.999)
    step = np.floor(times(found) / 0.125 + 1e-9).astype(int) % 4
    expected = np.array([1.0, 0.25, 0.25, 0.25])[step]
    assert (np.abs(found - expected) < 1e-6).mean() > 0.99, "tied and unlikely steps leave the one before"
    patch, key = with_mover("steps", row=((0.5, 0, 0.5, 0.0), (0.5, 0, 1, 0.5)), rate=50.0, start="per note")
    found = moved(patch, key, 4.0)
    varied = np.unique(found[found != 0.5])
    assert len(varied) > 20 and varied.min() >= 0.0 and varied.max() <= 1.0


@pytest.mark.parametrize("way", ["times", "fade", "larger", "smaller", "sum", "gate"])
def test_a_blend_is_what_it_says(way: str) -> None:
    patch = plain(layers__a__pan=0.0)
    patch, one = add_modulator(patch, Modulator.kinds["lfo"](rate=3.0, shape="triangle"))
    patch, two = add_modulator(patch, Modulator.kinds["lfo"](rate=7.0, shape="up"))
    patch, key = add_modulator(patch, Modulator.kinds["blend"](way=way, first=one, second=two, third="w", gate=0.3))
    found = moved(patch, key, 0.5, [Event(0, WHEEL, 0, 0.25), NOTE])
    at = times(found)[64:]
    a, b = (0.5 * (1 + lfo_value(shape, rate * at)) for shape, rate in (("triangle", 3.0), ("up", 7.0)))
    exact = np.array([blend_value(way, x, y, 0.25, 0.3) for x, y in zip(a, b, strict=True)])
    assert (np.abs(found[64:] - exact) < 2e-3).mean() > 0.98


def test_follow_hears_the_output_a_block_late() -> None:
    """A sine-like layer at a known peak: its level in dB between Quiet and Loud."""
    patch, key = with_mover("follow", floor=-60.0, full=0.0, attack=0.0, release=0.0)
    patch = sew(patch, key, "layers.a.pan", 0.0)[0]
    program = Program(patch, RATE)
    for block in range(40):
        program.block([NOTE] if block == 0 else [])
        level = 20 * math.log10(max(program.report.left, program.report.right))
    program.block([])
    assert program.moves[program.movers.index(key), -1, -1] == pytest.approx((level + 60) / 60, abs=1e-3)


@pytest.mark.parametrize(
    ("key", "events", "value"),
    [
        ("k", [Event(0, ON, 72, 1.0)], 0.2),
        ("v", [Event(0, ON, 60, 0.5)], 0.5),
        ("w", [Event(0, WHEEL, 0, 0.7), NOTE], 0.7),
        ("bd", [Event(0, BEND, 0, -0.5), NOTE], -0.5),
        ("pd", [Event(0, SUSTAIN, 0, 1.0), NOTE], 1.0),
        ("p", [NOTE, Event(0, PRESSURE, 0, 0.6)], 0.6),
        ("ag", [NOTE], 0.02),
        ("nn", [NOTE, Event(0, ON, 62, 1.0)], 0.0),
    ],
)
def test_what_the_player_does_is_a_mover(key: str, events: list[Event], value: float) -> None:
    found = moved(with_value(plain(layers__a__pan=0.0), "age", 10.0), key, 0.2, events)
    assert found[-1] == pytest.approx(value, abs=0.005)


def test_release_velocity_comes_with_the_release() -> None:
    patch = with_value(plain(layers__a__pan=0.0), "modulators.e1.release", 1.0)
    found = moved(patch, "rv", 0.3, [NOTE, Event(4800, OFF, 60, 0.8)])
    assert found[10] == 0.0 and found[-1] == pytest.approx(0.8)


# --- threads -----------------------------------------------------------------------------------


def traced(patch: Patch, path: str, seconds: float, events: Iterable[Event] = (NOTE,)) -> np.ndarray:
    program, found = Program(patch, RATE), []
    for frame in range(0, round(seconds * RATE), 256):
        program.block([e._replace(frame=e.frame - frame) for e in events if frame <= e.frame < frame + 256])
        found.append(program.modulation.control[program.at[path], 0, :-1].copy())
    return np.concatenate(found)


CUTOFF = "layers.a.filter.cutoff"


@pytest.mark.parametrize(
    ("changes", "value"),
    [
        ({"depth": 24.0}, 9600.0),
        ({"depth": -12.0}, 1200.0),
        ({"depth": 1000.0, "by": "amount"}, 3400.0),
        ({"depth": 24.0, "reading": "flipped"}, 2400.0),
        ({"depth": 12.0, "reading": "both ways"}, 4800.0),
        ({"depth": 24.0, "scaled": "w"}, 4800.0),
        ({"depth": 24.0, "shape": ((0.0, 0.0, 0.0), (0.5, 0.0, 0.0), (1.0, 0.5, 0.0))}, 4800.0),
    ],
)
def test_a_thread_on_a_cutoff_of_2400_hz(changes: dict[str, object], value: float) -> None:
    """+24 st is two octaves: 9.6 kHz; by amount it adds hertz; scaled by a wheel at half it goes half as far."""
    patch = with_value(plain(), CUTOFF, 2400.0)
    patch, key = sew(patch, "v", CUTOFF, 1.0)
    patch = set_thread(patch, key, **changes)
    found = traced(patch, CUTOFF, 0.2, [Event(0, WHEEL, 0, 0.5), NOTE])
    assert found[-1] == pytest.approx(value, rel=1e-4)


def test_a_shape_lets_keys_below_a_point_do_nothing_and_ramp_above() -> None:
    patch, thread = sew(with_value(plain(), CUTOFF, 1000.0), "k", CUTOFF, 24.0)
    patch = set_thread(patch, thread, reading="one way", shape=((0.0, 0.0, 0.0), (0.5, 0.0, 0.0), (1.0, 1.0, 0.0)))
    for key, octaves in ((36, 0.0), (60, 0.0), (90, 1.0), (120, 2.0)):
        found = traced(patch, CUTOFF, 0.05, [Event(0, ON, key, 1.0)])[-1]
        assert found == pytest.approx(1000 * 2**octaves, rel=1e-4)


def test_smooth_and_delay_come_after_the_mover() -> None:
    patch, thread = sew(with_value(plain(), "layers.a.pan", 0.0), "e1", "layers.a.pan", 1.0)
    late = traced(set_thread(patch, thread, delay=0.1), "layers.a.pan", 0.3)
    assert np.argmax(late > 0.5) * SECONDS == pytest.approx(0.1, abs=1.01 * SECONDS)
    patch = with_value(patch, "modulators.e1.attack", 0.0005)
    slow = traced(set_thread(patch, thread, smooth=0.1), "layers.a.pan", 0.3)
    assert slow[np.argmin(np.abs(times(slow) - 0.1))] == pytest.approx(1 - math.exp(-1), abs=0.02)


def test_a_depth_a_rate_a_time_and_a_macro_can_be_moved() -> None:
    """Each with a number: the wheel at half halves a depth of +24 st, doubles a rate by ×4, and turns a macro half way."""
    patch, thread = sew(with_value(plain(), CUTOFF, 1000.0), "v", CUTOFF, 0.0)
    patch, _ = sew(patch, "w", f"threads.{thread}.depth", 24.0)
    wheel = [Event(0, WHEEL, 0, 0.5), NOTE]
    assert traced(patch, CUTOFF, 0.2, wheel)[-1] == pytest.approx(2000.0, rel=1e-4)
    patch, lfo = with_mover("lfo", rate=2.0)
    patch, _ = sew(patch, "w", f"modulators.{lfo}.rate", 4.0)
    assert traced(sew(patch, lfo, "layers.a.pan", 1.0)[0], f"modulators.{lfo}.rate", 0.2, wheel)[-1] == pytest.approx(
        4.0
    )
    patch, _ = sew(with_value(plain(), CUTOFF, 1000.0), "w", "macros.m1", 1.0)
    patch, _ = sew(patch, "m1", CUTOFF, 24.0)
    assert traced(patch, CUTOFF, 0.2, wheel)[-1] == pytest.approx(2000.0, rel=1e-4)
    patch, _ = sew(plain(), "v", "modulators.e1.attack", 0.2)
    assert traced(patch, "modulators.e1.attack", 0.05)[-1] == pytest.approx(0.2)


def test_a_macro_gives_its_range() -> None:
    patch = put(
        plain(), ["macros", "m2"], plain().macros["m2"].model_copy(update={"value": 0.5, "low": 0.2, "high": 0.6})
    )
    patch, _ = sew(with_value(patch, "layers.a.pan", 0.0), "m2", "layers.a.pan", 1.0)
    assert traced(patch, "layers.a.pan", 0.1)[-1] == pytest.approx(0.4)


# --- anything sewn to anything ------------------------------------------------------------------


def sewn_at_random(seed: int) -> Patch:
    """A patch with movers of every kind, twenty threads by chance, and values all over their ranges."""
    lots = random.Random(seed)
    patch = plain(layers__a__pan=0.0)
    patch = duplicate_layer(with_value(patch, "layers.a.filter.on", True), "a")[0]
    for kind in Modulator.kinds:
        patch, _ = add_modulator(patch, Modulator.kinds[kind]())
    sources = list(movers(patch))
    blend = {name: lots.choice(sources) for name in ("first", "second", "third")}
    patch = put(patch, ["modulators", "b1"], patch.modulators["b1"].model_copy(update=blend))
    for _ in range(20):
        targets = [s.path for s in slots(patch) if isinstance(s.param, Param) and s.param.movable]
        target, source = lots.choice(targets), lots.choice(sources)
        try:
            limits = depth_param(target_param(patch, target))
            depth = float(limits.encode(limits.at(lots.random())))
            patch, key = sew(patch, source, target, depth)
            changes = {"reading": lots.choice(["one way", "both ways", "flipped"]), "smooth": lots.choice([0.0, 0.05])}
            patch = set_thread(patch, key, **changes, delay=lots.choice([0.0, 0.1]), scaled=lots.choice(["", *sources]))
        except FeltDialError:
            continue
    for slot in list(slots(patch)):
        quiet = slot.path in ("tempo", "level", "voices") or slot.path.endswith((".level", ".delay"))
        if isinstance(slot.param, Param) and not quiet and lots.random() < 0.3:
            patch = with_value(patch, slot.path, slot.param.at(lots.random()))
    return patch


@pytest.mark.parametrize("block", range(10))
def test_a_hundred_patches_with_threads_by_chance_are_finite_and_in_range(block: int) -> None:
    for seed in range(10 * block, 10 * block + 10):
        patch = sewn_at_random(seed)
        program = Program(patch, RATE)
        table = program.modulation.slots
        for n in range(24):
            events = (
                [Event(96, ON, 40 + 9 * n, 0.7)]
                if n < 4
                else [Event(0, OFF, 40 + 9 * (n - 12))]
                if 12 <= n < 16
                else []
            )
            sound = program.block([*events, Event(0, WHEEL, 0, n / 24)])
            assert np.isfinite(sound).all() and np.abs(sound).max() <= 1.0, seed
            assert not program.report.broken, (seed, program.report.broken)
            control = program.modulation.control[:, [*program.voices.active, -1], :]
            assert np.isfinite(control).all() and np.isfinite(program.moves).all(), seed
            low, high = table["low"][:, None, None] - 1e-3, table["high"][:, None, None]
            moved = table["moved"] > 0
            assert (control[moved] >= low[moved] * (1 + 1e-6) - 1e-3).all(), seed
            assert (control[moved] <= high[moved] * (1 + 1e-6) + 1e-3).all(), seed
            assert program.moves.min() >= -1.0001 and program.moves.max() <= 1.0001, seed


def test_a_patch_of_movers_renders_the_same_bytes_in_any_block_length_and_again() -> None:
    """Movers and threads alone: what they do to the parameters, tick by tick."""
    patch = sewn_at_random(7)
    found = []
    for frames in (256, 256, 64):
        program, line = Program(patch, RATE, frames), []
        for at in range(0, 12288, frames):
            program.block([NOTE] if at == 0 else [])
            line.append(program.modulation.control[: program.count, 0, :-1].copy())
        found.append(np.concatenate(line, axis=1))
    assert (found[0] == found[1]).all()
    follows = {"f1"} | {key for key in ("b1",) if "f1" in str(patch.modulators[key])}
    free = not any(t.source in follows or t.scaled in follows for t in patch.threads.values())
    assert not free or np.allclose(found[0], found[2], rtol=1e-4, atol=1e-5)


def test_a_thread_late_by_beats_follows_the_tempo() -> None:
    """A quarter at 240 beats per minute is a quarter of a second."""
    patch, thread = sew(plain(layers__a__pan=0.0, tempo=240.0), "e1", "layers.a.pan", 1.0)
    late = traced(set_thread(patch, thread, delay=Beats(1.0)), "layers.a.pan", 0.5)
    assert np.argmax(late > 0.5) * SECONDS == pytest.approx(0.25, abs=1.01 * SECONDS)
