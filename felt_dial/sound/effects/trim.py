"""Trim: a level and a balance."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Effect
from felt_dial.patch.params import Param, Switch
from felt_dial.patch.units import DECIBELS


class Trim(Effect, kind="trim"):
    """A level between two effects, and the other way up."""

    group = "Dynamics"

    picture = "transfer"

    level = Param("Level", 0.0, (-48.0, 24.0), DECIBELS, says="Louder or softer.")
    invert = Switch("Invert polarity", False, says="Turns the wave over.", smooth=True)

    def transfer(self, x: NDArray[np.float64]) -> NDArray[np.float64]:
        """What comes out for a sample from −1 to 1."""
        return np.asarray(10 ** (self.number("level") / 20) * (-1 if self.get("invert") else 1) * x)
