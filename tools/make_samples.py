"""The recordings of the demo, worked out sample by sample: a plucked string, struck glass, a wood knock, a blown reed, rain."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from scipy import signal

from felt_dial.sound.matter.assets import SHIPPED, asset_of
from felt_dial.sound.matter.audio_file import Audio

RATE = 48000
Sound = NDArray[np.float64]


def _time(seconds: float) -> Sound:
    return np.arange(round(seconds * RATE)) / RATE


def plucked_string() -> Sound:
    """A string plucked a seventh of its length from the bridge: damped, slightly stiff harmonics (common practice)."""
    t, f0 = _time(3.0), 196.0
    sound = np.zeros_like(t)
    for n in range(1, 41):
        f = f0 * n * np.sqrt(1 + 0.00012 * n * n)
        sound += np.sin(np.pi * n / 7) / n**1.1 * np.exp(-t * (0.7 + 0.11 * n)) * np.sin(2 * np.pi * f * t + 0.3 * n)
    knock = np.random.default_rng(3).standard_normal(len(t)) * np.exp(-t * 260)
    return sound + 0.12 * signal.lfilter([1, -1], [1, -0.7], knock)


def struck_glass() -> Sound:
    """A pane struck once: bending modes that go with the square of their number, the high ones short."""
    t, f0 = _time(3.0), 523.25
    sound = np.zeros_like(t)
    for n, (ratio, level, decay) in enumerate(
        ((1.0, 1.0, 1.5), (2.76, 0.7, 2.4), (5.4, 0.55, 3.6), (8.93, 0.35, 5.5), (13.3, 0.24, 8.0), (18.6, 0.16, 11.0))
    ):
        for beat in (-0.35, 0.35):
            sound += 0.5 * level * np.exp(-t * decay) * np.sin(2 * np.pi * (f0 * ratio + beat * (n + 1)) * t + n)
    grit = np.random.default_rng(5).standard_normal(len(t)) * np.exp(-t * 180)
    return sound + 0.25 * signal.lfilter([1, -1], [1, 0.2], grit)


def wood_knock() -> Sound:
    """A knuckle on a box: three damped modes and a click."""
    t = _time(0.5)
    sound = np.zeros_like(t)
    for f, level, decay in ((210.0, 1.0, 26.0), (480.0, 0.6, 38.0), (1130.0, 0.35, 60.0)):
        sound += level * np.exp(-t * decay) * np.sin(2 * np.pi * f * t)
    return sound + 0.5 * np.random.default_rng(7).standard_normal(len(t)) * np.exp(-t * 900)


def blown_reed() -> Sound:
    """A reed with breath in it: odd harmonics that lean on the air, and noise about the note."""
    t, f0 = _time(2.5), 220.0
    swell = np.minimum(t / 0.09, 1.0) * np.minimum((2.5 - t) / 0.05, 1.0)
    air = 1 + 0.05 * np.sin(2 * np.pi * 4.7 * t) * np.minimum(t, 1.0)
    turns = 2 * np.pi * np.cumsum(f0 * (1 + 0.0012 * np.sin(2 * np.pi * 4.7 * t))) / RATE
    sound = np.zeros_like(t)
    for n in range(1, 24):
        level = (1.0 if n % 2 else 0.28) / n * (1 + 1.4 * np.exp(-(((n * f0 - 1250) / 420) ** 2)))
        sound += level * np.sin(n * turns + 0.7 * n)
    hiss = np.random.default_rng(9).standard_normal(len(t))
    wind = signal.sosfilt(signal.butter(2, [500, 3800], "band", fs=RATE, output="sos"), hiss)
    return swell * air * (sound + 0.10 * wind)


def rain_on_panes() -> Sound:
    """Four seconds of drops on glass, left and right: shape (2, frame)."""
    chance, t = np.random.default_rng(13), _time(4.0)
    sound = 0.02 * chance.standard_normal((2, len(t)))
    for _ in range(420):
        at, f = int(chance.uniform(0, len(t) - 4000)), chance.uniform(900, 5200)
        drop = np.exp(-np.arange(4000) / RATE * chance.uniform(60, 260))
        drop *= np.sin(2 * np.pi * f * np.arange(4000) / RATE * (1 + 0.08 * np.arange(4000) / 4000))
        side, level = chance.uniform(0, 1), chance.uniform(0.05, 0.6) ** 2
        sound[0, at : at + 4000] += level * np.sqrt(1 - side) * drop
        sound[1, at : at + 4000] += level * np.sqrt(side) * drop
    return sound


SAMPLES: dict[str, tuple[Callable[[], Sound], int]] = {
    "Plucked String": (plucked_string, 55),
    "Struck Glass": (struck_glass, 72),
    "Wood Knock": (wood_knock, 56),
    "Blown Reed": (blown_reed, 57),
    "Rain on Panes": (rain_on_panes, 60),
}
"""Every recording and the key it sounds at."""


def recording(name: str) -> NDArray[np.float32]:
    """A recording at −1 dB and 16 bits, float32 (channel, frame)."""
    sound = np.atleast_2d(SAMPLES[name][0]())
    fade = np.minimum(1.0, np.arange(sound.shape[1])[::-1] / 480)
    steps = np.rint(sound * fade / np.abs(sound).max() * 29204)
    return np.asarray(steps / 32768.0, np.float32)


def make(folder: Path) -> None:
    """Writes the list of the recordings, which lie in the demo bank by their digests."""
    listed = []
    for name, (_, root) in SAMPLES.items():
        asset = asset_of(Audio(recording(name), RATE), name)
        listed.append({**asset.model_dump(exclude_defaults=False), "root": root})
    (folder / "recordings.json").write_text(json.dumps(listed, indent=1) + "\n")


if __name__ == "__main__":
    make(SHIPPED)
    print(f"{len(SAMPLES)} recordings in {SHIPPED / 'recordings.json'}")
