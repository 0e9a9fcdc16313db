"""Offshoots: variations grown from a sound. What may change, how a child is made, how children are spread and laid out.

Pure: nothing here renders; `growing` does, in a helper.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.bank.measuring.features import Features
from felt_dial.patch.edits import place_name
from felt_dial.patch.params import Choice, Param, Parameter, Switch
from felt_dial.patch.patch import Patch, Route, modules, put_value, slots, target_param, value_at
from felt_dial.patch.reach import reach
from felt_dial.patch.units import Beats, Value

COUNTS = (4, 8, 16, 24, 48, 64)
GROUPS = {
    "sources": "Sources",
    "pitch": "Pitch and time",
    "tone": "Filter and drive",
    "movement": "Movement",
    "effects": "Effects",
    "macros": "Macros",
}
"""What may change, and what a person calls it."""
TARGET = 0.95
"""The distance that is asked for at 100 %, see `features.distance`."""
MIX = ("level", "pan", "velocity")
NEVER = ("on", "bend", "note_bend", "voices", "grains", "reference", "key_centre", "seed", "root", "cents", "tempo")
"""Names of parameters that no offshoot moves: they are how it is played, or what is on."""


PROMISED = ("k", "v", "rv", "w", "p", "sl", "bd", "pd")
"""What the player does, of which a musician expects that it does the same in every offshoot, as every macro does."""
KEPT_REACH = 0.5
"""The part of its reach that a macro keeps at least."""


@dataclass(frozen=True)
class VariationOptions:
    """What is grown: how far (0 to 1), how many, which groups may change, which paths never do, and what stays."""

    far: float = 0.4
    count: int = 24
    groups: frozenset[str] = frozenset(("sources", "pitch", "tone", "movement"))
    locked: frozenset[str] = frozenset()
    in_tune: bool = True
    as_loud: bool = True
    cheap: bool = True
    seed: int = 1

    @property
    def promises(self) -> bool:
        """Whether macros and what the player does keep their reach: unless macros may change."""
        return "macros" not in self.groups


class Dial(NamedTuple):
    """A parameter that may move: its path, its declaration, where it stands (0 to 1), and how much it is moved by."""

    path: str
    param: Param
    place: float
    weight: float
    beats: bool


@dataclass(frozen=True)
class Variation:
    """One child.

    Attributes
    ----------
    document : str
        The patch.
    far : float
        How far it is from its parent.
    features : Features
    swatch : uint8 (64, 160)
    sound : float32 (2, frames)
        What is heard of it, at 48 kHz.
    changed : tuple of (where, before, after)
        What changed, most moved first.
    wrong : str
        Why it was thrown away; empty where it was not.
    key : int or None
        The key that is heard, where it was looked for.
    """

    document: str
    far: float
    features: Features
    swatch: NDArray[np.uint8]
    sound: NDArray[np.float32]
    changed: tuple[tuple[str, str, str], ...] = ()
    wrong: str = ""
    key: int | None = None


def group_of(path: str, param: Param) -> str:
    """To which group a parameter belongs; empty for what is never moved."""
    steps = path.split(".")
    name = steps[-1]
    if name in NEVER or path in ("level", *NEVER):
        return ""
    if steps[0] == "macros":
        return "macros" if len(steps) == 2 else ""
    if steps[0] == "racks":
        return "effects"
    if steps[0] == "threads":
        return "movement" if name == "depth" else ""
    if steps[0] in ("modulators", "pattern"):
        return "movement"
    if steps[0] == "buses":
        return "tone" if len(steps) > 3 else ""
    if steps[0] == "layers":
        if steps[2] == "source":
            return "sources"
        if steps[2] in ("filter", "drive"):
            return "tone"
        if steps[2] == "inlets":
            return "sources"
        if name in ("octave", "pitch", "fine", "harmonic", "divisor", "frequency", "delay"):
            return "pitch"
        return "tone" if name in MIX else ""
    return "pitch" if name == "glide" else ""


def tunes(path: str) -> bool:
    """Whether a parameter puts a sound out of tune."""
    steps = path.split(".")
    name = steps[-1]
    if steps[0] == "layers":
        return name in (
            "pitch",
            "fine",
            "harmonic",
            "divisor",
            "frequency",
            "stretch",
            "shift",
            "drift",
            "scatter",
            "energy",
            "coupling",
        )
    return steps[0] == "racks" and name in ("shift", "fine", "pitch", "detune")


def asleep(patch: Patch) -> set[str]:
    """Paths of parameters that do nothing as the patch is set, and of modules that are off."""
    found = set()
    for prefix, module in modules(patch):
        dot = f"{prefix}." if prefix else ""
        rest = module.at_rest() if hasattr(module, "at_rest") else {}
        found |= {dot + name for name in rest}
        if isinstance(module.params.get("on"), Switch) and not module.get("on"):
            found |= {dot + name for name in module.params}
    return found


def dials(patch: Patch, wishes: VariationOptions) -> list[Dial]:
    """What may move."""
    still = asleep(patch)
    pitched = {t.target for t in patch.threads.values() if t.target.endswith((".pitch", ".fine", ".octave"))}
    found = []
    for path, param, value in slots(patch):
        if not isinstance(param, Param) or path in still or path in wishes.locked or isinstance(value, bool):
            continue
        group = group_of(path, param)
        if group not in wishes.groups or param.high <= param.low:
            continue
        if wishes.in_tune and (
            tunes(path) or (path.startswith("threads.") and patch.threads[path.split(".")[1]].target in pitched)
        ):
            continue
        name = path.rpartition(".")[2]
        weight = 0.35 if name in MIX or name in ("attack", "release") else 1.0
        if path.startswith("threads."):
            weight = 0.5
        if param.whole and param.high - param.low < 4:
            weight = 0.6
        if name == "unison" and wishes.cheap:
            weight = 0.04
        try:
            place = param.position(value)
        except (TypeError, ValueError):
            continue
        found.append(Dial(path, param, float(min(max(place, 0.0), 1.0)), weight, isinstance(value, Beats)))
    return found


def counts(patch: Patch, wishes: VariationOptions) -> dict[str, int]:
    """How many dials of each group could move."""
    every = VariationOptions(groups=frozenset(GROUPS), locked=wishes.locked, in_tune=wishes.in_tune)
    found = dict.fromkeys(GROUPS, 0)
    for dial in dials(patch, every):
        found[group_of(dial.path, dial.param)] += 1
    return found


def directions(found: list[Dial], seed: int, number: int) -> NDArray[np.float64]:
    """Which way and how far each dial goes for one child: some of them, the rest stand; seldom one that stands at its end,
    which is not used by the sound."""
    chance = np.random.default_rng([seed, number])
    way = chance.normal(size=len(found)) * np.array([dial.weight for dial in found])
    share = chance.uniform(0.25, 0.65)
    unused = np.array([dial.place in (0.0, 1.0) for dial in found], bool)
    moved = chance.random(len(found)) < np.where(unused, 0.25 * share, share)
    if len(found) and not moved.any():
        moved[chance.integers(len(found))] = True
    return np.asarray(way * moved, np.float64)


def _span(patch: Patch, thread: Route) -> float:
    """How far a thread takes its dial from its beginning to its end, in parts of the dial's way; with its sign."""
    param = target_param(patch, thread.target)
    first, last, _ = reach(patch, thread)
    return param.position(last) - param.position(first)


def with_promises(patch: Patch, made: Patch) -> Patch:
    """An offshoot in which what the player does, and every macro, still takes its dial the same way and at least half as far.

    Where a depth or the place of the dial took that away, the depth is the parent's again, and then the place.
    """
    for key, thread in patch.threads.items():
        if thread.source not in patch.macros and thread.source not in PROMISED:
            continue
        wanted = _span(patch, thread)
        for path in (f"threads.{key}.depth", thread.target):
            now = _span(made, made.threads[key])
            if not wanted or (now * wanted > 0 and abs(now) >= KEPT_REACH * abs(wanted)):
                break
            made = put_value(made, path, value_at(patch, path))
    return made


def child(patch: Patch, found: list[Dial], way: NDArray[np.float64], much: float, promises: bool = False) -> Patch:
    """The patch with each dial moved so much of its way; what would go beyond an end comes back from it. With `promises`
    macros and the player keep their reach, see `with_promises`."""
    made = patch
    for dial, step in zip(found, way * much, strict=True):
        if step == 0.0:
            continue
        place = dial.place + step
        place = -place if place < 0.0 else 2.0 - place if place > 1.0 else place
        made = put_value(made, dial.path, dial.param.check(dial.param.at(min(max(place, 0.0), 1.0), dial.beats)))
    return with_promises(patch, made) if promises else made


def moved_by(param: Parameter, before: Value, after: Value) -> float:
    """How far a parameter is moved, as a part of its way; all of it for a choice or a switch."""
    return abs(param.position(after) - param.position(before)) if isinstance(param, Param) else 1.0


def changes(before: Patch, after: Patch) -> tuple[tuple[str, str, str], ...]:
    """What is different between two patches with the same modules: where, before, after; most moved first."""
    were = {slot.path: slot for slot in slots(before)}
    found = []
    for path, param, value in slots(after):
        slot = were.get(path)
        if slot is None or slot.value == value or path == "level":
            continue
        found.append(
            (
                moved_by(param, slot.value, value),
                called(after, path, param),
                slot.param.write(slot.value),
                param.write(value),
            )
        )
    found.sort(key=lambda row: -row[0])
    return tuple(row[1:] for row in found)


def called(patch: Patch, path: str, param: Parameter) -> str:
    """What a person calls a parameter: `A Cutoff`, `E2 on A Pitch`."""
    steps = path.split(".")
    if steps[0] != "threads":
        where, label = place_name(patch, path)
        return label if where == "Patch" else f"{where} {label}"
    thread = patch.threads[steps[1]]
    mover = (
        f"{thread.source.upper()} on {called(patch, thread.target, param)}"
        if "threads." not in thread.target
        else steps[1]
    )
    return mover if steps[-1] == "depth" else f"{mover}, {param.label}"


def spread(points: NDArray[np.float64], count: int) -> list[int]:
    """So many of points, as far from each other as can be: the next is always the one farthest from those chosen.

    T. F. Gonzalez, Theoretical Computer Science 38 (1985).
    """
    if len(points) <= count:
        return list(range(len(points)))
    apart = np.sqrt(np.square(points[:, None] - points[None]).sum(axis=2))
    chosen = [int(np.argmax(apart.sum(axis=1)))]
    while len(chosen) < count:
        chosen.append(int(np.argmax(apart[:, chosen].min(axis=1))))
    return sorted(chosen)


def least_apart(points: NDArray[np.float64]) -> float:
    """The least distance between any two points."""
    if len(points) < 2:
        return 0.0
    apart = np.sqrt(np.square(points[:, None] - points[None]).sum(axis=2))
    return float(apart[~np.eye(len(points), dtype=bool)].min())


def layout(points: NDArray[np.float64]) -> NDArray[np.float64]:
    """Places on a map, each from −1 to 1, near where points are near; the first point in the middle.

    Classical scaling (W. S. Torgerson, Psychometrika 17, 1952); what lies far outside is drawn in, and then all are pushed
    apart until no two pictures cover each other, as far as there is room.
    """
    count = len(points)
    if count == 1:
        return np.zeros((1, 2))
    square = np.square(points[:, None] - points[None]).sum(axis=2)
    centre = np.eye(count) - 1.0 / count
    values, vectors = np.linalg.eigh(-0.5 * centre @ square @ centre)
    places = (vectors[:, -2:] * np.sqrt(np.maximum(values[-2:], 0.0)))[:, ::-1]
    places = places - places[0]
    reach = np.maximum(np.quantile(np.abs(places), 0.8, axis=0), 1e-9)
    places = np.tanh(places / reach * 0.8) / np.tanh(1.6) * 0.9
    room = np.array([1.55, 1.45]) / np.sqrt(count)
    for _ in range(400):
        apart = places[:, None] - places[None]
        over = np.maximum(room - np.abs(apart), 0.0) * (1 - np.eye(count))[:, :, None]
        over *= (over.min(axis=2) > 0.0)[:, :, None]
        if over.max() < 1e-3:
            break
        axis = np.argmin(over / room + (over.max(axis=2) == 0.0)[:, :, None], axis=2)
        side = np.where(apart >= 0.0, 1.0, -1.0)
        push = np.zeros_like(apart)
        for k in (0, 1):
            push[:, :, k] = np.where(axis == k, over[:, :, k] * side[:, :, k], 0.0)
        step = 0.3 * push.sum(axis=1)
        step[0] = 0.0
        places = np.clip(places + step, -1.0, 1.0)
    return np.asarray(places, np.float64)


# --- between two -------------------------------------------------------------------------------


class Between(NamedTuple):
    """Patches from one sound to another, both ends among them, and what could not be matched."""

    patches: list[Patch]
    unmatched: tuple[str, ...]


def between(first: Patch, last: Patch, steps: int) -> Between:
    """Steps from one sound to another, where their modules match; what cannot be matched stays as the first has it."""
    ours, theirs = ({slot.path: slot for slot in slots(patch)} for patch in (first, last))
    kinds = [dict((prefix, type(module)) for prefix, module in modules(patch)) for patch in (first, last)]
    missing = [prefix for prefix in kinds[1] if kinds[0].get(prefix) is not kinds[1][prefix]]
    missing += [prefix for prefix in kinds[0] if prefix not in kinds[1]]
    missing += [
        f"threads.{key}"
        for key, thread in first.threads.items()
        if key in last.threads
        and (thread.source, thread.target) != (last.threads[key].source, last.threads[key].target)
    ]
    apart = tuple(dict.fromkeys(_module_name(first, last, prefix) for prefix in missing if prefix))
    patches = []
    for n in range(steps):
        part, made = n / max(steps - 1, 1), first
        for path, slot in ours.items():
            other = theirs.get(path)
            if (
                other is None
                or other.param.schema() != slot.param.schema()
                or any(path.startswith(f"{m}.") for m in missing if m)
            ):
                continue
            if isinstance(slot.param, Param) and not isinstance(other.value, bool):
                places = slot.param.position(slot.value), slot.param.position(other.value)
                in_beats = isinstance(slot.value, Beats)
                place = places[0] + part * (places[1] - places[0])
                value = other.value if part == 1.0 else slot.value if part == 0.0 else slot.param.at(place, in_beats)
            elif isinstance(slot.param, Choice | Switch):
                value = other.value if part >= 0.5 else slot.value
            else:
                continue
            if value != slot.value:
                made = put_value(made, path, slot.param.check(value))
        patches.append(made)
    return Between(patches, apart)


def _module_name(first: Patch, last: Patch, prefix: str) -> str:
    known = dict(modules(last)) | dict(modules(first))
    title = getattr(known[prefix], "title", "") or prefix
    steps = prefix.split(".")
    where = steps[1].upper() if len(steps) > 1 and steps[0] in ("layers", "modulators", "threads") else ""
    return f"{where} {title}".strip()
