"""Chance that is counted, not clocked: the same note and counter give the same number, every time."""

from __future__ import annotations

from typing import Any

import numpy as np

Whole = int | np.integer[Any]


def chance(note: Whole, counter: Whole) -> float:
    """A number from 0 to 1 (never 1) for two whole numbers.

    The mixing function is that of SplitMix64 (Steele, Lea, Flood, OOPSLA 2014).
    """
    z = np.uint64(note) * np.uint64(0x9E3779B97F4A7C15) + np.uint64(counter) * np.uint64(0xD1342543DE82EF95)
    z += np.uint64(0x9E3779B97F4A7C15)
    z = (z ^ (z >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    z = (z ^ (z >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    z = z ^ (z >> np.uint64(31))
    return np.float64(z >> np.uint64(11)) * (1.0 / 9007199254740992.0)


def wander(note: Whole, voice: Whole, turns: float) -> float:
    """A slow smooth random line from −1 to 1 at `turns` of its own time: values every turn, eased between."""
    whole = np.floor(turns)
    part = turns - whole
    lane = np.int64(voice) * 1000003
    a = chance(note, lane + np.int64(whole))
    b = chance(note, lane + np.int64(whole) + 1)
    line: float = 2.0 * (a + (b - a) * part * part * (3.0 - 2.0 * part)) - 1.0
    return line
