"""Reach: where threads take a dial, whether a mover moves anything, and why a movement is not heard."""

from __future__ import annotations

from felt_dial.patch.edits import threads_on
from felt_dial.patch.patch import BY_RATIO, Patch, Route, audio_rate_modulators, contours, target_param, value_at
from felt_dial.patch.routing import effect_name


def shaped_by(patch: Patch, mover: str) -> list[str]:
    """Whose level over time a mover is: letters of layers, and buses by name."""
    those = [path.split(".") for path, contour in contours(patch).items() if contour == mover]
    return [key.upper() if what == "layers" else f"bus {key}" for what, key in those]


def moves_something(patch: Patch, source: str) -> bool:
    """True where a mover has an effect: a thread with a depth, a layer's level, or a blend that does."""
    if source in contours(patch).values():
        return True
    for thread in patch.threads.values():
        if source in (thread.source, thread.scaled) and thread.on and _amount(patch, thread) != 0.0:
            return True
    return any(
        source in [getattr(modulator, field) for field in modulator.inputs] and moves_something(patch, key)
        for key, modulator in patch.modulators.items()
        if key != source
    )


def _amount(patch: Patch, thread: Route) -> float:
    """A depth as the engine adds it: octaves on a geometric unit that is moved by ratio, the unit itself elsewhere."""
    param = target_param(patch, thread.target)
    by_ratio = param.unit.geometric and thread.by == BY_RATIO
    return param.unit.amount(thread.depth) if by_ratio else thread.depth


def _ends(patch: Patch, thread: Route) -> tuple[float, float]:
    """What a thread makes of its mover at its beginning and at its end, in parts of the depth."""
    first, last = 0.0, 1.0
    if thread.source in patch.macros:
        macro = patch.macros[thread.source]
        first, last = macro.number("low"), macro.number("high")
    if thread.reading == "flipped":
        first, last = 1.0 - first, 1.0 - last
    if thread.shape:
        levels = [level for _, level, _ in thread.shape]
        first, last = (min(levels), max(levels)) if levels[0] <= levels[-1] else (max(levels), min(levels))
    return (2 * first - 1, 2 * last - 1) if thread.reading == "both ways" else (first, last)


def reach(patch: Patch, thread: Route) -> tuple[float, float, bool]:
    """Where a thread alone takes its dial: from, to, and whether an end of the range stops it."""
    amount = _amount(patch, thread)
    first, last = _ends(patch, thread)
    if thread.scaled:
        first, last = (0.0, last) if abs(last) >= abs(first) and first * last >= 0 else (first, last)
    return _reach(patch, thread.target, [(thread, first * amount)], [(thread, last * amount)])


def reach_of_all(patch: Patch, path: str) -> tuple[float, float, bool]:
    """Where all threads on a dial take it together: lowest, highest, and whether an end stops it."""
    low, high = [], []
    for thread in threads_on(patch, path).values():
        if thread.on:
            amount = _amount(patch, thread)
            ends = [end * amount for end in _ends(patch, thread)]
            if thread.scaled:
                ends.append(0.0)
            low.append((thread, min(ends)))
            high.append((thread, max(ends)))
    return _reach(patch, path, low, high)


def _reach(
    patch: Patch, path: str, first: list[tuple[Route, float]], last: list[tuple[Route, float]]
) -> tuple[float, float, bool]:
    param = target_param(patch, path)
    base = param.resolve(value_at(patch, path), float(patch.tempo))
    found = []
    stopped, margin = False, 1e-9 * (param.high - param.low)
    for moves in (first, last):
        octaves = sum(move for thread, move in moves if param.unit.geometric and thread.by == BY_RATIO)
        added = sum(move for thread, move in moves if not (param.unit.geometric and thread.by == BY_RATIO))
        free = base * 2.0**octaves + added
        stopped |= not param.wraps and (free < param.low - margin or free > param.high + margin)
        found.append(min(max(free, param.low), param.high))
    return found[0], found[1], stopped


def silent_because(patch: Patch, path: str) -> tuple[str, dict[str, object]] | None:
    """Why nobody hears a dial move, and what to set so that it is heard; None where it is heard, as far as can be told."""
    steps = path.split(".")
    if steps[0] == "racks" and not patch.racks[steps[1]][steps[2]].get("on"):
        return f"{effect_name(patch, steps[1], steps[2])} is off", {f"racks.{steps[1]}.{steps[2]}.on": True}
    if steps[0] not in ("layers", "buses"):
        return None
    letter = steps[1].upper() if steps[0] == "layers" else f"bus {steps[1]}"
    if len(steps) > 3 and steps[2] in ("drive", "filter", "after"):
        part = value_at(patch, f"{steps[0]}.{steps[1]}.{steps[2]}.on")
        if not part:
            what = "filter" if steps[2] == "filter" else "drive"
            return f"The {what} of {letter} is off", {f"{steps[0]}.{steps[1]}.{steps[2]}.on": True}
    if steps[0] == "layers":
        layer = patch.layers[steps[1]]
        if not layer.get("on"):
            return f"Layer {letter} is off", {f"layers.{steps[1]}.on": True}
        heard_by = [key for key in patch.layers if key != steps[1] and steps[1] in audio_rate_modulators(patch, key)]
        if layer.get("out") == "none" and not layer.sends and not heard_by:
            return f"Layer {letter} goes nowhere", {f"layers.{steps[1]}.out": "rack"}
    return None
