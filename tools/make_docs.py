"""Writes docs/format.md and docs/patch.schema.json anew from the declarations: `python tools/make_docs.py`."""

from __future__ import annotations

import json
from pathlib import Path

from felt_dial.patch.document import FORMAT, schema
from felt_dial.patch.module import Effect, Filter, Modulator, Module, Source
from felt_dial.patch.params import Choice, Param
from felt_dial.patch.patch import Inlet, Layer, Macro, Patch, Thread

DOCS = Path(__file__).parent.parent / "docs"

HEAD = f"""# The file formats

This page is written by `make docs` from the declarations in the code.

## A patch

A preset is one JSON document, UTF-8, with `"format": {FORMAT}` at its top. Values are in real units: hertz, seconds,
decibels, semitones, cents, and fractions from 0 to 1 for percentages. A time or a rate marked *or beats* may be
`{{"beats": 0.75}}` instead and then follows the tempo. Keys that this version does not know are kept and written back;
a document of a newer format is refused. The JSON Schema is `patch.schema.json`.

Ids are the path in the document and never change: `layers.a.filter.cutoff`, `modulators.e2.attack`,
`racks.1.delay1.feedback`, `macros.m3`. A module keeps its id when it is moved; the order of the keys in `layers` and in
a rack is the order on the page and in the sound.

A layer's `inlets` say which layers modulate it, by their letters: `layers.a.inlets.b.index`. A number with named places,
such as a wave's `shape`, may be given by the name: `"saw"` is 2.

A source that plays a recording or a table names it in `asset`: `name`, `digest` (the SHA-256 of its decoded samples as
32-bit floats, channel after channel, after the line “channels frames ”), `frames`, `channels`, `rate`. A table's `cycle` is
the length of one of its cycles. The `curve` of grains is a list of points: time and place from 0 to 1, and the bend of the
way to the next. `drawn` holds the harmonics of partials without a recording. The patch's `tuning` is null for equal
temperament, or holds `cents` above the first degree, the last of which is the period, and `keys`, a keyboard map.

A thread's `depth` is in the unit of what it moves: semitones on a frequency, a factor on a rate, else the unit itself.
An LFO and the key read from −1 to 1, everything else from 0 to 1; `reading` turns one into the other.

## A bank

A bank is a folder in the library: `bank.json` (`format`, `name`, `description`, `order`), `presets/ID.json`,
`assets/SHA256.flac` or `.wav`, and `versions/ID/` with what a preset was before its last three saves. Deleted presets wait in
`.bin/` of the library. A `.feltbank` file is a zip of `bank.json`, `presets/` and `assets/`.
"""


def table(module: type[Module]) -> str:
    lines = ["| id | label | takes | default | does |", "| --- | --- | --- | --- | --- |"]
    for name, param in module.params.items():
        if isinstance(param, Param) and param.names:
            takes = ", ".join(f"`{key}` = {place:g}" for key, place in param.names.items())
        elif isinstance(param, Param):
            takes = f"{param.unit.write(param.low)} … {param.unit.write(param.high)}" + (
                " or beats" if param.beats else ""
            )
        elif isinstance(param, Choice):
            takes = ", ".join(f"`{key}`" for key in param.ids)
        else:
            takes = "`true`, `false`"
        lines.append(f"| `{name}` | {param.label} | {takes} | {param.write(param.default)} | {param.says} |")
    return "\n".join(lines)


def sections() -> str:
    parts = [HEAD, "## Parameters\n"]
    for title, module in (("Patch", Patch), ("Layer", Layer), ("Inlet", Inlet), ("Macro", Macro), ("Thread", Thread)):
        parts.append(f"### {title}\n\n{module.about()}\n\n{table(module)}\n")
    for family in (Source, Filter, Modulator, Effect):
        for kind, module in family.kinds.items():
            parts.append(f"### {family.__name__}: {module.title} (`{kind}`)\n\n{module.about()}\n\n{table(module)}\n")
    return "\n".join(parts)


def documents() -> dict[str, str]:
    """Every generated document by its name in docs/."""
    return {"format.md": sections(), "patch.schema.json": json.dumps(schema(), indent=1, ensure_ascii=False) + "\n"}


if __name__ == "__main__":
    import felt_dial.sound.modules  # noqa: F401

    for name, text in documents().items():
        (DOCS / name).write_text(text)
        print(f"docs/{name}")
