"""The patch as a value, its paths, and its JSON."""

from __future__ import annotations

import json
from typing import Any

import jsonschema
import pytest

from felt_dial.patch.documents import patch as documents
from felt_dial.patch.documents.kind import BadDocument, DocumentKind
from felt_dial.patch.documents.patch import PATCH, read_patch, schema, write_patch
from felt_dial.patch.edits import add_effect, add_layer, add_modulator, sew
from felt_dial.patch.module import Effect, Modulator
from felt_dial.patch.params import OutOfRange, Param
from felt_dial.patch.parts import NoSuchPath
from felt_dial.patch.patch import Patch, param_at, slots, structure, value_at, with_value
from felt_dial.patch.units import Beats
from felt_dial.sound.modules import new_layer, new_patch


def rich() -> Patch:
    patch, _ = add_layer(new_patch("Rich"), new_layer())
    patch, _ = add_modulator(patch, Modulator.kinds["lfo"](name="Sway"))
    patch, _ = add_effect(patch, "1", Effect.kinds["delay"]())
    patch, _ = sew(patch, "l1", "layers.a.filter.cutoff", 12.0)
    patch, _ = sew(patch, "m1", "racks.1.delay1.feedback", 0.2)
    return with_value(patch, "racks.1.delay1.left", Beats(0.75))


def test_every_parameter_is_reached_by_its_path() -> None:
    patch = rich()
    paths = [slot.path for slot in slots(patch)]
    assert len(paths) == len(set(paths))
    for path in (
        "layers.a.source.shape",
        "layers.b.filter.cutoff",
        "modulators.e1.attack",
        "racks.1.delay1.feedback",
        "macros.m3",
        "threads.t1.depth",
        "tempo",
    ):
        assert path in paths
    for slot in slots(patch):
        assert value_at(patch, slot.path) == slot.value and param_at(patch, slot.path).label


def test_an_edit_gives_a_new_patch_that_shares_the_rest() -> None:
    patch = rich()
    moved = with_value(patch, "layers.a.filter.cutoff", 500.0)
    assert patch != moved and value_at(patch, "layers.a.filter.cutoff") == 8000.0
    assert moved.layers["b"] is patch.layers["b"] and moved.racks is patch.racks
    assert with_value(moved, "layers.a.filter.cutoff", 8000.0) == patch
    assert structure(moved) == structure(patch)


def test_structure_changes_only_with_the_modules() -> None:
    patch = rich()
    assert structure(with_value(patch, "threads.t1.depth", 3.0)) == structure(patch)
    assert structure(add_layer(patch, new_layer())[0]) != structure(patch)
    assert structure(sew(patch, "m2", "layers.a.pan", 0.1)[0]) != structure(patch)


@pytest.mark.parametrize(
    "path", ["layers.z.level", "layers.a.nothing", "nothing", "layers", "macros.m9", "layers.a", ""]
)
def test_a_path_that_leads_nowhere_is_named(path: str) -> None:
    with pytest.raises(NoSuchPath):
        with_value(new_patch(), path, 1.0)


def test_json_comes_back_as_the_same_patch() -> None:
    patch = rich()
    text = write_patch(patch)
    assert json.loads(text)["format"] == PATCH.format
    assert json.loads(text)["racks"]["1"]["delay1"]["left"] == {"beats": 0.75}
    assert read_patch(text, "it") == patch
    assert write_patch(read_patch(text, "it")) == text


def test_unknown_keys_are_kept_and_written_back() -> None:
    data = json.loads(write_patch(rich()))
    data["colour of the sky"] = "dusk"
    data["layers"]["a"]["source"]["glow"] = 3
    again = json.loads(write_patch(read_patch(json.dumps(data), "it")))
    assert again["colour of the sky"] == "dusk" and again["layers"]["a"]["source"]["glow"] == 3


def broken(change: Any) -> str:
    data = json.loads(write_patch(rich()))
    change(data)
    return json.dumps(data)


BAD = {
    "truncated": (lambda: write_patch(rich())[:300], "JSON"),
    "not JSON": (lambda: "a pot of moss", "JSON"),
    "a list": (lambda: "[1, 2]", "holds no patch"),
    "NaN": (lambda: write_patch(rich()).replace("8000.0", "NaN", 1), "NaN"),
    "deep": (lambda: "[" * 100_000, "it"),
    "cut off": (lambda: '{"broken', "is not whole JSON: Unterminated string in line 1. Nothing was read."),
    "no format": (lambda: broken(lambda d: d.pop("format")), "format"),
    "format true": (lambda: broken(lambda d: d.update(format=True)), "format"),
    "newer": (lambda: broken(lambda d: d.update(format=99)), f"format 99, and this program reads up to {PATCH.format}"),
    "unknown source": (lambda: broken(lambda d: d["layers"]["a"]["source"].update(kind="kazoo")), "kazoo"),
    "unknown effect": (lambda: broken(lambda d: d["racks"]["1"]["delay1"].update(kind="kazoo")), "kazoo"),
    "out of range": (
        lambda: broken(lambda d: d["layers"]["a"]["filter"].update(cutoff=99000)),
        "layers.a.filter.cutoff",
    ),
    "wrong type": (lambda: broken(lambda d: d["layers"]["a"].update(level="loud")), "layers.a.level"),
    "true for a number": (lambda: broken(lambda d: d["layers"]["a"].update(level=True)), "layers.a.level"),
    "wrong choice": (lambda: broken(lambda d: d["layers"]["a"]["source"].update(shape="oval")), "shape"),
    "no layers": (lambda: broken(lambda d: d.update(layers={})), "layers"),
    "layers a list": (lambda: broken(lambda d: d.update(layers=[])), "layers"),
    "missing source": (lambda: broken(lambda d: d["layers"]["a"].pop("source")), "missing"),
    "no such contour": (lambda: broken(lambda d: d["layers"]["a"].update(contour="e9")), "e9"),
    "thread from nowhere": (lambda: broken(lambda d: d["threads"]["t1"].update(source="q1")), "q1"),
    "thread to nowhere": (
        lambda: broken(lambda d: d["threads"]["t1"].update(target="layers.z.level")),
        "layers.z.level",
    ),
    "thread to a choice": (
        lambda: broken(lambda d: d["threads"]["t1"].update(target="layers.a.filter.response")),
        "response",
    ),
    "thread too deep": (lambda: broken(lambda d: d["threads"]["t1"].update(depth=1e6)), "t1"),
    "beats where none are": (lambda: broken(lambda d: d["layers"]["a"].update(level={"beats": 1})), "beats"),
    "a huge file": (lambda: " " * (9 * 1024 * 1024), "larger"),
}


@pytest.mark.parametrize("fault", list(BAD))
def test_a_bad_patch_gets_one_clear_sentence(fault: str) -> None:
    text, word = BAD[fault][0](), BAD[fault][1]
    with pytest.raises(BadDocument) as wrong:
        read_patch(text, "“it”")
    said = str(wrong.value)
    assert word in said and "“it”" in said and "\n" not in said and len(said) < 400


def test_an_older_format_is_migrated(monkeypatch: pytest.MonkeyPatch) -> None:
    """The format of today as if it were old, its `name` once called `title`."""
    old = json.loads(write_patch(rich()))
    old["title"] = old.pop("name")
    now = PATCH.format
    newer = DocumentKind("patch", now + 1, {**PATCH.migrations, now: lambda d: {**d, "name": d.pop("title")}})
    monkeypatch.setattr(documents, "PATCH", newer)
    assert read_patch(json.dumps(old), "it").name == "Rich"


def test_the_json_schema_accepts_ours_and_refuses_what_we_refuse() -> None:
    """Validated by the jsonschema library, independent of the models."""
    made = schema()
    jsonschema.Draft202012Validator.check_schema(made)
    valid = json.loads(write_patch(rich()))
    jsonschema.validate(valid, made)
    valid["layers"]["a"]["filter"]["cutoff"] = 99000
    with pytest.raises(jsonschema.ValidationError):
        jsonschema.validate(valid, made)


def test_every_declaration_is_complete() -> None:
    """A label, a sentence on what it does to the sound, a default inside its own range."""
    for slot in slots(rich()):
        assert slot.param.label and len(slot.param.says) > 8, slot.path
        assert slot.param.check(slot.param.default) == slot.param.default
        if isinstance(slot.param, Param):
            assert slot.param.low < slot.param.high
            with pytest.raises(OutOfRange):
                slot.param.check(slot.param.high + 1e6)
