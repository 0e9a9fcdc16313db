"""Writes anew what is said twice: docs/format.md and docs/patch.schema.json from the declarations, and in the `__init__` of
every folder what is in it, from the first line of each file: `python tools/make_docs.py`."""

from __future__ import annotations

import ast
import json
import textwrap
from collections.abc import Iterator
from pathlib import Path
from typing import get_args

from felt_dial.bank.library.package import MOST_BYTES, MOST_FILES, MOST_RATIO
from felt_dial.patch.documents.kind import DEEPEST, LARGEST, LARGEST_NUMBER, LONGEST, LONGEST_KEY, MOST_PARTS
from felt_dial.patch.documents.patch import PATCH, schema
from felt_dial.patch.module import Effect, Filter, Modulator, Module, Source
from felt_dial.patch.params import Choice, Param
from felt_dial.patch.parts import LAYER_IDS, MOST_THREADS, RACK_MOST
from felt_dial.patch.patch import ID, Patch

ROOT = Path(__file__).parent.parent


def head() -> str:
    """What stands before the tables of parameters."""
    return f"""# The file formats

This page is written by `make docs` from the declarations in the code.

## A patch

A preset is one JSON document, UTF-8, with `"format": {PATCH.format}` at its top. Values are in real units: hertz, seconds,
decibels, semitones, cents, and fractions from 0 to 1 for percentages. A time or a rate marked *or beats* may be
`{{"beats": 0.75}}` instead and then follows the tempo. Keys that this version does not know are kept and written back;
a document of a newer format is refused. The JSON Schema is `patch.schema.json`.

Ids are the path in the document and never change: `layers.a.filter.cutoff`, `modulators.e2.attack`,
`racks.1.delay1.feedback`, `macros.m3`. A module keeps its id when it is moved; the order of the keys in `layers` and in
a rack is the order on the page and in the sound.

A layer's `inlets` say which layers modulate it, by their letters: `layers.a.inlets.b.index`; its `sends`, and those of a
bus, say where else it goes: `layers.a.sends.rack2.level`. A number with named places, such as a wave's `shape`, may be
given by the name: `"saw"` is 2.

A source that plays a recording or a table names it in `asset`: `name`, `digest` (the SHA-256 of its decoded samples as
32-bit floats, channel after channel, after the line “channels frames ”), `frames`, `channels`, `rate`. A table's `cycle` is
the length of one of its cycles. The `curve` of grains is a list of points: time and place from 0 to 1, and the bend of the
way to the next. `drawn` holds the harmonics of partials without a recording. The patch's `tuning` is null for equal
temperament, or holds `cents` above the first degree, the last of which is the period, and `keys`, a keyboard map.

A thread's `depth` is in the unit of what it moves: semitones on a frequency, a factor on a rate, else the unit itself.
An LFO and the key read from −1 to 1, everything else from 0 to 1; `reading` turns one into the other.

## A bank

What was made on a bench has a `recipe` in its `asset`: the SHA-256 of a document of how it was made, which lies beside
it as `SHA256.recipe`. That of a table (`format` 1) holds `count`, `between` (`crossfade`, `spectrum` or `harmonics`),
`reshape`, `came`, and `keys`: where each key frame stands (`at`), its 2048 `samples` (32-bit floats, little-endian,
deflated, in base 64), and the `amount` by which it is reshaped. That of a recording holds its `origin`, its `steps`
(`kind` and `figures`), and all recordings that it `needs`. `rights` (`own`, `free`, `licensed`) and `terms` say whose a
recording is. `SHA256.about` says what a person calls it. All of them go along in a bank file.

A table is saved as a WAV of 32-bit floats with a chunk `fdtb` before its samples: two little-endian 32-bit numbers, the
samples of a frame and the frames. A recording is saved with its root and loop in a `smpl` chunk. Other programs pass over
what they do not know.

A preset may hold the `phrase` that it is best heard with: an `id`, a `name`, its `beats` (up to 512), and up to 4,000
`notes`, each `[beat, length in beats, key, velocity 1–127]`; a colour `mark`; the day on which it was `made`
(`2026-11-27`); and `notes` of its maker, which are left out of what is exported. A phrase of one's own is the same
without the id, with `"format": 1`, in `phrases/` of the library.

A bank is a folder in the library: `bank.json` (`format`, `name`, `order`, and what it says about itself: `description`, `dye`,
`author`, `version`, `licence`, and `words` that names are made of), `presets/ID.json`,
`assets/SHA256.flac` or `.wav`, and `versions/ID/` with what a preset was before its last three saves that changed its sound.
Deleted presets wait in `.bin/` of the library. A `.feltbank` file is a zip of `bank.json`, `presets/` and `assets/`. A bank is
found by its id, the name of its folder, and a preset by the name of its file; what they are called is for people.

## Limits

A document that goes beyond one of these is refused, in reading and in writing, and nothing is lost.

| what | at most |
| --- | --- |
| a document | {LARGEST // 1024**2} MB, {DEEPEST} levels, {MOST_PARTS:,} parts |
| a text in it, a key | {LONGEST:,} letters, {LONGEST_KEY} letters; whole Unicode without NUL |
| a number | ±{LARGEST_NUMBER:.0e}; no NaN, nothing endless |
| an id of a layer, modulator, effect or thread | `{ID.pattern}` |
| layers, threads, effects in a rack | {len(LAYER_IDS)}, {MOST_THREADS}, {RACK_MOST} |
| modulators | {", ".join(f"{kind.most} of {kind.title}" for kind in (Modulator.kinds[name] for name in Modulator.in_order()))} |
| a bank file | {MOST_FILES:,} files, {MOST_BYTES // 1024**3} GB unpacked, {MOST_RATIO} times its packed size |
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


def declared(cls: type[Module], seen: list[type[Module]]) -> list[type[Module]]:
    """Every kind of module that may stand in one, found in its fields."""
    if cls in seen:
        return seen
    seen.append(cls)
    for field in cls.model_fields.values():
        for part in _classes(field.annotation):
            family = [part.kinds[kind] for kind in part.in_order()] if "kinds" in vars(part) else []
            for kind in family or (*part.__subclasses__(), part):
                declared(kind, seen)
    return seen


def _classes(annotation: object) -> list[type[Module]]:
    if isinstance(annotation, type) and issubclass(annotation, Module):
        return [annotation]
    return [found for part in get_args(annotation) for found in _classes(part)]


def drawings(module: type[Module]) -> str:
    lines = []
    for name, drawn in module.drawings.items():
        columns = ", ".join(f"{c.name} {c.low:g} … {c.high:g}" for c in drawn.columns)
        lines.append(f"- `{name}`: {drawn.label}, {drawn.least} to {drawn.most} rows of ({columns}). {drawn.says}")
    return "\n".join(lines)


def sections() -> str:
    parts = [head(), "## Parameters\n"]
    for module in sorted(declared(Patch, []), key=lambda m: hasattr(m, "kind")):
        families = [f.__name__ for f in (Effect, Source, Filter, Modulator) if issubclass(module, f)]
        family = families[0] if families else ""
        kind = module.model_fields["kind"].default if "kind" in module.model_fields else ""
        title = f"{family + ': ' if family else ''}{module.title}{f' (`{kind}`)' if kind else ''}"
        parts.append(f"### {title}\n\n{module.about()}\n\n{table(module)}\n")
        if module.drawings:
            parts.append(drawings(module) + "\n")
    return "\n".join(parts)


def said_first(path: Path) -> str:
    """The first line of what a file says of itself, without its own name."""
    says = (ast.get_docstring(ast.parse(path.read_text())) or "").split("\n")[0]
    name, colon, rest = says.partition(": ")
    return rest if colon and len(name) < 24 and path.name != "__init__.py" else says


def folders() -> Iterator[tuple[Path, str]]:
    """The `__init__` of every folder of the program: its own sentence, then a line for each thing in it."""
    for here in sorted((ROOT / "felt_dial").rglob("__init__.py")):
        if here.parent.name == "felt_dial":
            continue
        things = {path.stem: said_first(path) for path in here.parent.glob("*.py") if path != here}
        things |= {f"{path.parent.name}/": said_first(path) for path in here.parent.glob("*/__init__.py")}
        lines = [
            line
            for name, says in sorted(things.items())
            for line in textwrap.wrap(f"- `{name}`: {says}", 118, subsequent_indent="  ", break_on_hyphens=False)
        ]
        yield here, "\n".join([f'"""{said_first(here)}', "", *lines, '"""', ""])


def documents() -> dict[str, str]:
    """Every generated document by its name in the repository."""
    made = {
        "docs/format.md": sections(),
        "docs/patch.schema.json": json.dumps(schema(), indent=1, ensure_ascii=False) + "\n",
    }
    return made | {str(path.relative_to(ROOT)): text for path, text in folders()}


if __name__ == "__main__":
    import felt_dial.sound.modules  # noqa: F401

    for name, text in documents().items():
        if (ROOT / name).read_text() != text:
            (ROOT / name).write_text(text)
            print(name)
