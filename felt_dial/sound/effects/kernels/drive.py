"""The drive of the whole chord: the kernel of the drive of voices."""

from __future__ import annotations

from felt_dial.patch.shaping import Shaper
from felt_dial.sound.effects.drive import Drive
from felt_dial.sound.effects.kernels.core.single_voice import for_chord

for_chord(Drive, Shaper)
