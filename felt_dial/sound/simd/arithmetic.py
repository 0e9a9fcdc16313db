"""Powers and tangents of eight lanes at once: short series, where the library's functions take one number at a time."""

from __future__ import annotations

import math

from felt_dial.sound.compiling.kernel import kernel
from felt_dial.sound.simd.types import scaled, whole

T1, T2, T3, T4, T5, T6, T7, T8, T9 = (math.log(2.0) ** n / math.factorial(n) for n in range(1, 10))
"""Taylor series of 2ˣ: within half an octave of 0 it is good to 1e-11."""
S3, S5, S7, S9, S11, S13 = ((-1) ** (n // 2) / math.factorial(n) for n in range(3, 15, 2))
"""Taylor series of the sine: from 0 to π/2 it is good to 1e-9."""


@kernel
def power_of_two(x):
    """2ˣ of lanes from −1000 to 1000, to 1e-11 of itself; whole octaves are exact."""
    octaves = whole(x + 0.5)
    f = x - octaves
    q = T5 + f * (T6 + f * (T7 + f * (T8 + f * T9)))
    return scaled(1.0 + f * (T1 + f * (T2 + f * (T3 + f * (T4 + f * q)))), octaves)


@kernel
def _sine(x):
    q = x * x
    return x * (1.0 + q * (S3 + q * (S5 + q * (S7 + q * (S9 + q * (S11 + q * S13))))))


@kernel
def tangent(x):
    """tan x of lanes from 0 to below π/2, to 1e-9 of itself."""
    return _sine(x) / _sine(0.5 * math.pi - x)
