"""Gate: a row of steps that lets the sound through, in time."""

from __future__ import annotations

from felt_dial.patch.module import Effect
from felt_dial.patch.params import CUBIC, LOG, Param, Switch
from felt_dial.patch.units import COUNT, PERCENT, RATE, SECONDS, Beats

MOST = 16
FIRST_ROW = (1.0, 0.0, 0.6, 0.0, 1.0, 0.0, 0.6, 0.8, 1.0, 0.0, 0.6, 0.0, 1.0, 0.4, 0.6, 0.0)


def _step(n: int, level: float) -> Param:
    return Param(f"Step {n}", level, (0.0, 1.0), PERCENT, says=f"How far it is open at step {n}.")


class Gate(Effect, kind="gate"):
    """A row of up to sixteen steps, each as open as it is drawn, in time."""

    group = "Movement"

    picture, runs_on = "gate", True

    steps = Param("Steps", 16, (2, MOST), COUNT, whole=True, says="After how many steps the row begins again.")
    pace = Param("Step", Beats(0.25), (0.05, 40.0), RATE, taper=LOG, beats=True, says="How long a step is.")
    length = Param("Length", 1.0, (0.05, 1.0), PERCENT, says="What part of its time a step stays open.")
    swing = Param("Swing", 0.0, (0.0, 0.6), PERCENT, says="How much later every second step comes.")
    soft = Param("Soft", 0.004, (0.0005, 0.2), SECONDS, taper=CUBIC, says="Time in which it opens and closes.")
    least = Param("Left over", 0.0, (0.0, 1.0), PERCENT, says="How much passes while it is closed.")
    anew = Switch("With the sound", True, says="After a silence the row begins at its first step.")
    vars().update({f"s{n}": _step(n, level) for n, level in enumerate(FIRST_ROW, 1)})

    def row(self) -> list[float]:
        """How far each step is open, up to the last."""
        return [self.number(f"s{n + 1}") for n in range(int(self.steps))]

    def idle(self) -> set[str]:
        """The steps behind the last."""
        return {f"s{n}" for n in range(int(self.steps) + 1, MOST + 1)}

    def summary(self) -> str:
        """The effect in a few words for its card."""
        return f"{int(self.steps)} steps · {self.params['pace'].write(self.get('pace'))}"
