"""Where threads take a dial, and whether a mover moves anything: each rule by itself, with numbers from its definition."""

from __future__ import annotations

from typing import Any

import pytest

import felt_dial.sound.modules  # noqa: F401
from felt_dial.patch.edits import add_inlet, add_layer, add_modulator, remove_layer, set_thread, sew
from felt_dial.patch.module import Modulator
from felt_dial.patch.patch import Patch, with_value
from felt_dial.patch.reach import moves_something, reach, reach_of_all, silent_because
from felt_dial.patch.units import Beats
from felt_dial.sound.modules import new_layer, new_patch

CUTOFF, PAN, LEVEL = "layers.a.filter.cutoff", "layers.a.pan", "layers.a.level"


def sewn(source: str, target: str, depth: float, patch: Patch | None = None, **more: Any) -> tuple[Patch, str]:
    patch, key = sew(patch or new_patch(), source, target, depth)
    return set_thread(patch, key, **more) if more else patch, key


def ends(patch: Patch, key: str) -> tuple[float, float]:
    first, last, _ = reach(patch, patch.threads[key])
    return first, last


@pytest.mark.parametrize(("beats", "tempo", "says"), [(0.25, 120.0, ""), (0.25, 999.0, "66.6"), (4.0, 999.0, "")])
def test_a_note_length_beyond_what_there_is_says_what_it_is(beats: float, tempo: float, says: str) -> None:
    """1/16 at 999 bpm is 999 / 60 · 4 = 66.6 Hz; a low-frequency oscillator has 50."""
    param = Modulator.kinds["lfo"].params["rate"]
    told = param.beyond(Beats(beats), tempo)  # type: ignore[attr-defined]
    assert (says in told and told.endswith("50.0\u2009Hz")) if says else told == ""


def test_a_depth_in_octaves_multiplies_and_one_in_its_unit_adds() -> None:
    patch = with_value(new_patch(), CUTOFF, 1000.0)
    assert ends(*sewn("m1", CUTOFF, 12.0, patch)) == pytest.approx((1000.0, 2000.0)), "12 semitones are an octave"
    assert ends(*sewn("m1", CUTOFF, -24.0, patch)) == pytest.approx((1000.0, 250.0))
    patch, key = sewn("m1", CUTOFF, 12.0, patch)
    added = set_thread(patch, key, by="amount", depth=300.0)
    assert ends(added, key) == pytest.approx((1000.0, 1300.0))


def test_a_reading_turns_the_ends_round_or_lets_it_go_both_ways() -> None:
    patch, key = sewn("m1", PAN, 0.5)
    assert ends(patch, key) == pytest.approx((0.0, 0.5))
    assert ends(set_thread(patch, key, reading="flipped"), key) == pytest.approx((0.5, 0.0))
    assert ends(set_thread(patch, key, reading="both ways"), key) == pytest.approx((-0.5, 0.5))


def test_a_shape_gives_its_lowest_and_highest_level_in_its_own_direction() -> None:
    patch, key = sewn("m1", PAN, 0.5)
    up = set_thread(patch, key, shape=((0.0, 0.2, 0.0), (0.5, 1.0, 0.0), (1.0, 0.6, 0.0)))
    assert ends(up, key) == pytest.approx((0.1, 0.5))
    down = set_thread(patch, key, shape=((0.0, 0.9, 0.0), (0.5, 0.1, 0.0), (1.0, 0.3, 0.0)))
    assert ends(down, key) == pytest.approx((0.45, 0.05))


def test_the_range_of_a_macro_is_where_it_goes() -> None:
    patch, key = sewn("m2", PAN, 0.5)
    patch = with_value(with_value(patch, "macros.m2.low", 0.4), "macros.m2.high", 0.8)
    assert ends(patch, key) == pytest.approx((0.2, 0.4))


def test_what_scales_a_thread_lets_it_begin_at_nothing() -> None:
    patch, key = sewn("m1", PAN, 0.5)
    scaled = set_thread(patch, key, scaled="m2")
    assert ends(scaled, key) == pytest.approx((0.0, 0.5))
    both = set_thread(scaled, key, reading="both ways")
    assert ends(both, key) == pytest.approx((-0.5, 0.5)), "from one side to the other, however little of it"


def test_an_end_of_the_range_stops_it_and_says_so() -> None:
    patch = with_value(new_patch(), PAN, 0.8)
    low, high, stopped = reach(*_thread(sewn("m1", PAN, 0.5, patch)))
    assert (low, high, stopped) == (pytest.approx(0.8), 1.0, True)
    assert not reach(*_thread(sewn("m1", PAN, 0.2, patch)))[2], "just there is not beyond"
    assert reach(*_thread(sewn("m1", PAN, 0.21, patch)))[2]


def _thread(made: tuple[Patch, str]) -> tuple[Patch, Any]:
    patch, key = made
    return patch, patch.threads[key]


def test_all_threads_together_reach_as_far_as_their_sums() -> None:
    patch, one = sewn("m1", PAN, 0.3)
    patch, two = sewn("m2", PAN, -0.2, patch)
    assert reach_of_all(patch, PAN) == pytest.approx((-0.2, 0.3, False))
    assert reach_of_all(set_thread(patch, two, reading="both ways"), PAN) == pytest.approx((-0.2, 0.5, False))
    assert reach_of_all(set_thread(patch, one, on=False), PAN) == pytest.approx((-0.2, 0.0, False))
    scaled = set_thread(patch, two, reading="flipped", scaled="m3")
    assert reach_of_all(scaled, PAN) == pytest.approx((-0.2, 0.3, False)), "what scales may be at nothing"


def test_a_mover_moves_something_where_a_thread_with_a_depth_is_on() -> None:
    patch, key = sewn("m1", PAN, 0.3)
    assert moves_something(patch, "m1") and not moves_something(patch, "m2")
    assert not moves_something(set_thread(patch, key, on=False), "m1")
    assert not moves_something(set_thread(patch, key, depth=0.0), "m1")
    assert moves_something(set_thread(patch, key, scaled="m2"), "m2")


def test_an_envelope_that_is_a_level_and_what_a_blend_reads_move_something() -> None:
    patch = new_patch()
    assert moves_something(patch, "e1"), "it is the level of layer A"
    patch, lfo = add_modulator(patch, Modulator.kinds["lfo"]())
    patch, blend = add_modulator(patch, Modulator.kinds["blend"](first=lfo))
    assert not moves_something(patch, lfo)
    patch, _ = sew(patch, blend, PAN, 0.2)
    assert moves_something(patch, lfo) and moves_something(patch, blend)


def test_why_a_dial_is_not_heard_and_what_to_turn() -> None:
    patch = new_patch()
    assert silent_because(with_value(patch, "layers.a.filter.on", False), CUTOFF) == (
        "The filter of A is off", {"layers.a.filter.on": True},
    )  # fmt: skip
    assert silent_because(with_value(patch, "layers.a.filter.on", True), CUTOFF) is None
    assert silent_because(with_value(patch, "layers.a.on", False), LEVEL) == ("Layer A is off", {"layers.a.on": True})
    nowhere = with_value(patch, "layers.a.out", "none")
    assert silent_because(nowhere, LEVEL) == ("Layer A goes nowhere", {"layers.a.out": "rack"})
    nowhere, other = add_layer(nowhere, new_layer())
    heard = add_inlet(nowhere, other, "a", 0.5)
    assert silent_because(heard, LEVEL) is None, "the layer that it modulates is heard"
    assert silent_because(patch, "tempo") is None and silent_because(patch, "modulators.e1.attack") is None


def test_a_layer_that_goes_takes_its_inlets_and_swings_along() -> None:
    patch, other = add_layer(new_patch(), new_layer())
    patch = with_value(add_inlet(patch, "a", other, 1.0), "layers.a.swung", other)
    patch, third = add_layer(patch, new_layer())
    patch = add_inlet(patch, "a", third, 0.5)
    patch, _ = sew(patch, "m1", f"layers.a.inlets.{other}.index", 0.2)
    patch, kept = sew(patch, "m1", f"layers.a.inlets.{third}.index", 0.2)
    left = remove_layer(patch, other)
    assert set(left.layers) == {"a", third} and set(left.layers["a"].inlets) == {third}
    assert left.layers["a"].get("swung") == "none" and list(left.threads) == [kept]
