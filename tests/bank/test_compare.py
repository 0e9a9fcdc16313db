"""What is different between two sounds is said in words, whatever was edited; and one module is taken alone."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from felt_dial.bank.finding.compare import changed_modules, difference, with_module
from felt_dial.patch.edits import (
    add_effect,
    add_layer,
    add_modulator,
    remove_effect,
    remove_layer,
    replace_module,
    set_thread,
    sew,
)
from felt_dial.patch.module import Effect, Filter, Modulator, Source
from felt_dial.patch.patch import Patch, put, slots, with_value
from felt_dial.sound.matter.tables import shipped_recordings
from felt_dial.sound.modules import new_layer, new_patch


def base() -> Patch:
    patch, _ = add_effect(new_patch("Base"), "1", Effect.kinds["delay"]())
    patch, _ = add_modulator(patch, Modulator.kinds["lfo"]())
    patch, _ = add_layer(patch, new_layer())
    patch = replace_module(patch, "layers.b.source", Source.kinds["sample"]())
    return sew(patch, "l1", "layers.a.filter.cutoff", 12.0)[0]


def drawn(patch: Patch) -> Patch:
    lfo = patch.modulators["l1"]
    name, drawing = next(iter(lfo.drawings.items()))
    line = tuple((row[0], 0.3, *row[2:]) for row in getattr(lfo, name))
    assert drawing.label
    return put(patch, ["modulators", "l1"], lfo.model_copy(update={name: line}))


def macro(patch: Patch) -> Patch:
    return put(patch, ["macros", "m1"], patch.macros["m1"].model_copy(update={"name": "Bright"}))


def sample(patch: Patch) -> Patch:
    source = patch.layers["b"].source.model_copy(update={"asset": shipped_recordings()["Struck Glass"][0]})
    return put(patch, ["layers", "b", "source"], source)


EDITS: dict[str, tuple[Callable[[Patch], Patch], str]] = {
    "a value": (lambda p: with_value(p, "layers.a.filter.cutoff", 3100.0), "A Cutoff"),
    "a switch": (lambda p: with_value(p, "layers.a.filter.on", True), "A On off → on"),
    "a choice": (lambda p: with_value(p, "play", "mono"), "Play Poly → Mono"),
    "a layer more": (lambda p: add_layer(p, new_layer())[0], "+layer C"),
    "a layer less": (lambda p: remove_layer(p, "b"), "−layer B"),
    "an effect more": (lambda p: add_effect(p, "1", Effect.kinds["reverb"]())[0], "+Reverb"),
    "an effect less": (lambda p: remove_effect(p, "1", "delay1"), "−Delay"),
    "a modulator more": (lambda p: add_modulator(p, Modulator.kinds["steps"]())[0], "+S1 Steps"),
    "a thread more": (lambda p: sew(p, "v", "layers.a.pan", 0.5)[0], "+1 thread"),
    "a thread deeper": (lambda p: set_thread(p, "t1", depth=24.0), "L1 on A Cutoff"),
    "another source": (lambda p: replace_module(p, "layers.a.source", Source.kinds["noise"]()), "A Noise"),
    "another filter": (lambda p: replace_module(p, "layers.a.filter", Filter.kinds["comb"]()), "filter of A"),
    "a drawing": (drawn, "drawn anew"),
    "another recording": (sample, "plays nothing → Struck Glass"),
    "the name of a macro": (macro, "Macro 1 is called nothing → Bright"),
}


@pytest.mark.parametrize("edit", list(EDITS))
def test_every_kind_of_edit_is_said(edit: str) -> None:
    before = base()
    make, words = EDITS[edit]
    after = make(before)
    assert after != before
    found = difference(before, after)
    assert words in found.sentence() and found.size >= 1
    back = difference(after, before)
    assert back.size == found.size and (back.added, back.removed) == (found.removed, found.added)


def test_nothing_is_different_in_the_same_and_words_do_not_count() -> None:
    patch = base()
    assert difference(patch, patch).sentence() == "nothing that is heard"
    assert (
        difference(patch, patch.model_copy(update={"name": "Other", "description": "x", "favourite": True})).size == 0
    )


def test_what_moved_most_comes_first() -> None:
    patch = base()
    after = with_value(with_value(patch, "layers.a.pan", 0.05), "layers.a.filter.cutoff", 40.0)
    assert [row.what for row in difference(patch, after).rows] == ["A Cutoff", "A Pan"]


def test_one_module_of_another_sound_is_taken_and_all_else_stays() -> None:
    patch = base()
    other = with_value(with_value(patch, "layers.a.filter.cutoff", 900.0), "layers.b.level", -20.0)
    assert "layers.a.filter" in changed_modules(patch, other)
    made = with_module(patch, other, "layers.a.filter")
    were = {slot.path: slot.value for slot in slots(patch)}
    changed = {slot.path for slot in slots(made) if were[slot.path] != slot.value}
    assert changed == {"layers.a.filter.cutoff"}
