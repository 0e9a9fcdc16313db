"""What every drive, filter and effect costs, and how much the drives alias, for docs/performance.md."""

from __future__ import annotations

import time
from typing import Any

import numpy as np

from felt_dial.patch.module import Effect, Filter, Module
from felt_dial.patch.patch import with_value
from felt_dial.patch.phrase import Note
from felt_dial.patch.shaping import WAYS, Shaper
from felt_dial.sound.compiling.compile import still_control
from felt_dial.sound.compiling.compiled import arrays_of, kernel_of
from felt_dial.sound.compiling.kernel import Stage
from felt_dial.sound.modules import new_patch
from felt_dial.sound.render import render
from felt_dial.sound.sizes import TICK
from felt_dial.sound.tone.kernels.core.voices import Played

RATE, FRAMES, ROWS = 48000, 256, 16
FORMS = ("response", "character", "teeth", "side")
"""Choices that make another filter of one."""


def _best(ready: Any, call: Any, times: int = 200) -> float:
    """Least seconds of a call, each made ready for before it is timed."""
    best = 1e9
    for _ in range(times):
        ready()
        begin = time.perf_counter()
        call()
        best = min(best, time.perf_counter() - begin)
    return best


def _voices(module: Module) -> float:
    stage = Stage(RATE, FRAMES, ROWS)
    control, state, kernel = still_control(module, ROWS, FRAMES // TICK), arrays_of(module, stage), kernel_of(module)
    rows, start = np.arange(ROWS, dtype=np.int32), np.full(ROWS, -1, np.int32)
    noise = np.random.default_rng(3).uniform(-0.5, 0.5, (ROWS, 2, FRAMES)).astype(np.float32)
    audio = noise.copy()
    line, frequency = np.full((ROWS, 17), 57, np.float32), np.full((ROWS, 17), 220, np.float32)

    played = Played(audio, control, line, frequency, rows, start, TICK, float(RATE))

    def call() -> None:
        kernel(*played, *state)

    return _best(lambda: np.copyto(audio, noise), call) / ROWS / FRAMES * 1e9


def _chord(effect: Effect) -> float:
    stage = Stage(RATE, FRAMES, newest=np.full((2, 1, 17), 60.0, np.float32))
    control, state, kernel = still_control(effect, 1, FRAMES // TICK)[:, 0], arrays_of(effect, stage), kernel_of(effect)
    noise = np.random.default_rng(3).uniform(-0.5, 0.5, (2, FRAMES)).astype(np.float32)
    audio = noise.copy()

    def call() -> None:
        kernel(audio, control, TICK, float(RATE), *state)

    return _best(lambda: np.copyto(audio, noise), call) / FRAMES * 1e9


def step_costs() -> dict[str, float]:
    """Nanoseconds a stereo sample of each drive and filter (16 voices) and of each effect, dials where they begin."""
    found = {f"drive, {label.lower()}": _voices(Shaper(on=True, way=way)) for way, label in WAYS.items()}
    for cls in Filter.kinds.values():
        filter_ = cls(on=True)
        forms = [(name, form) for name in FORMS if name in filter_.params for form in filter_.params[name].ids]
        for made in [filter_.with_value(*form) for form in forms] or [filter_]:
            found[f"filter, {made.gist()}"] = _voices(made)
    return found | {f"effect, {cls.title.lower()}": _chord(cls()) for cls in Effect.kinds.values()}


def drive_aliases(quality: int) -> dict[str, float]:
    """dB of the loudest partial below 20 kHz that is no harmonic, below the loudest: a sine near 5 kHz, driven by 24 dB."""
    size, turns = 16384, 1708
    frequency = turns * RATE / size
    found = {}
    for way, label in WAYS.items():
        patch = new_patch()
        for path, value in (
            ("source.shape", "sine"),
            ("fixed", True),
            ("frequency", frequency),
            ("level", -12.0),
            ("pan", -1.0),
            ("drive.on", True),
            ("drive.way", way),
            ("drive.amount", 24.0),
        ):
            patch = with_value(patch, f"layers.a.{path}", value)
        patch = with_value(patch, "modulators.e1.sustain", 1.0)
        sound = render(patch, [Note(0.0, 2.0, 69)], 1.5, quality=quality)[0, -size:].astype(np.float64)
        power = np.abs(np.fft.rfft(sound * np.kaiser(size, 20.0)))
        bins = np.arange(len(power))
        other = np.min([np.abs(bins - k * turns) for k in range(1, 5)], axis=0) > 12
        heard = (bins > 20) & (bins < 20000 * size / RATE)
        found[label] = float(20 * np.log10(power[other & heard].max() / power.max()))
    return found
