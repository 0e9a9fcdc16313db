"""Sizes of the sound: frames of a block and of a tick, voices, qualities."""

from __future__ import annotations

TICK = 16
"""Frames between two control values, at the base rate."""

ROWS = 64
"""Voices that can sound in one block: 32 notes and as many that fade because they were stolen."""

SILENT = -70.0
BLOCK = 256
QUALITIES = (1, 2, 4, 8)
HIGHEST = 24000.0
"""Hz of the highest harmonic that a source makes, at whatever rate: what bends a sound would hear the ones above."""
BRIGHT, ABOVE = 0.585, 1500.0
"""How much more is heard of what lies above so many Hz: 4 dB, the first stage of the weighting of ITU-R BS.1770, by a
single pole. Levels are kept by it."""
