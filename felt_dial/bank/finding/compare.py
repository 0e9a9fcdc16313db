"""Comparing: what is different between two patches, in words, and taking one module of one into the other."""

from __future__ import annotations

from typing import Any, NamedTuple

from felt_dial.bank.variation.variations import called
from felt_dial.patch.module import Module
from felt_dial.patch.params import Param
from felt_dial.patch.patch import Patch, drawings, modules, put, slots

MOST_SAID = 3


class Row(NamedTuple):
    """One difference: what it is of, how it was, how it is, and how far it moved, 0 to 1."""

    what: str
    before: str
    after: str
    moved: float


class Difference(NamedTuple):
    """Attributes
    ----------
    rows : list of Row
        Values that are others, most moved first.
    added, removed : list of str
        Modules that only the second has, and only the first.
    """

    rows: list[Row]
    added: list[str]
    removed: list[str]

    @property
    def size(self) -> int:
        """How many things are different."""
        return len(self.rows) + len(self.added) + len(self.removed)

    def sentence(self) -> str:
        """In words, the most important first: `A Cutoff 2.4 → 3.1 kHz, +1 thread`."""
        if not self.size:
            return "nothing that is heard"
        words = [f"+{_counted(self.added)}"] if self.added else []
        words += [f"−{_counted(self.removed)}"] if self.removed else []
        told = [f"{row.what} {row.before} → {row.after}" for row in self.rows[:MOST_SAID]]
        more = len(self.rows) - len(told)
        return ", ".join([*told, *words]) + (f", {more} more" if more else "")


def _counted(names: list[str]) -> str:
    if all(name.startswith("thread ") for name in names):
        return f"{len(names)} thread{'s' * (len(names) != 1)}"
    return names[0] if len(names) == 1 else f"{names[0]} and {len(names) - 1} more"


def _named(patch: Patch, prefix: str, module: Module) -> str:
    """What a person calls a module."""
    steps = prefix.split(".")
    title = str(getattr(module, "title", "") or type(module).__name__)
    if steps[0] == "threads":
        return f"thread {module.source} → {module.target}"  # type: ignore[attr-defined]
    if steps[0] == "layers" and len(steps) == 3 and steps[2] in ("filter", "drive"):
        return f"{steps[2]} of {steps[1].upper()}"
    if steps[0] == "layers":
        return f"layer {steps[1].upper()}" if len(steps) == 2 else f"{steps[1].upper()} {title}"
    if steps[0] == "modulators":
        return f"{steps[1].upper()} {title}"
    if steps[0] == "buses":
        return f"bus {steps[1]} {title}" if len(steps) > 2 else f"bus {steps[1]}"
    return title


def difference(before: Patch, after: Patch) -> Difference:
    """What is different in the sound of two patches; words about them do not count."""
    ours, theirs = dict(modules(before)), dict(modules(after))
    same = {p for p in ours if p in theirs and type(ours[p]) is type(theirs[p]) and not _another(ours[p], theirs[p])}
    added = [_named(after, p, theirs[p]) for p in theirs if p not in same and p]
    removed = [_named(before, p, ours[p]) for p in ours if p not in same and p]
    rows = []
    were = {slot.path: slot for slot in slots(before)}
    for path, param, value in slots(after):
        slot = were.get(path)
        prefix = next((p for p in sorted(theirs, key=len, reverse=True) if p and path.startswith(f"{p}.")), "")
        if (
            slot is None
            or slot.value == value
            or (prefix and prefix not in same)
            or type(slot.param) is not type(param)
        ):
            continue
        moved = abs(param.position(value) - param.position(slot.value)) if isinstance(param, Param) else 1.0
        rows.append(Row(called(after, path, param), slot.param.write(slot.value), param.write(value), moved))
    lines = {drawing.path: drawing for drawing in drawings(before)}
    for path, drawn, line in drawings(after):
        if path in lines and lines[path].value != line:
            rows.append(
                Row(
                    f"{_named(after, path.rpartition('.')[0], drawn_owner(theirs, path))} {drawn.label}",
                    "drawn",
                    "drawn anew",
                    0.5,
                )
            )
    for prefix in (p for p in theirs if p in same):
        for what, old, new in _matter(ours[prefix], theirs[prefix]):
            rows.append(Row(f"{_named(after, prefix, theirs[prefix])} {what}", old, new, 1.0))
    rows += [
        Row(f"Macro {key[1:]} is called", a.name or "nothing", b.name or "nothing", 0.1)
        for key, a, b in _macros(before, after)
        if a.name != b.name
    ]
    rows.sort(key=lambda row: -row.moved)
    return Difference(rows, added, removed)


def drawn_owner(known: dict[str, Module], path: str) -> Module:
    """The module that a drawing belongs to."""
    return known[path.rpartition(".")[0]]


def _macros(before: Patch, after: Patch) -> list[tuple[str, Any, Any]]:
    return [(key, macro, after.macros[key]) for key, macro in before.macros.items() if key in after.macros]


def _another(one: Module, other: Module) -> bool:
    """Whether two threads of the same id go elsewhere."""
    return any(
        getattr(one, field, None) != getattr(other, field, None)
        for field in ("source", "target")
        if isinstance(getattr(one, field, None), str)
    )


def _matter(one: Module, other: Module) -> list[tuple[str, str, str]]:
    """What a source plays, and what shapes a level, where it is another."""
    found = []
    a, b = getattr(one, "asset", None), getattr(other, "asset", None)
    if a != b:
        found.append(("plays", a.name if a is not None else "nothing", b.name if b is not None else "nothing"))
    if getattr(one, "contour", None) != getattr(other, "contour", None):
        found.append(
            ("is shaped by", str(getattr(one, "contour", "")).upper(), str(getattr(other, "contour", "")).upper())
        )
    return found


def changed_modules(before: Patch, after: Patch) -> dict[str, str]:
    """Modules that both patches have and that are different, by path: what a person calls them."""
    ours, theirs = dict(modules(before)), dict(modules(after))
    found = {}
    for prefix, module in theirs.items():
        depth = len(prefix.split("."))
        if (
            prefix
            and prefix in ours
            and ours[prefix] != module
            and not prefix.startswith("threads.")
            and (depth > 2 or prefix.startswith("modulators."))
        ):
            found[prefix] = _named(after, prefix, module)
    return found


def with_module(patch: Patch, other: Patch, prefix: str) -> Patch:
    """The patch with one module as another patch has it; threads on it stay as they are."""
    module = dict(modules(other))[prefix]
    made: Patch = put(patch, prefix.split("."), module)
    return made
