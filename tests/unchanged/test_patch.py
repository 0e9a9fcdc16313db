"""Documents, dials and edits: what is written, read, said and changed."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

from felt_dial.bank.library.places import shipped_banks
from felt_dial.patch import edits, phrase, routing, units
from felt_dial.patch.change import values_changed, values_of
from felt_dial.patch.documents.kind import fault
from felt_dial.patch.documents.patch import read_patch, schema, write_patch
from felt_dial.patch.drawn import Drawn, doubled, flipped, mirrored
from felt_dial.patch.handles import handles_of
from felt_dial.patch.module import Effect, Filter, Modulator, Source
from felt_dial.patch.params import Choice, Param, Switch
from felt_dial.patch.parts import depth_param, read_depth, read_reading
from felt_dial.patch.patch import (
    Patch,
    audio_rate_modulators,
    drawings,
    goes_both_ways,
    movers,
    outline,
    slots,
    structure,
    target_param,
    with_value,
)
from felt_dial.patch.places import in_time, read_at
from felt_dial.patch.player import PLAYER_SOURCES
from felt_dial.patch.reach import moves_something, reach, reach_of_all, silent_because
from felt_dial.patch.tuning import load_tuning, read_kbm, read_scl
from felt_dial.patch.units import Beats, Unit
from felt_dial.sound.modules import new_layer, new_patch
from felt_dial.sound.playing.phrases import PHRASES, SHOWN_BY, heard_with, phrase_for
from tests.unchanged import digest, plain, told, unchanged

UNITS = {name: unit for name, unit in vars(units).items() if isinstance(unit, Unit)}
VALUES = (
    0.0,
    1e-4,
    0.0123,
    0.5,
    0.999,
    1.0,
    2.5,
    7.0,
    12.04,
    59.94,
    100.0,
    999.4,
    1000.0,
    12345.6,
    -0.25,
    -3.0,
    -60.0,
    -200.0,
)
TEXTS = (
    *(
        "",
        "1",
        "-1",
        "+2",
        "0.5",
        ".5",
        "1e2",
        "1,5",
        "−3",
        "3 dB",
        "-inf",
        "off",
        "440 hz",
        "440",
        "1.2k",
        "2 khz",
        "350ms",
    ),
    *(
        "1.2 s",
        "3 st",
        "5 ct",
        "5 cents",
        "40%",
        "40 %",
        "C3",
        "c#3",
        "Db4",
        "B9",
        "H3",
        "1/4",
        "1/8d",
        "1/8t",
        "3/16",
        "1/3",
    ),
    *(
        "2 bars",
        "1 bar",
        "2 beats",
        "1 beat",
        "3 bt",
        "×2",
        "x2",
        "*2",
        "/2",
        "*1.5",
        "90°",
        "90 deg",
        "2.4 rad",
        "1 oct",
    ),
    *(
        "96 bpm",
        "6 db/oct",
        "12 dB",
        "half",
        "2:3",
        "1/2",
        "nan",
        "inf",
        "1e400",
        "7 foo",
        "--3",
        "10 ms",
        "-40 %",
        "= 3",
    ),
    *(
        "200 µs",
        "1 min",
        "-1/4",
        "silence",
        "−∞",
        "-∞",
        "0 dB",
        "middle",
        "left",
        "L20",
        "20 L",
        "r30",
        "C",
        "centre",
        "4x",
    ),
)


def demo() -> dict[str, Patch]:
    """Shipped presets by name."""
    files = sorted(file for bank in shipped_banks() for file in (bank / "presets").glob("*.json"))
    assert len(files) > 40
    return {file.stem: read_patch(file.read_bytes(), str(file)) for file in files}


@pytest.fixture(scope="module")
def presets() -> dict[str, Patch]:
    return demo()


def every_module() -> dict[str, Any]:
    families = (Source, Filter, Modulator, Effect)
    found = {f"{family.__name__} {kind}": made for family in families for kind, made in family.kinds.items()}
    patch = new_patch()
    layer = patch.layers["a"]
    found |= {"patch": type(patch), "layer": type(layer), "drive": type(layer.drive), "pattern": type(patch.pattern)}
    return found | {"bus": type(patch.buses["1"]), "macro": type(next(iter(patch.macros.values())))}


def test_units_write_and_read() -> None:
    found: dict[str, Any] = {}
    for name, unit in UNITS.items():
        found[name] = {
            "words": [unit.name, unit.accepts, unit.geometric, unit.depth.name],
            "writes": [[told(unit.write, value), told(unit.write_signed, value)] for value in VALUES],
            "reads": [told(unit.read, text) for text in TEXTS],
        }
    found["notes"] = [[units.note_name(key), units.note_frequency(key)] for key in range(0, 128, 5)]
    found["read"] = [[told(f, text) for f in (units.read_note, units.read_beats, units.read_sum)] for text in TEXTS]
    found["divisions"] = {
        name: [count, Beats(count).seconds(90.0), str(Beats(count))] for name, count in units.DIVISIONS.items()
    }
    found["counts"] = [
        units.division_name(count) for count in (0.01, 1 / 64, 0.1, 0.3, 1 / 3, 0.4, 0.75, 5.0, 6.3, 16.0, 64.0)
    ]
    unchanged("units", found)


def test_dials() -> None:
    """Every dial of every kind: its ways, its words and what is typed at it."""
    found: dict[str, Any] = {}
    for name, module in every_module().items():
        for key, param in module.params.items():
            row: list[Any] = [param.label, param.rebuilds, param.default]
            if isinstance(param, Param):
                row += [
                    param.low,
                    param.high,
                    param.taper,
                    param.beats,
                    param.whole,
                    param.movable,
                    param.smooth,
                    param.wraps,
                ]
                row += [param.at_start, param.two_sided, param.unit.name, param.names]
                row.append([[p, param.at(p), param.write(param.at(p))] for p in (-0.1, 0.0, 0.31, 0.5, 0.77, 1.0, 1.1)])
                row.append([told(param.position, v) for v in (param.low, param.default, 0.3, -5.0, 1e5, Beats(0.3))])
                row.append([str(param.at(p, True)) for p in (0.0, 0.3, 0.6, 1.0)])
                row.append([told(param.resolve, Beats(count), 117.0) for count in (1 / 64, 1.0, 64.0)])
                row.append([told(param.beyond, Beats(count), 117.0) for count in (1 / 64, 1.0, 64.0)])
                row.append([told(param.in_beats, value, 117.0) for value in (0.0, 0.2, 3.0)])
                here = param.at(0.4)
                for text in (
                    "*2",
                    "/2",
                    "+1",
                    "-1",
                    "×2",
                    "= 1",
                    "50 %",
                    "1/8",
                    "saw",
                    "sine + 40 %",
                    "1e9",
                    "",
                    "foo",
                ):
                    row.append(told(param.read, text, here))
                row += [told(param.read, text, Beats(0.5)) for text in ("*2", "/2", "+1", "-1", "*1000")]
                odd = (
                    "1/8",
                    True,
                    None,
                    {"beats": 2},
                    {"beats": "x"},
                    {"beats": 0.001},
                    Beats(100.0),
                    float("nan"),
                    1e9,
                    0.5,
                )
                row += [told(param.check, value) for value in odd]
                row += [told(param.encode, value) for value in (param.default, Beats(3.0))]
            elif isinstance(param, Choice | Switch):
                row += [told(param.write, param.default), told(param.encode, param.default)]
                row += [told(param.read, text) for text in ("on", "OFF", "yes", "no", "1", "0", "true", "false", "foo")]
                row += [told(param.check, value) for value in ("foo", True, 1, None)]
                row += [param.options] if isinstance(param, Choice) else []
            elif isinstance(param, Drawn):
                rows = param.default
                row += [
                    param.columns,
                    param.least,
                    param.most,
                    param.room,
                    param.is_line,
                    param.write(rows),
                    param.blank(),
                ]
                row += [digest(param.numbers(rows))]
                odd = (None, [], [[1.0]], [[9.0] * len(param.columns)], [["x"] * len(param.columns)], [[0.5] * 99] * 2)
                row += [told(param.check, value) for value in odd]
                if param.is_line and rows:
                    row += [flipped(rows), mirrored(rows), told(doubled, rows, param.most), told(doubled, rows, 3)]
            found[f"{name}.{key}"] = digest(plain(row))
    unchanged("dials", found)


def test_the_form_of_a_patch() -> None:
    found = {"schema": digest(json.dumps(schema(), sort_keys=True)), "new": json.loads(write_patch(new_patch("Word")))}
    unchanged(
        "form", found | {"whole": [fault(value) for value in (1, "x", [[[1]]], {"a": [1, "b" * 99]}, float("nan"))]}
    )


def test_what_is_said_of_the_presets(presets: dict[str, Patch]) -> None:
    found: dict[str, Any] = {}
    for name, patch in presets.items():
        paths = [slot.path for slot in slots(patch)]
        row: dict[str, Any] = {
            "paths": [len(paths), digest(paths)],
            "values": digest([slot.param.write(slot.value) for slot in slots(patch)]),
            "names": digest([told(edits.place_name, patch, path) for path in paths]),
            "silent": digest([silent_because(patch, path) for path in paths]),
            "time": digest([told(in_time, patch, path) for path in paths]),
            "handles": digest(handles_of(patch)),
            "movers": digest(movers(patch)),
            "moves": [key for key in movers(patch) if moves_something(patch, key)],
            "both ways": [key for key in movers(patch) if goes_both_ways(patch, key)],
            "drawings": digest([(one.path, one.value) for one in drawings(patch)]),
            "outline": digest(outline(patch)),
            "structure": digest(structure(patch)),
            "words": routing.words(patch),
            "arrivals": [routing.inputs_of(patch, where) for where in routing.WHERE],
            "places": [
                routing.place_words(patch, where) for where in ("bus1", "bus2", "bus3", "rack", "rack2", "direct")
            ],
            "feeding": [audio_rate_modulators(patch, key) for key in patch.layers],
            "threads": digest(plain([reach(patch, thread) for thread in patch.threads.values()])),
            "reach": digest(plain([reach_of_all(patch, thread.target) for thread in patch.threads.values()])),
            "heard with": heard_with(patch).name,
            "document": digest(write_patch(patch)),
        }
        depths = []
        for thread in patch.threads.values():
            param = depth_param(target_param(patch, thread.target), thread.by)
            depths.append([param.label, param.low, param.high, param.unit.name, param.write(thread.depth)])
        row["depths"] = digest(plain(depths))
        found[name] = row
    unchanged("presets", found)


def acts(patch: Patch) -> dict[str, Any]:
    """Every edit once, where this patch stands."""
    layer, mover = next(iter(patch.layers)), next(iter(patch.modulators))
    thread = next(iter(patch.threads), "")
    rack = next((rack for rack, effects in patch.racks.items() if effects), "1")
    effect = next(iter(patch.racks[rack]), "")
    cutoff, fine = f"layers.{layer}.filter.cutoff", f"layers.{layer}.fine"
    return {
        "add layer": lambda: edits.add_layer(patch, new_layer("wave")),
        "add layer with level": lambda: edits.add_layer_with_level(
            patch, new_layer("grains"), Modulator.kinds["envelope"]()
        ),
        "duplicate layer": lambda: edits.duplicate_layer(patch, layer),
        "remove layer": lambda: edits.remove_layer(patch, layer),
        "move layer": lambda: edits.move_layer(patch, layer, 1),
        "add inlet": lambda: edits.add_inlet(patch, layer, layer, 1.5),
        "remove inlet": lambda: edits.remove_inlet(patch, layer, layer),
        "add send": lambda: edits.add_send(patch, f"layers.{layer}", "bus2", -6.0),
        "send round": lambda: edits.add_send(patch, "buses.2", "bus1"),
        "remove send": lambda: edits.remove_send(patch, f"layers.{layer}", "rack2"),
        "loops": lambda: [edits.loops_back(patch, key, other) for key in patch.layers for other in patch.layers],
        **{
            f"add {kind}": lambda made=made: edits.add_modulator(patch, made())
            for kind, made in Modulator.kinds.items()
        },
        "remove mover": lambda: edits.remove_modulator(patch, mover),
        "add effects": lambda: edits.add_effects(patch, rack, [Effect.kinds["delay"](), Effect.kinds["chorus"]()]),
        "remove effect": lambda: edits.remove_effect(patch, rack, effect),
        "move effect": lambda: edits.move_effect(patch, rack, effect, 1),
        "to the other rack": lambda: edits.move_to_rack(patch, rack, effect, "2" if rack == "1" else "1", 0),
        "another source": lambda: edits.replace_module(patch, f"layers.{layer}.source", new_layer("grains").source),
        "sew": lambda: edits.sew(patch, mover, cutoff),
        "sew so far": lambda: edits.sew(patch, "m1", fine, 7.0, "amount", "flipped"),
        "sew to itself": lambda: edits.sew(patch, mover, f"modulators.{mover}.attack"),
        "sew to a choice": lambda: edits.sew(patch, mover, f"layers.{layer}.out"),
        "set thread": lambda: edits.set_thread(patch, thread, depth=0.25, reading="both ways"),
        "set thread wrongly": lambda: edits.set_thread(patch, thread, depth=1e9),
        "move thread": lambda: edits.move_thread(patch, thread, list(patch.threads)[-1]),
        "cut": lambda: edits.cut(patch, thread),
        "threads on": lambda: list(edits.threads_on(patch, cutoff)),
        "threads from": lambda: list(edits.threads_from(patch, mover)),
        "shake": lambda: edits.shake(patch, mover, 0.5, 7),
        "shake a layer": lambda: edits.shake(patch, f"layers.{layer}", 0.2, 8),
        "default": lambda: [edits.default_at(patch, slot.path) for slot in slots(patch)],
        "with value": lambda: with_value(patch, cutoff, 777.0),
        "with a wrong value": lambda: with_value(patch, cutoff, -1.0),
        "with no such": lambda: with_value(patch, "layers.z.level", -1.0),
        "read at": lambda: [
            told(read_at, patch, path, text) for path in (cutoff, fine, "tempo") for text in TEXTS[:40]
        ],
        "changed": lambda: values_changed(patch, {cutoff: 300.0, fine: 3.0}),
        "taken": lambda: values_of(with_value(patch, fine, 9.0), patch, [fine, cutoff]),
        "readings": lambda: [told(read_reading, text) for text in TEXTS],
        "depths": lambda: [told(read_depth, target_param(patch, cutoff), text) for text in TEXTS],
    }


def shown(made: Any) -> Any:
    """A patch as what is different in it; what comes with it stays."""
    if isinstance(made, Patch):
        return digest(write_patch(made))
    if isinstance(made, tuple):
        return [shown(one) for one in made]
    text = repr(made)
    return text if len(text) < 200 else digest(text)


def test_edits(presets: dict[str, Patch]) -> None:
    chosen = [name for n, name in enumerate(sorted(presets)) if n % 3 == 0]
    unchanged("edits", {name: {act: shown(told(do)) for act, do in acts(presets[name]).items()} for name in chosen})


SCALES = {
    "twelve": "! t.scl\n!\nTwelve\n 12\n" + "\n".join(f"{100.0 * n}" for n in range(1, 13)),
    "just": "! j.scl\nJust\n7\n9/8\n5/4\n4/3\n3/2\n5/3\n15/8\n2/1\n",
    "short": "x\n2\n700.0 words\n1200.\n",
    "none": "x\n0\n",
    "bad": "x\n2\n700.0\n",
    "worse": "x\n1\n3/0\n",
    "words": "x\ny\n",
}
MAPS = {
    "plain": "! m.kbm\n12\n0\n127\n60\n69\n440.0\n12\n" + "\n".join(str(n) for n in range(12)),
    "holes": "7\n10\n100\n60\n62\n300.0\n5\n0\nx\n1\n2\nx\n3\n4\n",
    "straight": "0\n0\n127\n57\n57\n220.0\n0\n",
    "bad": "12\n0\n",
    "high": "0\n0\n300\n57\n57\n220.0\n0\n",
}


def test_tunings(tmp_path: Path) -> None:
    found: dict[str, Any] = {}
    for name, text in SCALES.items():
        tuning = told(read_scl, text, f"{name}.scl")
        if isinstance(tuning, str):
            found[name] = tuning
            continue
        found[name] = [tuning.about(), [tuning.pitch(key) for key in range(0, 128, 3)]]
        for other, lines in MAPS.items():
            keys = told(read_kbm, lines, f"{other}.kbm")
            if isinstance(keys, str):
                found[f"{name} {other}"] = keys
            else:
                mapped = tuning.model_copy(update={"keys": keys})
                found[f"{name} {other}"] = [mapped.about(), [mapped.pitch(key) for key in range(0, 128, 3)]]
    path = tmp_path / "alone.kbm"
    path.write_text(MAPS["straight"])
    alone = load_tuning(path)
    found["a map alone"] = [alone.about(), [alone.pitch(key) for key in range(0, 128, 7)]]
    unchanged("tunings", found)


def test_phrases() -> None:
    """The phrases that sounds are measured and heard with, note by note; and what the editor does to them."""
    found: dict[str, Any] = {}
    for key, one in PHRASES.items():
        found[key] = [
            one.name,
            one.beats,
            one.notes,
            one.seconds(97.0),
            [told(phrase.trimmed, one), told(phrase.trimmed, one, 3.0)],
        ]
        found[f"{key} in seconds"] = digest(one.in_seconds(97.0))
        done: list[Any] = [told(phrase.quantised, one, step) for step in (0.25, 1 / 3, 1.0)]
        done += [told(phrase.of_length, one, beats) for beats in (0.0, 0.1, 1.5, 4.0, 64.0, 1000.0)]
        done.append(told(phrase.with_notes, one, [*one.notes[::-1], *one.notes[:1]]))
        found[f"{key} edited"] = [digest(made) if not isinstance(made, str) else made for made in done]
        note = one.notes[0]
        turned = [told(phrase.moved, note, beats, keys) for beats, keys in ((-9.0, -200), (0.5, 3), (1e6, 200))]
        turned += [told(phrase.lengthened, note, length) for length in (-1.0, 0.0, 0.01, 2.0, 1e6)]
        found[f"{key} note"] = turned + [told(phrase.louder, note, velocity) for velocity in (-5, 0, 1, 64, 127, 500)]
    found["bars"] = [phrase.whole_bars(end, bar) for end in (0.0, 0.1, 3.99, 4.0, 4.01, 9.0) for bar in (3.0, 4.0)]
    found["snapped"] = [
        phrase.snapped(value, step) for value in (0.0, 0.12, 0.13, 1.0, 7.77) for step in (0.0, 0.25, 1 / 3)
    ]
    found["kinds"] = {kind: phrase_for(kind).name for kind in (*SHOWN_BY, "", "Nothing")}
    unchanged("phrases", found)


def test_what_the_player_moves() -> None:
    unchanged("player", PLAYER_SOURCES)
