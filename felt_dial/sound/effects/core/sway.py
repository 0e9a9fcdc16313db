"""Parameters of copies whose delay sways."""

from __future__ import annotations

from felt_dial.patch.params import LOG, Param
from felt_dial.patch.units import RATE

MOST = 12


def _rate(default: float) -> Param:
    return Param("Rate", default, (0.01, 12.0), RATE, taper=LOG, beats=True, says="How often it sways.")
