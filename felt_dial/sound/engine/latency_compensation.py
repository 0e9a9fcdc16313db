"""Arrivals: when sounds come together, so that the ways that are shorter wait for those that are longer.

A drive is late by a few frames, and so is a filter that is driven. Where layers and buses meet, each is as late as if all on
its way worked: those that do not are waited for.
"""

from __future__ import annotations

from felt_dial.patch.parts import BUSES, Bus, Layer
from felt_dial.patch.shaping import Shaper
from felt_dial.sound.engine.finer_voices import FINE_ENOUGH, finer_latency
from felt_dial.sound.engine.output_stage import DIRECT, FIRST_BUS, RACK, RACK2
from felt_dial.sound.tone.core.halves import late


def latencies(rate: float) -> dict[int, int]:
    """Frames by which what comes into each sum and each bus is late, at the rate of the voices."""
    filter_ = finer_latency(rate) if rate < FINE_ENOUGH else 0
    layer, bus = (_drives(part) * late(rate) + filter_ for part in (Layer, Bus))
    found = {FIRST_BUS + n: layer + n * bus for n in range(len(BUSES))}
    return found | dict.fromkeys((RACK, DIRECT, RACK2), layer + len(BUSES) * bus)


def _drives(part: type[Layer] | type[Bus]) -> int:
    return sum(field.annotation is Shaper for field in part.model_fields.values())
