"""What every tuned filter shares: where its cutoff is at every frame, and how it gives way when it is driven."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from felt_dial.patch.module import Tuned

LOWEST, HIGHEST = 5.0, 0.49
"""Cutoffs end at 5 Hz, and at this part of the rate."""


def hertz(filter_: Tuned, now: Mapping[str, float] | None = None, pitch: float = 60.0) -> float:
    """Cutoff in Hz of a filter whose parameters stand where `now` says (or where they are set), for a pitch."""
    if filter_.get("counted") == "key":
        return float(440.0 * 2.0 ** ((pitch - 69.0 + now_or_set(filter_, now, "distance")) / 12.0))
    turned = now_or_set(filter_, now, "follow") * (pitch - 60.0) / 12.0
    return float(now_or_set(filter_, now, "cutoff") * 2.0**turned)


def now_or_set(filter_: Any, now: Mapping[str, float] | None, name: str) -> float:
    """Value of a parameter where something moved it to, or where it is set."""
    return float(now[name]) if now and name in now else filter_.number(name)


def prototype(frequency: ArrayLike, cutoff: float, rate: float) -> NDArray[np.complex128]:
    """s of an analogue prototype with its cutoff at 1, at each frequency under the bilinear transform."""
    f = np.minimum(np.asarray(frequency, np.float64), 0.4999 * rate)
    return np.asarray(1j * np.tan(np.pi * f / rate) / np.tan(np.pi * min(cutoff, HIGHEST * rate) / rate))
