"""Numbers with named places, keys as values, inlets as edits, and what a change of substance means."""

from __future__ import annotations

import pytest

from felt_dial.patch import edits
from felt_dial.patch.asset import Asset
from felt_dial.patch.documents.patch import read_patch, write_patch
from felt_dial.patch.module import Source
from felt_dial.patch.params import OutOfRange, Param
from felt_dial.patch.parts import NoSuchPath
from felt_dial.patch.patch import Patch, outline, param_at, structure, value_at, with_value
from felt_dial.patch.units import MINUS, PLACE, THIN, NotReadable
from felt_dial.sound.modules import new_layer, new_patch

SHAPE = Param("Shape", 2.0, (0.0, 3.0), PLACE, names={"sine": 0.0, "triangle": 1.0, "saw": 2.0, "pulse": 3.0}, says="x")


@pytest.mark.parametrize(
    ("text", "value"),
    [("saw", 2.0), ("Saw", 2.0), ("saw + 40 %", 2.4), ("sine+50%", 0.5), ("1.25", 1.25), (f"Saw + 40{THIN}%", 2.4)],
)
def test_a_place_is_typed_by_its_name_or_number(text: str, value: float) -> None:
    assert SHAPE.read(text) == pytest.approx(value)


@pytest.mark.parametrize(
    ("value", "text"), [(0.0, "Sine"), (2.0, "Saw"), (2.4, f"Saw + 40{THIN}%"), (3.0, "Pulse"), (0.999, "Triangle")]
)
def test_a_place_is_written_as_it_is_typed(value: float, text: str) -> None:
    assert SHAPE.write(value) == text and SHAPE.read(SHAPE.write(value)) == pytest.approx(value, abs=0.006)


@pytest.mark.parametrize("text", ["oval", "saw + much", "4", "pulse + 10 %x"])
def test_a_place_that_is_none_is_refused(text: str) -> None:
    with pytest.raises((NotReadable, OutOfRange)):
        SHAPE.read(text)


def test_a_document_may_hold_the_name_and_is_written_as_a_number() -> None:
    text = write_patch(new_patch()).replace('"shape": 2.0', '"shape": "pulse"')
    patch = read_patch(text, "“it”")
    assert value_at(patch, "layers.a.source.shape") == 3.0 and '"shape": 3.0' in write_patch(patch)


@pytest.mark.parametrize(
    ("path", "text", "value"),
    [
        ("layers.a.key_low", "C#3", 49),
        ("layers.a.key_high", "60", 60),
        ("layers.a.switch_key", "C-1", 0),
        ("glide", "120 ms", 0.12),
        ("reference", "432", 432.0),
        ("layers.a.velocity", "24 dB", 24.0),
    ],
)
def test_values_of_playing_are_typed_with_their_units(path: str, text: str, value: float) -> None:
    assert param_at(new_patch(), path).read(text) == value


def test_a_key_is_written_by_its_name_and_a_speed_by_its_factor() -> None:
    assert param_at(new_patch(), "layers.a.key_high").write(127) == "G9"
    speed = Source.kinds["grains"].params["speed"]
    assert speed.write(1.5) == "×1.50" and speed.write(-0.5) == f"{MINUS}×0.50" and speed.read("−2") == -2.0


# --- inlets ------------------------------------------------------------------------------------


def trio() -> Patch:
    patch = new_patch()
    for _ in range(2):
        patch, _key = edits.add_layer(patch, new_layer())
    return patch


def test_an_inlet_has_paths_like_any_module_and_takes_threads() -> None:
    patch = edits.add_inlet(trio(), "a", "b", 2.0)
    assert value_at(patch, "layers.a.inlets.b.index") == 2.0
    patch = with_value(patch, "layers.a.inlets.b.ring", 0.5)
    patch, key = edits.sew(patch, "v", "layers.a.inlets.b.index", 3.0)
    assert edits.place_name(patch, "layers.a.inlets.b.index") == ("A", "Index from B")
    assert edits.add_inlet(patch, "a", "b", 4.0).layers["a"].inlets["b"].get("ring") == 0.5
    gone = edits.remove_inlet(patch, "a", "b")
    assert key not in gone.threads and not gone.layers["a"].inlets
    with pytest.raises(NoSuchPath):
        param_at(gone, "layers.a.inlets.b.index")


def test_loops_are_told_from_chains() -> None:
    patch = edits.add_inlet(edits.add_inlet(trio(), "a", "b"), "b", "c")
    assert not edits.loops_back(patch, "a", "b") and edits.loops_back(patch, "c", "a")
    assert edits.loops_back(edits.add_inlet(patch, "c", "a"), "a", "b")


def test_an_inlet_from_nowhere_is_refused_by_the_document() -> None:
    patch = edits.add_inlet(trio(), "a", "b", 1.0)
    text = write_patch(patch).replace('"inlets": {\n    "b"', '"inlets": {\n    "g"')
    with pytest.raises(Exception, match="no layer 'g'"):
        read_patch(text, "“it”")


def test_a_duplicate_keeps_what_modulates_it_with_its_threads() -> None:
    patch = edits.add_inlet(trio(), "a", "b", 1.0)
    patch, _ = edits.sew(patch, "v", "layers.a.inlets.b.index", 3.0)
    patch, copy = edits.duplicate_layer(patch, "a")
    assert list(patch.layers[copy].inlets) == ["b"]
    assert f"layers.{copy}.inlets.b.index" in {thread.target for thread in patch.threads.values()}


# --- substance ---------------------------------------------------------------------------------


def test_another_recording_is_another_structure_and_another_value_is_not() -> None:
    source = Source.kinds["sample"]
    assets = [Asset(name=n, digest=n * 64, frames=100, channels=1, rate=48000.0) for n in "ab"]
    first, second = (edits.replace_module(new_patch(), "layers.a.source", source(asset=asset)) for asset in assets)
    assert structure(first) != structure(second) and outline(first) != outline(second)
    assert structure(first) == structure(with_value(first, "layers.a.source.start", 0.5))
    table = edits.replace_module(new_patch(), "layers.a.source", Source.kinds["table"]())
    assert structure(table) != structure(with_value(table, "layers.a.source.morph", "spectrum"))
    assert structure(table) == structure(with_value(table, "layers.a.source.start", "free"))


@pytest.mark.parametrize(
    "curve",
    [
        [],
        [[0, 0, 0]],
        [[0, 0, 0], [0.5, 1, 0]],
        [[0, 0, 0], [0.9, 1, 0], [0.5, 1, 0], [1, 1, 0]],
        [[0, 0, 0], [1, 2, 0]],
        "straight",
    ],
)
def test_a_travel_curve_that_is_none_is_refused(curve: object) -> None:
    with pytest.raises(ValueError, match=r"travel|point"):
        Source.kinds["grains"].model_validate({"kind": "grains", "curve": curve})


@pytest.mark.parametrize("drawn", [[], [2.0], [0.1] * 65, "x"])
def test_drawn_harmonics_that_are_none_are_refused(drawn: object) -> None:
    with pytest.raises(ValueError, match="harmonics"):
        Source.kinds["partials"].model_validate({"kind": "partials", "drawn": drawn})
