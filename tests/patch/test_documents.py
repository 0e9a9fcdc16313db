"""Documents by kind: every one has a number, refuses what is newer in words, and old ones are brought along."""

from __future__ import annotations

import copy
import json
from typing import Any

import pytest

import felt_dial.bank.library.journal
import felt_dial.bank.library.library
import felt_dial.bank.library.places
import felt_dial.bank.library.snippets
import felt_dial.live.midi.control_map  # noqa: F401
from felt_dial.patch.documents import changes
from felt_dial.patch.documents.changes import EVERY, modules_in, of_modules, renamed, split
from felt_dial.patch.documents.kind import BadDocument, DocumentKind
from felt_dial.patch.documents.patch import PATCH, write_patch
from felt_dial.patch.edits import add_effect, replace_module, sew
from felt_dial.patch.module import Effect, Source
from felt_dial.patch.patch import Patch
from felt_dial.sound.modules import new_patch

KINDS = list(DocumentKind.known.values())


@pytest.mark.parametrize("kind", KINDS, ids=lambda kind: kind.noun)
def test_every_kind_has_its_own_number_and_its_own_words(kind: DocumentKind) -> None:
    text = kind.write({"heath": 3})
    assert json.loads(text)["format"] == kind.format and kind.read(text, "“it”") == {"heath": 3}
    with pytest.raises(BadDocument) as wrong:
        kind.read(json.dumps({"format": kind.format + 2}), "“it”")
    said = str(wrong.value)
    assert "“it”" in said and kind.noun in said and kind.kept.rstrip(".") in said
    assert f"format {kind.format + 2}" in said and f"up to {kind.format}" in said
    for text in ("[]", "{", '{"format": "one"}', '{"format": true}', '{"format": 0}', '{"a": Infinity}'):
        with pytest.raises(BadDocument, match="“it”"):
            kind.read(text, "“it”")


def test_a_migration_of_one_kind_is_no_business_of_the_others() -> None:
    newer = DocumentKind("nursery", 2, {1: lambda data: {"rows": data["beds"]}})
    try:
        assert newer.read('{"format": 1, "beds": 4}', "it") == {"rows": 4}
        with pytest.raises(BadDocument, match="it cannot be brought from format 1 to 2: it is no whole nursery"):
            newer.read('{"format": 1}', "it")
        for kind in KINDS:
            assert kind.read(kind.write({}), "it") == {}
    finally:
        del DocumentKind.known["nursery"]
    with pytest.raises(ValueError, match="format 2 has no way to format 3"):
        DocumentKind("nursery", 3, {1: dict})


def noisy() -> tuple[Patch, dict[str, Any]]:
    """A patch with a noise whose hold is moved, and its document as it would have been with another name for it."""
    patch = replace_module(new_patch(), "layers.a.source", Source.kinds["noise"](rate=700.0))
    patch, _ = sew(patch, "e1", "layers.a.source.rate", 12.0)
    old = json.loads(write_patch(patch))
    source = old["layers"]["a"]["source"]
    source["speed"] = source.pop("rate")
    old["threads"]["t1"]["target"] = "layers.a.source.speed"
    return patch, old


def test_a_parameter_with_another_name_keeps_its_value_and_its_thread() -> None:
    patch, old = noisy()
    migrate = renamed("source", "noise", "speed", "rate")
    assert PATCH.read(json.dumps(migrate(old)), "it") == PATCH.read(write_patch(patch), "it")
    snippet = {"name": "Rain", "family": "source", "module": {"kind": "noise", "speed": 700.0}}
    assert migrate(copy.deepcopy(snippet))["module"] == {"kind": "noise", "rate": 700.0}
    other = {"name": "Rain", "family": "source", "module": {"kind": "chaos", "speed": 700.0}}
    assert migrate(copy.deepcopy(other)) == other, "a parameter of the same name of another kind stays"


def test_a_parameter_becomes_two_and_its_thread_goes_on_to_one_of_them() -> None:
    _, old = noisy()
    parted = split("source", "noise", "speed", lambda hertz: {"low": hertz / 2, "high": hertz * 2}, moved="high")
    new = parted(copy.deepcopy(old))
    source = new["layers"]["a"]["source"]
    assert (source["low"], source["high"]) == (350.0, 1400.0) and "speed" not in source
    assert new["threads"]["t1"]["target"] == "layers.a.source.high"


def test_one_line_is_for_patches_snippets_and_control_maps_and_for_all_kinds_of_a_family() -> None:
    patch, _ = add_effect(new_patch(), "1", Effect.kinds["delay"](wet=0.4))
    patch, _ = add_effect(patch, "2", Effect.kinds["chorus"](wet=0.3))
    patch, _ = sew(patch, "e1", "racks.1.delay1.wet", 0.2)
    migrate = renamed("effect", EVERY, "wet", "blend")
    new = migrate(json.loads(write_patch(patch)))
    assert new["racks"]["1"]["delay1"]["blend"] == 0.4 and new["racks"]["2"]["chorus1"]["blend"] == 0.3
    assert new["threads"]["t1"]["target"] == "racks.1.delay1.blend"
    chain = {"name": "Far", "family": "chain", "effects": [{"kind": "delay", "wet": 0.1}, {"kind": "trim"}]}
    assert migrate(chain)["effects"][0] == {"kind": "delay", "blend": 0.1}
    learned = {"controllers": {"21": "racks.2.chorus1.wet", "22": "layers.a.level", "23": "racks.1.delay1.wetness"}}
    assert migrate(learned)["controllers"] == {
        "21": "racks.2.chorus1.blend",
        "22": "layers.a.level",
        "23": "racks.1.delay1.wetness",
    }


def test_a_parameter_of_layers_themselves_goes_along() -> None:
    patch, _ = sew(new_patch(), "e1", "layers.a.pan", 0.2)
    new = renamed("layer", EVERY, "pan", "side")(json.loads(write_patch(patch)))
    assert "side" in new["layers"]["a"] and new["threads"]["t1"]["target"] == "layers.a.side"


def test_a_change_is_a_format_of_each_kind_that_holds_modules(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(changes, "CHANGES", (renamed("source", "noise", "speed", "rate"),))
    made = of_modules("seed tray")
    try:
        text = '{"format": 1, "name": "Rain", "family": "source", "module": {"kind": "noise", "speed": 700.0}}'
        assert made.format == 2 and made.read(text, "it")["module"] == {"kind": "noise", "rate": 700.0}
    finally:
        del DocumentKind.known["seed tray"]


@pytest.mark.parametrize("family", ["drive", "filter", "modulator", "effect"])
def test_every_place_where_a_module_stands_is_found(family: str) -> None:
    patch, _ = add_effect(new_patch(), "2", Effect.kinds["delay"]())
    found = {path for path, _ in modules_in(json.loads(write_patch(patch)), family)}
    wanted = {
        "drive": {"layers.a.drive", "buses.1.drive", "buses.1.after"},
        "filter": {"layers.a.filter", "buses.1.filter"},
        "modulator": {"modulators.e1"},
        "effect": {"racks.2.delay1"},
    }
    assert wanted[family] <= found
