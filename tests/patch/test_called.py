"""What things are called: every place of a patch, the way of its sound, values between two named places."""

from __future__ import annotations

import pytest

from felt_dial.patch import routing
from felt_dial.patch.edits import add_effect, add_inlet, add_layer, add_modulator, add_send, place_name, sew
from felt_dial.patch.module import Effect, Modulator
from felt_dial.patch.params import Param
from felt_dial.patch.patch import Patch, put, with_value
from felt_dial.patch.units import COUNT, THIN
from felt_dial.sound.modules import new_layer, new_patch


def whole() -> tuple[Patch, str]:
    """A patch with something at every kind of place, and the thread of it."""
    patch, _ = add_layer(new_patch(), new_layer())
    patch = add_inlet(patch, "a", "b", 1.0)
    patch = add_send(add_send(patch, "layers.a", "rack2", -6.0), "buses.1", "rack2", -3.0)
    patch, _ = add_effect(patch, "1", Effect.kinds["delay"]())
    patch, mover = add_modulator(patch, Modulator.kinds["lfo"]())
    return sew(patch, mover, "layers.a.filter.cutoff", 12.0)


PLACES = {
    "tempo": ("Patch", "Tempo"),
    "layers.a.level": ("A", "Level"),
    "layers.b.source.detune": ("B", "Detune"),
    "layers.a.filter.cutoff": ("A", "Cutoff"),
    "layers.a.inlets.b.index": ("A", "Index from B"),
    "buses.1.level": ("Bus 1", "Level"),
    "buses.2.drive.amount": ("Bus 2", "Drive amount"),
    "buses.2.after.amount": ("Bus 2", "Drive amount, after"),
    "buses.3.filter.cutoff": ("Bus 3", "Cutoff"),
    "modulators.e1.attack": ("E1", "Attack"),
    "racks.1.delay1.feedback": ("Delay", "Feedback"),
    "macros.m2": ("M2", "Macro 2"),
    "pattern.rate": ("Patch", "Step"),
}


@pytest.mark.parametrize("path", list(PLACES))
def test_a_place_is_called_by_what_it_belongs_to(path: str) -> None:
    patch, _ = whole()
    assert place_name(patch, path) == PLACES[path]


def test_sends_and_threads_say_where_they_lead() -> None:
    patch, thread = whole()
    assert place_name(patch, "layers.a.sends.rack2.level")[1].endswith(" to rack 2")
    assert place_name(patch, "buses.1.sends.rack2.level") == (
        "Bus 1",
        place_name(patch, "layers.a.sends.rack2.level")[1],
    )
    assert place_name(patch, f"threads.{thread}.depth")[0] == "L1 on A"


def test_a_named_macro_is_called_by_its_name() -> None:
    patch = put(new_patch(), ["macros", "m2"], new_patch().macros["m2"].model_copy(update={"name": "Rain"}))
    assert place_name(patch, "macros.m2") == ("M2", "Rain")


def test_a_layer_whose_contour_is_gone_takes_the_first_envelope() -> None:
    patch, mover = add_modulator(new_patch(), Modulator.kinds["lfo"]())
    layer = new_layer().model_copy(update={"contour": "e9"})
    made, key = add_layer(patch, layer)
    assert made.layers[key].contour == "e1" and mover == "l1"
    kept, key = add_layer(patch, new_layer().model_copy(update={"contour": "e1"}))
    assert kept.layers[key].contour == "e1"


def test_a_value_between_named_places_says_how_far_it_is() -> None:
    param = Param("Shape", 0.0, (0.0, 2.0), COUNT, names={"sine": 0.0, "triangle": 1.0, "saw": 2.0}, says="What it is.")
    assert param.write(0.0) == "Sine" and param.write(2.0) == "Saw"
    assert param.write(0.4) == f"Sine + 40{THIN}%"
    assert param.write(1.996) == "Saw", "within half a hundredth it is there"
    assert param.write(1.99) == f"Triangle + 99{THIN}%"


def test_the_way_of_the_sound_is_read_out() -> None:
    assert routing.words(new_patch()) == "A → rack 1 · rack 1 (empty) → output"
    patch, _ = add_layer(new_patch(), new_layer())
    patch = with_value(add_inlet(patch, "a", "b", 1.0), "layers.b.out", "none")
    patch, _ = add_effect(patch, "1", Effect.kinds["delay"](on=True))
    assert routing.words(patch) == "A → rack 1 · B modulates only · rack 1 (Delay) → output"
    patch = with_value(patch, "layers.a.out", "bus1")
    said = routing.words(patch)
    assert said == "B modulates only · A → bus 1 · bus 1 (nothing yet) → rack 1 · rack 1 (Delay) → output"
    sent = add_send(patch, "layers.b", "rack2", -6.0)
    assert "B modulates only" not in routing.words(sent)
    assert "B at −6.0 dB also → rack 2" in routing.words(sent).replace("\u2009", " ")
    assert "rack 2 (empty) → rack 1" in routing.words(sent)
    assert "rack 2 (empty) → output" in routing.words(with_value(sent, "rack2", "out"))
    assert routing.words(with_value(new_patch(), "layers.a.out", "direct")) == "A → output · rack 1 (empty) → output"
