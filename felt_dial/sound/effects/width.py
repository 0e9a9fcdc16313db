"""Width: how far the sides stand apart, above a frequency."""

from __future__ import annotations

from felt_dial.patch.module import Effect
from felt_dial.patch.params import LOG, Param
from felt_dial.patch.units import HERTZ, PERCENT


class Width(Effect, kind="width"):
    """Turns the sides up or down against the middle, and makes what is low one."""

    group = "Stereo"

    picture = "field"

    width = Param("Width", 1.0, (0.0, 2.0), PERCENT, says="0 is one point in the middle, 100 % as it was.")
    mono = Param("Mono below", 20.0, (20.0, 500.0), HERTZ, taper=LOG, says="What is below stands in the middle.")
    balance = Param("Balance", 0.0, (-1.0, 1.0), PERCENT, says="Turns one side down.")

    def turned(self, left: float, right: float) -> tuple[float, float]:
        """What becomes of a sample of both sides above the lows that are made one; the closed form, for the picture."""
        middle, side = 0.5 * (left + right), 0.5 * (left - right) * float(self.width)
        balance = float(self.balance)
        return min(1.0 - balance, 1.0) * (middle + side), min(1.0 + balance, 1.0) * (middle - side)
