"""What is bounced, and what comes of it: declarations alone, so that the window knows them without what renders."""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

from felt_dial.patch.asset import Asset


@dataclass(frozen=True)
class Bouncing:
    """What is bounced: notes as (start, length, key, velocity) in seconds, with racks or without, all or layer by layer."""

    notes: tuple[tuple[float, float, int, int], ...]
    racks: bool = True
    each: bool = False
    quality: int = 4
    tempo: float | None = None


class Bounced(NamedTuple):
    """A recording that was made, the layer that it is of (empty for all), and its key where it is of one note."""

    asset: Asset
    layer: str
    root: float | None
