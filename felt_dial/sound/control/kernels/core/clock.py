"""Where in its turn something stands, in seconds or beats, for a note or for all."""

from __future__ import annotations

import math

from felt_dial.sound.compiling.kernel import formula, kernel
from felt_dial.sound.control.core import clock


@kernel
def swung(phase, turns, swing_by):
    """A phase, in turns, `turns` of even time later: of every two turns the first takes 1 + swing, the second 1 − swing."""
    if swing_by <= 0.0:
        return phase + turns
    pair = math.floor(phase / 2.0)
    inside = phase - 2.0 * pair
    time = inside * (1.0 + swing_by) if inside < 1.0 else 1.0 + swing_by + (inside - 1.0) * (1.0 - swing_by)
    time += turns
    more = math.floor(time / 2.0)
    time -= 2.0 * more
    inside = time / (1.0 + swing_by) if time < 1.0 + swing_by else 1.0 + (time - 1.0 - swing_by) / (1.0 - swing_by)
    return 2.0 * (pair + more) + inside


follow = formula(clock.follow)
