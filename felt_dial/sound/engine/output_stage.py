"""Output stage: where layers and buses come together, go through the racks, and out."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from felt_dial.sound.compiling.plan import At, Desk, Plan
from felt_dial.sound.engine.kernels.arranging import run_add, run_copy, run_leave, run_meet, run_shift
from felt_dial.sound.engine.kernels.mix import run_output, sound_peak
from felt_dial.sound.engine.racks import Rack, Tap
from felt_dial.sound.engine.rates import Down, Pad, down_latency

RACK, DIRECT, NOWHERE, RACK2, FIRST_BUS = range(5)
CEILING = np.float32(1.0)
SPILL = 64
"""Frames by which something may be put into a sum, or a bus, later than it was made."""
LONGEST = 8192
"""Frames by which ways that are early can be held back."""


class OutputStage:
    """The sums, both racks and the output; what is late is waited for, so that all ways come out in step.

    Attributes
    ----------
    sums : {RACK, DIRECT, RACK2: Down}
        What layers and buses come together in, on its way down from the finer rate.
    peaks : float32 (2,)
        Largest samples of both sides before the ceiling, of the last block.
    changed : bool
        True where something was set from outside since a block was planned.
    """

    def __init__(self, frames: int, quality: int, late: int) -> None:
        self.sums = {
            goes: Down(frames, quality, down_latency(quality) + late / quality) for goes in (RACK, DIRECT, RACK2)
        }
        self._inlets = {goes: np.zeros((1, 2, frames * quality + SPILL), np.float32) for goes in self.sums}
        self.used = {goes: goes == RACK for goes in self.sums}
        self.racks = {"1": Rack(frames, quality), "2": Rack(frames, quality)}
        self.out = self.sums[RACK].out
        self.tap = Tap(before=np.zeros((2, frames), np.float32), after=np.zeros((2, frames), np.float32))
        self.peaks, self._loudest = np.zeros(2, np.float32), np.zeros(1, np.float32)
        self.gains = np.zeros(2)
        """Output gain as a block begins and as it ends."""
        self.changed = True
        self.dry: NDArray[np.float32] | None = None
        """How much of what goes into the racks is heard instead of what comes out of them, (frame,) from 0 to 1."""
        self._plain, self._aside = (np.zeros((2, frames), np.float32) for _ in range(2))
        self._plain_pads = {goes: Pad(LONGEST, frames) for goes in (RACK, RACK2)}
        self._most = np.full(1, CEILING)
        self._share = np.ones(frames, np.float32)
        self._planned: tuple[str, bool, bool] = "", False, False
        self._pads = {goes: Pad(LONGEST, frames) for goes in self.sums}
        self._own = self.sums[RACK].late
        self._shown: dict[int, NDArray[np.float32]] = {}
        self._before: tuple[dict[int, NDArray[np.float32]], NDArray[np.float32]] | None = None

    @property
    def before(self) -> float:
        """Largest sample before rack 1, of the last block."""
        return float(self._loudest[0])

    @property
    def ceiling(self) -> np.float32:
        """The largest sample that comes out."""
        found: np.float32 = self._most[0]
        return found

    @ceiling.setter
    def ceiling(self, most: np.float32) -> None:
        self._most[0] = most

    def late(self, joins: bool, second: bool) -> int:
        """Frames by which the output is late: the way down from the finer rate, and the racks.

        `joins` says that rack 2 goes into rack 1, `second` that something goes to rack 2.
        """
        return self._own + self._waits(joins, second)[0]

    def _waits(self, joins: bool, second: bool) -> tuple[int, int, int, int]:
        """Frames of the whole, and those that rack 1's input, rack 2's output and what goes direct are held back."""
        first, other = self.racks["1"].late, self.racks["2"].late if second else 0
        if joins:
            return first + other, other, 0, first + other
        whole = max(first, other)
        return whole, whole - first, whole - other, whole

    def begin_block(self) -> bool:
        """Takes over what was set from outside; True where that asks for another plan."""
        if self.dry is not None:
            self._share[:] = self.dry
        listens = self.tap.path, self.tap.alone, self.dry is not None
        changed = self.changed or listens != self._planned
        self.changed, self._planned = False, listens
        return changed

    def open(self, plan: Plan) -> None:
        """Empties the sums, but for what comes later."""
        for goes, inlet in self._inlets.items():
            if self.used[goes]:
                plan.call(run_shift, inlet, SPILL)

    def ways(self) -> list[tuple[Rack, NDArray[np.float32]]]:
        """Both racks, and the sound that each works on, float32 (2, frame)."""
        return [(self.racks["1"], self.out), (self.racks["2"], self.sums[RACK2].out)]

    def take(self, goes: int) -> NDArray[np.float32]:
        """Where to add a sound that goes to one of the sums, up to `SPILL` frames late; float32 (1, 2, frame)."""
        self.used[goes] = True
        return self._inlets[goes]

    def carry_on(self, old: OutputStage) -> None:
        """Takes over what another still had to bring, where both run at the same rate."""
        for goes, inlet in self._inlets.items():
            self.used[goes] |= old.used[goes]
            if inlet.shape == old._inlets[goes].shape:
                inlet[:] = old._inlets[goes]

    def shows_sums(self) -> None:
        """Keeps what goes into the racks and into every effect, for one that takes its place."""
        self.changed = True
        for rack in self.racks.values():
            for effect in rack.effects:
                effect.shown = np.zeros_like(self.out)
        self._shown = {goes: np.zeros_like(one.out) for goes, one in self.sums.items()}

    def goes_on_from(self, old: OutputStage, ramp: NDArray[np.float32]) -> None:
        """In the next block, what goes into the racks fades from what went into those of `old`, by `ramp` (frame,).

        So does what goes into an effect that is in both, wherever it stands now: others may have come and gone before it.
        """
        self.changed = True
        self._before = old._shown, ramp
        known = {effect.running.path: effect for rack in old.racks.values() for effect in rack.effects}
        for rack in self.racks.values():
            for effect in rack.effects:
                if effect.running.path in known:
                    effect.goes_on_from(known[effect.running.path], ramp)

    def _come_down(self, plan: Plan, goes: int) -> NDArray[np.float32]:
        """One of the sums, at the rate of the output."""
        one = self.sums[goes]
        plan.call(run_copy, self._inlets[goes][0], one.fine)
        one.plan(plan)
        if goes in self._shown:
            plan.call(run_copy, one.out, self._shown[goes])
        if self._before is not None:
            shown, ramp = self._before
            plan.call(run_meet, one.out, shown[goes], ramp)
        return one.out

    def plans(self, desk: Desk, joins: bool, attention: NDArray[np.int64]) -> list[Plan]:
        """Racks, output gain and ceiling. `joins` says that rack 2 goes into rack 1, and not to the output.

        `attention` (1,) is called for where an effect gave no number.
        """
        out, tap = self.out, self.tap
        _, first, second, direct = self._waits(joins, self.used[RACK2])
        found: list[Plan] = []

        def begin() -> Plan:
            found.append(Plan(desk))
            return found[-1]

        plan = begin()
        self._pads[RACK].plan(plan, self._come_down(plan, RACK), first)
        alone = ""
        late = self.racks["1"].late
        if self.dry is not None:
            plan.call(run_copy, out, self._plain)
            self._plain_pads[RACK].plan(plan, self._plain, late)
        if self.used[RACK2]:
            sound = self._come_down(plan, RACK2)
            if self.dry is not None:  # as late as what goes through the racks, so that the ways stay together
                plan.call(run_copy, sound, self._aside)
                self._plain_pads[RACK2].plan(plan, self._aside, self.racks["2"].late + second + (late if joins else 0))
                plan.call(run_add, self._plain, self._aside)
            plan.finish()
            found += self.racks["2"].plans(desk, sound, attention, tap)
            plan = begin()
            if tap.alone and tap.path.startswith("racks.2."):
                alone = "2"
            self._pads[RACK2].plan(plan, sound, second)
            if joins and alone != "2":
                plan.call(run_add, out, sound)
        plan.call(sound_peak, out, into=self._loudest)
        if not tap.path:
            plan.call(run_copy, out, tap.before)
        if alone == "2":
            plan.call(run_copy, self.sums[RACK2].out, out)
        else:
            plan.finish()
            found += self.racks["1"].plans(desk, out, attention, tap)
            plan = begin()
            if not (tap.alone and tap.path.startswith("racks.1.")):
                if self.used[RACK2] and not joins:
                    plan.call(run_add, out, self.sums[RACK2].out)
                if self.used[DIRECT]:
                    sound = self._come_down(plan, DIRECT)
                    self._pads[DIRECT].plan(plan, sound, direct)
                    plan.call(run_add, out, sound)
                    if self.dry is not None:
                        plan.call(run_add, self._plain, sound)
        if self.dry is not None:
            plan.call(run_leave, out, self._plain, self._share)
        plan.call(run_output, out, At(self.gains, 0), At(self.gains, 1), At(self._most, 0), self.peaks)
        if not tap.path:
            plan.call(run_copy, out, tap.after)
        plan.finish()
        return found

    @property
    def passes(self) -> bool:
        """True where something is done in this block that is not in the next one."""
        return self._before is not None or any(effect.passes for rack in self.racks.values() for effect in rack.effects)

    def planned(self) -> None:
        """What was to be done in one block only is planned."""
        self._before = None
