"""Chance: random values, one per note, stepped, drifting or chaotic; counted, so the same notes give the same ones."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Modulator
from felt_dial.patch.params import CUBIC, Choice, Param
from felt_dial.patch.units import COUNT, PERCENT, SECONDS
from felt_dial.sound.control.core.clock import follow, rate
from felt_dial.sound.playing.counted_chance import Whole, chance


class Chance(Modulator, kind="chance"):
    """A random value between a floor and that floor plus a range."""

    picture, order = "chance", 5

    tag, dye, most = "R", "mallow", 4

    way = Choice(
        "Type",
        "note",
        {"note": "Per note", "stepped": "Stepped", "smooth": "Smooth drift", "chaotic": "Chaotic drift"},
        rebuilds=True,
        says="One value for each note; a new one every turn; eased between them; or a chaotic orbit.",
    )
    rate = rate("Rate", 4.0, "How often a new value comes; of a chaotic drift about how often it circles.")
    voices = Choice(
        "Voices",
        "own",
        {"own": "Each its own", "all": "All alike"},
        rebuilds=True,
        says="Every note drifts by itself, or all drift together.",
    )
    floor = Param("Floor", 0.0, (0.0, 1.0), PERCENT, says="The least it gives.")
    span = Param("Range", 1.0, (0.0, 1.0), PERCENT, says="How far above the floor it may go.")
    smooth = Param("Smooth", 0.0, (0.0, 1.0), SECONDS, taper=CUBIC, says="Time in which it follows a new value.")
    seed = Param("Seed", 1, (1, 999), COUNT, whole=True, movable=False, says="Another number, other chances.")

    def at_rest(self) -> dict[str, tuple[str, str]]:
        """A value per note has no rate."""
        return {"rate": ("way", "each note has one value")} if self.get("way") == "note" else {}

    def shared(self) -> bool:
        """One drift for all notes, where all are alike."""
        return bool(self.voices == "all" and self.way != "note")


ORBIT = 0.75
"""Time of the Lorenz system in which its orbit circles once, about; found by counting."""


def drawn_lot(seed: float, note: Whole, count: Whole) -> float:
    """A number from 0 to 1 for a seed, a note and a count."""
    return chance(np.int64(seed) * 1000003 + np.int64(note), np.int64(count) + 1)


def orbit_start(seed: float, note: Whole) -> tuple[float, float, float]:
    """Where a note's orbit begins, by lot: x, y, z."""
    x, y = 16.0 * drawn_lot(seed, note, 1) - 8.0, 16.0 * drawn_lot(seed, note, 2) - 8.0
    return x, y, 20.0 + 10.0 * drawn_lot(seed, note, 3)


def orbit(x: float, y: float, z: float, time: float) -> tuple[float, float, float]:
    """The Lorenz system (E. N. Lorenz, J. Atmos. Sci. 20 (1963), σ = 10, ρ = 28, β = 8/3) some time later.

    Taken in one to eight steps of at most 0.01, and held in bounds that its orbit does not reach.
    """
    steps = np.int64(min(time / 0.01 + 1.0, 8.0))
    step = min(time / steps, 0.01)
    for _ in range(steps):
        x, y, z = (x + step * 10.0 * (y - x), y + step * (x * (28.0 - z) - y), z + step * (x * y - 8.0 / 3.0 * z))
    return min(max(x, -30.0), 30.0), min(max(y, -40.0), 40.0), min(max(z, 0.1), 60.0)


@np.errstate(over="ignore")  # a hash is counted modulo 2^64
def chance_line(modulator: Chance, rate: float, tick: float, count: int, note: int = 1) -> NDArray[np.float64]:
    """What a chance gives a note, tick by tick from its beginning, 0 to 1; float64 (count,).

    `rate` is how often it turns in a second, `tick` the seconds between two values. `note` is the number of the note,
    0 for a chance that all notes share.
    """
    way, seed, smooth = str(modulator.way), modulator.number("seed"), modulator.number("smooth")

    def lots(counts: NDArray[np.int64]) -> NDArray[np.float64]:
        return np.asarray(drawn_lot(seed, note, counts))  # type: ignore[arg-type]  # a hash of many is many hashes

    steps = np.full(count, rate * tick)
    steps[:1] = 0.0
    turns = np.cumsum(steps)
    whole = np.floor(turns).astype(np.int64)
    if way == "chaotic":
        part = np.clip(0.5 + _orbit_line(seed, note, ORBIT * (rate * tick), count) / 40.0, 0.0, 1.0)
    elif way == "smooth":
        u, before, after = turns - whole, lots(whole), lots(whole + 1)
        part = before + (after - before) * u * u * (3.0 - 2.0 * u)
    else:
        part = lots(whole if way == "stepped" else np.zeros(count, np.int64))
    goals = np.minimum(modulator.number("floor") + modulator.number("span") * part, 1.0)
    if smooth <= 0.0 or not count:
        return goals
    found, value = [], float(goals[0])
    for goal in goals.tolist():
        value = follow(value, goal, tick, smooth)
        found.append(value)
    return np.array(found)


def _orbit_line(seed: float, note: int, time: float, count: int) -> NDArray[np.float64]:
    """x of a note's orbit, tick by tick, `time` of its own apart; float64 (count,)."""
    place, found = orbit_start(seed, note), np.empty(count)
    for n in range(count):
        place = orbit(*place, time if n else 0.0)
        found[n] = place[0]
    return found
