"""Edits and history."""

from __future__ import annotations

import pytest

from felt_dial.patch import edits, reach
from felt_dial.patch.change import values_of
from felt_dial.patch.history import History, Step
from felt_dial.patch.module import Effect, Filter, Modulator, Source
from felt_dial.patch.params import OutOfRange, Param
from felt_dial.patch.parts import NoSuchPath, depth_param, read_reading
from felt_dial.patch.patch import Patch, put, slots, value_at, with_value
from felt_dial.sound.modules import new_layer, new_patch


def two_layers() -> Patch:
    return edits.add_layer(new_patch(), new_layer())[0]


def test_layers_are_added_moved_duplicated_and_removed_and_keep_their_ids() -> None:
    patch = two_layers()
    patch, _ = edits.sew(patch, "m1", "layers.b.pan", 0.4)
    patch, key = edits.duplicate_layer(patch, "b")
    assert key == "c" and list(patch.layers) == ["a", "b", "c"]
    assert edits.threads_on(patch, "layers.c.pan"), "a copy brings its threads"
    patch = edits.move_layer(patch, "c", 0)
    assert list(patch.layers) == ["c", "a", "b"]
    patch = edits.remove_layer(patch, "b")
    assert list(patch.layers) == ["c", "a"] and not edits.threads_on(patch, "layers.b.pan")
    patch, key = edits.add_layer(patch, new_layer())
    assert key == "b", "a free letter is used again"


def test_the_last_layer_and_the_ninth_are_refused() -> None:
    patch = new_patch()
    with pytest.raises(OutOfRange):
        edits.remove_layer(patch, "a")
    for _ in range(7):
        patch, _key = edits.add_layer(patch, new_layer())
    with pytest.raises(OutOfRange, match="8 layers"):
        edits.add_layer(patch, new_layer())


def test_an_envelope_that_shapes_a_layer_stays() -> None:
    patch, key = edits.add_modulator(new_patch(), Modulator.kinds["envelope"]())
    assert key == "e2"
    with pytest.raises(OutOfRange, match="layer A"):
        edits.remove_modulator(patch, "e1")
    patch, _ = edits.sew(patch, "e2", "layers.a.pan", 0.2)
    gone = edits.remove_modulator(patch, "e2")
    assert "e2" not in gone.modulators and not gone.threads


def test_sewing_twice_keeps_one_thread() -> None:
    patch, first = edits.sew(new_patch(), "m1", "layers.a.filter.cutoff")
    assert patch.threads[first].depth == 0.0 and not reach.moves_something(patch, "m1")
    patch, again = edits.sew(patch, "m1", "layers.a.filter.cutoff", 12.0)
    assert again == first and patch.threads[first].depth == 12.0 and reach.moves_something(patch, "m1")
    assert not edits.cut(patch, first).threads


def test_what_cannot_be_sewn_is_said() -> None:
    for source, target in (("zz", "layers.a.pan"), ("m1", "layers.a.filter.response"), ("m1", "tempo")):
        with pytest.raises(NoSuchPath):
            edits.sew(new_patch(), source, target, 0.1)
    with pytest.raises(OutOfRange):
        edits.sew(new_patch(), "m1", "layers.a.pan", 9.0)


def test_an_lfo_reads_both_ways_and_an_envelope_one() -> None:
    patch, key = edits.add_modulator(new_patch(), Modulator.kinds["lfo"]())
    patch, lfo = edits.sew(patch, key, "layers.a.fine", 6.0)
    patch, envelope = edits.sew(patch, "e1", "layers.a.fine", 6.0)
    assert patch.threads[lfo].reading == "both ways" and patch.threads[envelope].reading == "one way"
    assert reach.reach(patch, patch.threads[lfo])[:2] == (-6.0, 6.0)
    assert reach.reach(patch, patch.threads[envelope])[:2] == (0.0, 6.0)


def test_the_reach_is_shown_in_the_unit_of_the_dial_and_says_when_it_stops() -> None:
    patch = with_value(new_patch(), "layers.a.filter.cutoff", 2400.0)
    patch, key = edits.sew(patch, "e1", "layers.a.filter.cutoff", 24.0)
    low, high, stopped = reach.reach(patch, patch.threads[key])
    assert (low, high, stopped) == (2400.0, pytest.approx(9600.0), False)
    patch, _ = edits.sew(patch, "m1", "layers.a.filter.cutoff", 36.0)
    low, high, stopped = reach.reach_of_all(patch, "layers.a.filter.cutoff")
    assert high == 20000.0 and stopped


def test_effects_keep_their_ids_when_they_move() -> None:
    patch, first = edits.add_effect(new_patch(), "1", Effect.kinds["delay"]())
    patch, second = edits.add_effect(patch, "1", Effect.kinds["delay"]())
    assert (first, second) == ("delay1", "delay2")
    patch = edits.move_effect(patch, "1", "delay2", 0)
    assert list(patch.racks["1"]) == ["delay2", "delay1"]
    assert list(edits.remove_effect(patch, "1", "delay2").racks["1"]) == ["delay1"]
    for _ in range(10):
        patch, _key = edits.add_effect(patch, "1", Effect.kinds["delay"]())
    with pytest.raises(OutOfRange):
        edits.add_effect(patch, "1", Effect.kinds["delay"]())


def test_places_are_named_as_a_designer_would() -> None:
    patch, _ = edits.add_effect(new_patch(), "1", Effect.kinds["delay"]())
    assert edits.place_name(patch, "layers.a.filter.cutoff") == ("A", "Cutoff")
    assert edits.place_name(patch, "racks.1.delay1.wet") == ("Delay", "Wet")
    assert edits.place_name(patch, "modulators.e1.attack") == ("E1", "Attack")


class Table:
    """Something with a value and a history, as the session is."""

    def __init__(self) -> None:
        self.value, self.history = 0, History(limit=5)

    def set(self, value: int, merge: str = "") -> None:
        before = self.value
        self.value = value
        self.history.add(Step(f"to {value}", lambda: self._put(before), lambda: self._put(value), merge))

    def _put(self, value: int) -> None:
        self.value = value


def test_one_drag_is_one_step() -> None:
    table = Table()
    table.set(1)
    for value in range(10, 20):
        table.set(value, merge="cutoff")
    table.history.settle()
    table.set(30, merge="cutoff")
    assert table.history.sentences() == ["to 1", "to 19", "to 30"]
    assert table.history.undo() == "to 30" and table.value == 19
    assert table.history.undo() == "to 19" and table.value == 1
    assert table.history.redo() == "to 19" and table.value == 19
    assert table.history.redo_says == "to 30"


def test_a_new_edit_forgets_what_was_undone_and_the_line_is_bounded() -> None:
    table = Table()
    for value in range(1, 9):
        table.set(value)
    table.history.undo()
    table.set(99)
    assert table.history.redo() == "" and table.value == 99
    for _ in range(9):
        table.history.undo()
    assert table.value == 3, "five steps are kept: 99, 7, 6, 5, 4 go back to 3"


def test_putting_shares_everything_else() -> None:
    patch = two_layers()
    again = put(patch, ["layers", "a", "name"], "Leaf")
    assert again.layers["a"].name == "Leaf" and again.layers["b"] is patch.layers["b"]
    assert value_at(again, "layers.a.level") == -12.0


def test_a_new_thread_reads_its_mover_as_suits_it() -> None:
    """A wave that swings is bipolar; one turn, a rise, a fall, a drawing and an envelope are unipolar."""
    for values, expected in (
        ({}, "both ways"),
        ({"shape": "square"}, "both ways"),
        ({"shape": "up"}, "one way"),
        ({"shape": "drawn"}, "one way"),
        ({"shape": "drawn", "line": ((0.0, 0.5, 0.0), (0.3, 1.0, 0.0), (1.0, 0.5, 0.0))}, "both ways"),
        ({"start": "once"}, "one way"),
    ):
        patch, key = edits.add_modulator(new_patch(), Modulator.kinds["lfo"](**values))
        patch, thread = edits.sew(patch, key, "layers.a.fine", 6.0)
        assert patch.threads[thread].reading == expected
    patch, thread = edits.sew(patch, key, "layers.a.pan", 0.5, reading="flipped")
    assert patch.threads[thread].reading == "flipped"


def test_a_reading_is_typed_behind_a_depth() -> None:
    assert read_reading("+12 st bipolar") == ("+12 st", "both ways")
    assert read_reading("-3 inv") == ("-3", "flipped") and read_reading("unip") == ("", "one way")
    assert read_reading("+12 st") == ("+12 st", None) and read_reading("") == ("", None)


def test_no_dial_that_stands_at_an_end_is_said_to_be_stopped_there() -> None:
    """Every movable dial of every kind at either end, with a thread that goes inwards from there, or nowhere."""
    patch = new_patch()
    for family in (Source, Filter):
        for cls in family.kinds.values():
            layer = "source" if family is Source else "filter"
            here = edits.replace_module(patch, f"layers.a.{layer}", cls())
            for slot in list(slots(here)):
                if not slot.path.startswith(f"layers.a.{layer}.") or not slot.param.movable:
                    continue
                assert isinstance(slot.param, Param)
                for end, inwards in ((slot.param.low, 1.0), (slot.param.high, -1.0)):
                    there = with_value(here, slot.path, end)
                    for depth in (0.0, inwards):
                        limits = depth_param(slot.param)
                        far = float(limits.encode(limits.default)) if not depth else limits.at(0.5 + 0.02 * depth)
                        there, thread = edits.sew(there, "m1", slot.path, float(far))
                        assert not reach.reach(there, there.threads[thread])[2], (slot.path, end, depth)


def test_two_effects_of_a_kind_say_which() -> None:
    patch, first = edits.add_effect(new_patch(), "1", Effect.kinds["drive"]())
    assert edits.place_name(patch, f"racks.1.{first}.amount") == ("Drive", "Drive amount")
    patch, second = edits.add_effect(patch, "2", Effect.kinds["drive"]())
    names = [edits.place_name(patch, f"racks.{r}.{k}.amount")[0] for r, k in (("1", first), ("2", second))]
    assert names == ["Drive 1", "Drive 2"]


def test_the_way_back_to_a_patch_is_told_by_its_values_where_nothing_else_differs() -> None:
    before = new_patch()
    paths = ("layers.a.filter.cutoff", "layers.a.level")
    after = with_value(with_value(before, paths[0], 500.0), paths[1], -6.0)
    back = values_of(before, after, paths)
    assert back is not None and back.patch is before and back.paths == paths and not back.rebuilds
    assert values_of(before, after, paths[:1]) is None, "the level differs too"
    assert values_of(before, after.model_copy(update={"name": "Other"}), paths) is None
    assert values_of(before, edits.sew(after, "e1", "layers.a.pan")[0], paths) is None
    assert values_of(before, edits.add_layer(after, new_layer())[0], paths) is None
    assert values_of(before, after, ("layers.z.level",)) is None
    swung = with_value(before, "layers.a.swung", "b")
    assert values_of(swung, before, ("layers.a.swung",)) is None, "the sound is laid out anew for it"
