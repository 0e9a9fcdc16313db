"""Parts of the sound by themselves: what they plan is walked at once."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from felt_dial.sound.compiling.plan import Desk, Plan, Walk
from felt_dial.sound.engine.racks import Rack


def walked(build: Callable[[Plan], Any]) -> Any:
    """Plans something and does it; gives what `build` gives."""
    plan = Plan(Desk())
    found = build(plan)
    Walk([plan.finish()])()
    return found


def through_rack(rack: Rack, sound: NDArray[np.float32]) -> list[str]:
    """Lets a rack work on a block of sound in place; the paths of effects that gave no number."""
    walked(rack.ask)
    rack.hear()
    Walk(rack.plans(Desk(), sound, np.zeros(1, np.int64)))()
    return rack.mend()
