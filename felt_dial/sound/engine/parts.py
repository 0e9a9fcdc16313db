"""Parts of a block, each with the plans that were made for it."""

from __future__ import annotations

from collections.abc import Callable, Hashable

import numpy as np

from felt_dial.sound.compiling.plan import Desk, Plan
from felt_dial.sound.engine.running_module import RunningModule

MOST_PLANS = 16
"""Plans that a part remembers before it begins anew."""


class Part:
    """What is planned by itself: an effect, a layer, a bus.

    A plan is kept under all that it was made for, and found again as soon as that is so once more, unless the state of one
    of its `modules` was laid out anew since. `answers` int64 (question,) say in every block what may ask for another plan.
    """

    def __init__(self, *modules: RunningModule, questions: int = 1) -> None:
        self._modules, self._versions = modules, -1
        self._plans: dict[Hashable, Plan] = {}
        self.answers = np.zeros(questions, np.int64)

    def plan_for(self, key: Hashable, passes: bool, desk: Desk, build: Callable[[Plan], None]) -> Plan:
        """The plan under a key; where what it does `passes` with this block, one of its own."""
        if not passes:
            versions = sum([module.version for module in self._modules])
            if versions != self._versions:
                self._plans, self._versions = {}, versions
            if key in self._plans:
                return self._plans[key]
        plan = Plan(desk)
        build(plan)
        plan.finish()
        if not passes:
            if len(self._plans) >= MOST_PLANS:
                self._plans = {}
            self._plans[key] = plan
        return plan
