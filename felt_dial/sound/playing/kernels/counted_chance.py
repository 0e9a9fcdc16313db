"""Counted chance, compiled."""

from __future__ import annotations

from felt_dial.sound.compiling.kernel import formula
from felt_dial.sound.playing import counted_chance

chance, wander = formula(counted_chance.chance), formula(counted_chance.wander)
