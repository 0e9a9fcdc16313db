"""Threads, drawings and macros as values: reaches, cuts, cycles, what is refused, what is kept in a file."""

from __future__ import annotations

import pytest

from felt_dial.patch.documents.kind import BadDocument
from felt_dial.patch.documents.patch import read_patch, write_patch
from felt_dial.patch.drawn import LINE, Column, Drawn, doubled
from felt_dial.patch.edits import add_modulator, cut, default_at, move_thread, remove_modulator, set_thread, sew, shake
from felt_dial.patch.module import Modulator
from felt_dial.patch.params import OutOfRange
from felt_dial.patch.parts import NoSuchPath, read_depth
from felt_dial.patch.patch import Patch, depth_of, outline, put, structure, target_param, with_value
from felt_dial.patch.reach import moves_something, reach, reach_of_all
from felt_dial.patch.units import RATE, NotReadable
from felt_dial.sound.control.core.order import MOVER, SLOT, Node, in_order
from felt_dial.sound.modules import new_patch

CUTOFF = "layers.a.filter.cutoff"


@pytest.fixture
def patch() -> Patch:
    return with_value(new_patch(), CUTOFF, 2400.0)


@pytest.mark.parametrize(
    ("changes", "ends"),
    [
        ({"depth": 24.0}, (2400.0, 9600.0)),
        ({"depth": -12.0}, (2400.0, 1200.0)),
        ({"depth": 600.0, "by": "amount"}, (2400.0, 3000.0)),
        ({"depth": 24.0, "reading": "flipped"}, (9600.0, 2400.0)),
        ({"depth": 12.0, "reading": "both ways"}, (1200.0, 4800.0)),
        ({"depth": 24.0, "shape": ((0.0, 0.5, 0.0), (1.0, 0.0, 0.0))}, (4800.0, 2400.0)),
    ],
)
def test_a_reach_is_where_the_mover_takes_the_dial_at_its_two_ends(
    patch: Patch, changes: dict[str, object], ends: tuple[float, float]
) -> None:
    patch, key = sew(patch, "v", CUTOFF, 1.0)
    patch = set_thread(patch, key, **changes)
    assert reach(patch, patch.threads[key])[:2] == pytest.approx(ends)


def test_the_range_of_a_macro_is_part_of_its_reach(patch: Patch) -> None:
    patch, key = sew(patch, "m1", CUTOFF, 24.0)
    patch = with_value(with_value(patch, "macros.m1.low", 0.5), "macros.m1.high", 0.75)
    assert reach(patch, patch.threads[key])[:2] == pytest.approx((4800.0, 2400.0 * 2**1.5))


def test_threads_that_meet_add_octaves_first_and_hertz_after(patch: Patch) -> None:
    patch, _ = sew(patch, "v", CUTOFF, 12.0)
    patch, _ = sew(patch, "w", CUTOFF, 500.0, "amount")
    assert reach_of_all(patch, CUTOFF) == pytest.approx((2400.0, 5300.0, False))
    patch, _ = sew(patch, "m1", CUTOFF, 60.0)
    assert reach_of_all(patch, CUTOFF)[1:] == (20000.0, True)


def test_what_was_typed_says_whether_it_counts_by_ratio_or_by_amount(patch: Patch) -> None:
    cutoff, pan = target_param(patch, CUTOFF), target_param(patch, "layers.a.pan")
    assert read_depth(cutoff, "+24 st") == ("ratio", 24.0) and read_depth(cutoff, "−500 Hz") == ("amount", -500.0)
    assert read_depth(cutoff, "1.2k") == ("amount", 1200.0) and read_depth(pan, "30 %") == ("ratio", 0.3)
    for param, text in ((cutoff, "30 %"), (pan, "12 st"), (cutoff, "moss")):
        with pytest.raises(NotReadable):
            read_depth(param, text)
    with pytest.raises(OutOfRange):
        read_depth(pan, "900 %")


def test_a_rate_is_also_the_length_of_a_turn() -> None:
    assert RATE.read("2 s") == 0.5 and RATE.read("250 ms") == 4.0 and RATE.read("3") == 3.0


def test_depths_are_dials_but_no_thread_moves_itself(patch: Patch) -> None:
    patch, one = sew(patch, "v", CUTOFF, 12.0)
    patch, two = sew(patch, "w", f"threads.{one}.depth", 6.0)
    assert depth_of(patch, patch.threads[two]).unit.write_signed(6.0).endswith("st")
    with pytest.raises(NoSuchPath, match="own depth"):
        sew(patch, "m1", f"threads.{two}.depth", 1.0)[0] and set_thread(patch, one, target=f"threads.{two}.depth")
    patch = cut(patch, one)
    assert patch.threads == {}, "a thread on a thread goes with it"


def test_a_mover_that_others_read_is_not_removed_and_its_scaling_ends_with_it(patch: Patch) -> None:
    patch, lfo = add_modulator(patch, Modulator.kinds["lfo"]())
    patch, blend = add_modulator(patch, Modulator.kinds["blend"](first=lfo, second="w"))
    assert not moves_something(patch, lfo)
    patch, key = sew(patch, blend, CUTOFF, 12.0)
    assert moves_something(patch, lfo) and moves_something(patch, "w")
    with pytest.raises(OutOfRange, match="is made of L1"):
        remove_modulator(patch, lfo)
    patch = set_thread(patch, key, scaled=lfo)
    patch = remove_modulator(put(patch, ["modulators", blend, "first"], ""), lfo)
    assert patch.threads[key].scaled == ""


def test_a_thread_changed_to_another_sort_of_dial_starts_anew(patch: Patch) -> None:
    patch, key = sew(patch, "v", CUTOFF, 12.0)
    assert (
        set_thread(patch, key, target="layers.b.filter.cutoff" if "b" in patch.layers else CUTOFF).threads[key].depth
        == 12.0
    )
    assert set_thread(patch, key, target="layers.a.pan").threads[key].depth == 0.0
    assert set_thread(patch, key, by="amount").threads[key].depth == 0.0
    with pytest.raises(NoSuchPath):
        set_thread(patch, key, target="layers.z.pan")


def test_threads_have_an_order_that_counts(patch: Patch) -> None:
    patch, one = sew(patch, "m1", CUTOFF, 12.0)
    patch, two = sew(patch, "m1", "layers.a.pan", 0.5)
    moved = move_thread(patch, two, one)
    assert list(moved.threads) == [two, one] and moved != patch


def test_a_macro_goes_back_to_its_own_default(patch: Patch) -> None:
    assert default_at(with_value(patch, "macros.m3.default", 0.4), "macros.m3") == 0.4
    assert default_at(patch, CUTOFF) == 8000.0


def test_shaking_is_seeded_and_stays_within_the_dials(patch: Patch) -> None:
    patch, one = sew(patch, "m1", CUTOFF, 12.0)
    patch, two = sew(patch, "m1", "layers.a.pan", 0.5)
    patch, three = sew(patch, "m1", "modulators.e1.attack", 0.5)
    for seed in range(40):
        shaken = shake(patch, "m1", 1.0, seed)
        assert shaken == shake(patch, "m1", 1.0, seed)
        assert not any(reach(shaken, shaken.threads[key])[2] for key in (one, two, three))
    near = shake(patch, "m1", 0.05, 1)
    param = target_param(patch, CUTOFF)
    assert abs(param.position(reach(near, near.threads[one])[1]) - param.position(2400.0)) <= 0.05 + 1e-6


# --- drawings ----------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("rows", "says"),
    [
        ((), "2 to 8"),
        (((0.0, 0.0, 0.0),), "2 to 8"),
        (((0.1, 0, 0), (1.0, 1, 0)), "from 0 to 1"),
        (((0.0, 0, 0), (0.6, 1, 0), (0.4, 0, 0), (1.0, 1, 0)), "forward"),
        (((0.0, 2.0, 0), (1.0, 1, 0)), "level"),
        (((0.0, 0), (1.0, 1)), "at, level, bend"),
        ("soon", "rows"),
        (((0.0, float("nan"), 0), (1.0, 1, 0)), "level"),
    ],
)
def test_a_line_that_is_none_is_refused_with_the_reason(rows: object, says: str) -> None:
    with pytest.raises(OutOfRange, match=says):
        Drawn("Line", ((0, 0, 0), (1, 1, 0)), LINE, least=2, most=8, says="").check(rows)


def test_whole_columns_and_full_lines() -> None:
    row = Drawn("Row", ((0.0,),), (Column("n", -3, 3, whole=True),), most=4, says="")
    assert row.check([[1.4], [-2.6]]) == ((1.0,), (-3.0,)) and len(row.numbers(((1.0,),))) == row.room == 5
    with pytest.raises(OutOfRange, match="more than the 3"):
        doubled(((0, 0, 0), (1, 1, 0)), 3)


def test_drawings_are_values_a_drag_does_not_rebuild(patch: Patch) -> None:
    patch, key = add_modulator(patch, Modulator.kinds["curve"]())
    drawn = with_value(patch, f"modulators.{key}.line", ((0.0, 1.0, 0.0), (1.0, 0.0, 0.0)))
    assert drawn != patch and structure(drawn) == structure(patch) and outline(drawn) == outline(patch)
    assert structure(with_value(patch, f"modulators.{key}.start", "first note")) != structure(patch)


def test_everything_new_is_kept_in_a_file_and_a_broken_one_is_refused(patch: Patch) -> None:
    for kind in Modulator.kinds:
        patch, _ = add_modulator(patch, Modulator.kinds[kind]())
    patch, key = sew(patch, "c1", CUTOFF, 300.0, "amount")
    patch = set_thread(patch, key, scaled="w", smooth=0.2, delay=0.5, shape=((0, 0, 0), (0.5, 1, 0.2), (1, 0, 0)))
    patch = with_value(patch, "pattern.on", True)
    text = write_patch(patch)
    assert read_patch(text, "x") == patch
    for good, bad in (('"scaled": "w"', '"scaled": "q9"'), ('"listens": "out"', '"listens": "moon"')):
        with pytest.raises(BadDocument, match="called"):
            read_patch(text.replace(good, bad), "x")


# --- order -------------------------------------------------------------------------------------


def test_what_is_read_comes_first_and_only_loops_are_late(patch: Patch) -> None:
    patch, one = add_modulator(patch, Modulator.kinds["lfo"](start="free"))
    patch, two = add_modulator(patch, Modulator.kinds["lfo"]())
    patch, thread = sew(patch, two, CUTOFF, 12.0)
    patch, _ = sew(patch, one, f"threads.{thread}.depth", 3.0)
    patch, _ = sew(patch, "m1", f"modulators.{two}.rate", 2.0)
    order = in_order(patch)
    place = {node: n for n, node in enumerate(order.nodes)}
    depth, rate, cutoff = (Node(SLOT, path) for path in (f"threads.{thread}.depth", f"modulators.{two}.rate", CUTOFF))
    assert (
        place[Node(MOVER, one)] < place[depth] < place[cutoff] and place[rate] < place[Node(MOVER, two)] < place[cutoff]
    )
    assert not order.late
    assert {Node(MOVER, one), Node(MOVER, "m1"), depth, rate} <= order.shared and cutoff not in order.shared
    looped, _ = sew(patch, two, f"modulators.{one}.rate", 2.0)
    assert not in_order(looped).late and Node(MOVER, one) not in in_order(looped).shared
    looped, _ = sew(looped, one, f"modulators.{two}.rate", 2.0)
    assert len(in_order(looped).late) == 1
