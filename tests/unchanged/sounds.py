"""Sounds by rule for what is held unchanged: short, of every kind that listening has to tell apart."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

RATE = 48000
Sound = NDArray[np.float32]


def made(mono: NDArray[np.float64], side: float = 0.0, delay: int = 0) -> Sound:
    """Two channels of one: so much of it, so much later, to a side."""
    other = np.roll(mono, delay)
    return np.stack([mono + side * other, mono - side * other]).astype(np.float32)


def sounds() -> dict[str, Sound]:
    """Each about a second, float32 (2, frame)."""
    chance = np.random.default_rng(31)
    t = np.arange(RATE) / RATE
    n = np.arange(1, 21)[:, None]
    fall = np.exp(-3.0 * t)
    series = (np.sin(2 * np.pi * 220.0 * n * t + n) / n).sum(axis=0)
    stiff = (np.sin(2 * np.pi * 110.0 * n * np.sqrt(1 + 2e-4 * n**2) * t) / n * np.exp(-n * t)).sum(axis=0)
    noise = chance.normal(0.0, 0.2, RATE)
    blows = sum(np.where(t >= at, np.exp(-30.0 * np.maximum(t - at, 0.0)), 0.0) for at in (0.1, 0.35, 0.62))
    glide = np.sin(2 * np.pi * np.cumsum(220.0 * 2 ** (t * 5 / 12)) / RATE)
    waver = np.sin(2 * np.pi * 330.0 * t + 3.0 * np.sin(2 * np.pi * 5.5 * t))
    vowel = (np.sin(2 * np.pi * 140.0 * n * t) / (1 + ((140.0 * n - 700.0) / 200.0) ** 2)).sum(axis=0)
    bell = sum(
        level * np.sin(2 * np.pi * 440.0 * ratio * t) * np.exp(-dies * t)
        for ratio, level, dies in ((0.5, 0.6, 1.0), (1.0, 1.0, 2.0), (1.2, 0.8, 2.4), (1.5, 0.3, 3.0), (2.0, 0.9, 4.0))
    )
    begins = np.minimum(t / 0.25, 1.0)
    return {
        "sine": made(0.5 * np.sin(2 * np.pi * 440.0 * t)),
        "series": made(0.3 * series),
        "swelling": made(0.3 * series * begins, 0.3, 40),
        "plucked": made(0.4 * series * fall, 0.1, 9),
        "string": made(0.3 * stiff),
        "noise": made(noise, 0.5, 700),
        "dark noise": made(np.convolve(noise, np.ones(40) / 40, "same")),
        "blows": made(noise * blows),
        "tones in blows": made(0.3 * series * blows + 0.02 * noise),
        "glide": made(0.5 * glide),
        "waver": made(0.4 * waver + 0.01 * noise),
        "vowel": made(0.2 * vowel),
        "bell": made(0.2 * bell),
        "chord": made(
            0.2 * sum(np.sin(2 * np.pi * 261.63 * r * t * m) / m for r in (1, 1.26, 1.498) for m in (1, 2, 3))
        ),
        "low": made(0.4 * np.sign(np.sin(2 * np.pi * 41.2 * t))),
        "high": made(0.2 * np.sin(2 * np.pi * 3900.0 * t) * np.exp(-8 * t)),
        "late": made(np.concatenate([np.zeros(RATE // 2), 0.4 * series[: RATE // 2]])),
        "silence": made(np.zeros(RATE)),
        "click": made(np.where(np.arange(RATE) == 777, 1.0, 0.0)),
        "sine and noise": made(0.3 * np.sin(2 * np.pi * 620.0 * t) + 0.3 * noise, 0.2, 3),
    }
