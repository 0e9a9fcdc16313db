"""Shift: moves every frequency by the same hertz, or the pitch by semitones."""

from __future__ import annotations

from felt_dial.patch.module import Effect
from felt_dial.patch.params import CUBIC, LOG, Param
from felt_dial.patch.units import HERTZ, PERCENT, SECONDS, SEMITONES

LONGEST = 0.2


class Shift(Effect, kind="shift"):
    """Moves every frequency by so many hertz, so that harmonics stop being harmonic; or moves the pitch."""

    group = "Pitch"

    picture = "shift"

    hertz = Param(
        "Frequency", 0.0, (-2000.0, 2000.0), HERTZ.amounts or HERTZ, says="Added to every frequency in the sound."
    )
    apart = Param("Apart", 0.0, (0.0, 1.0), PERCENT, says="Right goes the other way, from not at all to fully.")
    pitch = Param("Pitch", 0.0, (-24.0, 24.0), SEMITONES, says="Moves the pitch: harmonics stay harmonic.")
    window = Param("Window", 0.05, (0.01, LONGEST), SECONDS, taper=LOG, says="Pieces of this length are made of it.")
    feedback = Param("Feedback", 0.0, (0.0, 0.95), PERCENT, says="Goes round again, each time moved once more.")
    wait = Param("Time", 0.0, (0.0, 1.0), SECONDS, taper=CUBIC, says="How late what is fed back comes.")

    def moved(self, frequency: float, right: bool = False) -> float:
        """Where a frequency in Hz comes out on a side, the first time round; below 0 it has been turned over."""
        hertz = float(self.hertz) * (1.0 - 2.0 * float(self.apart) if right else 1.0)
        return float(frequency * 2.0 ** (float(self.pitch) / 12.0) + hertz)

    def summary(self) -> str:
        """The effect in a few words for its card."""
        return " · ".join(self.params[name].write(self.get(name)) for name in ("hertz", "pitch"))
