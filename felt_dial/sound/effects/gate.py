"""Gate: a row of steps that lets the sound through, in time."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from felt_dial.patch.module import Effect, ModuleMeta
from felt_dial.patch.params import CUBIC, LOG, Param, Switch
from felt_dial.patch.units import COUNT, PERCENT, RATE, SECONDS, Beats
from felt_dial.sound.kernel import Stage, kernel, works_for

MOST = 16
FIRST_ROW = (1.0, 0.0, 0.6, 0.0, 1.0, 0.0, 0.6, 0.8, 1.0, 0.0, 0.6, 0.0, 1.0, 0.4, 0.6, 0.0)
QUIET, PAUSE = 1e-4, 0.05
"""What counts as silence, and after how many seconds of it the row begins anew."""


def _prepare(stage: Stage) -> tuple[np.ndarray, ...]:
    return (np.array([0.0, 1.0, 0.0]),)


def _row(gate: Any) -> list[float]:
    return [gate.number(f"s{n + 1}") for n in range(int(gate.steps))]


def _idle(gate: Any) -> set[str]:
    """The steps behind the last."""
    return {f"s{n}" for n in range(int(gate.steps) + 1, MOST + 1)}


def _summary(gate: Any) -> str:
    return f"{int(gate.steps)} steps · {gate.params['pace'].write(gate.get('pace'))}"


def _declared() -> dict[str, Any]:
    """The parameters of the gate and of its sixteen steps."""
    found: dict[str, Any] = {
        "steps": Param("Steps", 16, (2, MOST), COUNT, whole=True, says="After how many steps the row begins again."),
        "pace": Param("Step", Beats(0.25), (0.05, 40.0), RATE, taper=LOG, beats=True, says="How long a step is."),
        "length": Param("Length", 1.0, (0.05, 1.0), PERCENT, says="What part of its time a step stays open."),
        "swing": Param("Swing", 0.0, (0.0, 0.6), PERCENT, says="How much later every second step comes."),
        "soft": Param("Soft", 0.004, (0.0005, 0.2), SECONDS, taper=CUBIC, says="Time in which it opens and closes."),
        "least": Param("Left over", 0.0, (0.0, 1.0), PERCENT, says="How much passes while it is closed."),
        "anew": Switch("With the sound", True, says="After a silence the row begins at its first step."),
    }
    for n, level in enumerate(FIRST_ROW):
        words = {"says": f"How far it is open at step {n + 1}."}
        found[f"s{n + 1}"] = Param(f"Step {n + 1}", level, (0.0, 1.0), PERCENT, **words)  # type: ignore[arg-type]
    return found


Gate: Any = ModuleMeta(
    "Gate", (Effect,),
    {
        "__module__": __name__, "__doc__": "A row of up to sixteen steps, each as open as it is drawn, in time.",
        "prepare": staticmethod(_prepare), "row": _row, "idle": _idle, "summary": _summary, **_declared(),
    },
    kind="gate",
)  # fmt: skip
STEPS, PACE, LENGTH, SWING, SOFT, LEAST, ANEW, FIRST = Gate.rows_of(
    "steps", "pace", "length", "swing", "soft", "least", "anew", "s1"
)
PLACE, SILENT, OPEN = range(3)


@works_for(Gate)
@kernel
def run_gate(audio, control, tick, rate, state):  # type: ignore[no-untyped-def]
    """Opens and closes `audio` (float32, channel × frame) in place; `state` is (step, silence in seconds, gain)."""
    for t in range(control.shape[1] - 1):
        peak = np.float32(0.0)
        for channel in range(2):
            for n in range(t * tick, (t + 1) * tick):
                peak = max(peak, abs(audio[channel, n]))
        if peak > QUIET:
            if control[ANEW, t] > 0.5 and state[SILENT] > PAUSE:
                state[PLACE] = 0.0
            state[SILENT] = 0.0
        else:
            state[SILENT] = min(state[SILENT] + tick / rate, 1.0)
        count = np.float64(control[STEPS, t])
        length, swing = np.float64(control[LENGTH, t]), np.float64(control[SWING, t])
        least = np.float64(control[LEAST, t])
        follow = 1.0 - math.exp(-1.0 / (np.float64(control[SOFT, t]) / 3.0 * rate))
        beat = np.float64(control[PACE, t]) / rate
        for n in range(t * tick, (t + 1) * tick):
            pair = 2.0 * math.floor(0.5 * state[PLACE])
            within = state[PLACE] - pair
            first = 1.0 + swing
            step = pair if within < first else pair + 1.0
            part = within / first if within < first else (within - first) / (2.0 - first)
            goal = least
            if part < length:
                goal = max(least, np.float64(control[FIRST + np.int64(min(step, count - 1.0)), t]))
            state[OPEN] += (goal - state[OPEN]) * follow
            gain = np.float32(state[OPEN])
            audio[0, n] *= gain
            audio[1, n] *= gain
            state[PLACE] += beat
            if state[PLACE] >= count:
                state[PLACE] -= count * math.floor(state[PLACE] / count)
