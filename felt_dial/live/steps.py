"""What every drive, filter and effect costs, for docs/performance.md: nanoseconds a stereo sample."""

from __future__ import annotations

import time
from typing import Any

import numpy as np

from felt_dial.patch.module import Effect, Filter, Module
from felt_dial.patch.shaping import WAYS, Shaper
from felt_dial.sound.kernel import TICK, Stage, kernel_of, room_for
from felt_dial.sound.tone.chain import NO_SWING

RATE, FRAMES, ROWS = 48000, 256, 16


def _control(module: Module, rows: int) -> np.ndarray:
    values = [param.encode(module.get(name)) for name, param in module.params.items()]
    still = np.array(values, np.float32)[:, None, None]
    return np.ascontiguousarray(np.broadcast_to(still, (len(values), rows, FRAMES // TICK + 1)))


def _best(call: Any, times: int = 200) -> float:
    best = 1e9
    for _ in range(times):
        begin = time.perf_counter()
        call()
        best = min(best, time.perf_counter() - begin)
    return best


def _voices(module: Module) -> float:
    stage = Stage(RATE, FRAMES, ROWS)
    control, state, kernel = _control(module, ROWS), room_for(module, stage), kernel_of(module)
    rows, start = np.arange(ROWS, dtype=np.int32), np.full(ROWS, -1, np.int32)
    noise = np.random.default_rng(3).uniform(-0.5, 0.5, (ROWS, 2, FRAMES)).astype(np.float32)
    audio = noise.copy()
    line, frequency = np.full((ROWS, 17), 57, np.float32), np.full((ROWS, 17), 220, np.float32)

    def call() -> None:
        audio[:] = noise
        if isinstance(module, Filter):
            kernel(audio, control, line, frequency, rows, start, TICK, float(RATE), NO_SWING, *state)
        else:
            kernel(audio, control, rows, start, TICK, float(RATE), *state)

    return _best(call) / ROWS / FRAMES * 1e9


def _chord(effect: Effect) -> float:
    stage = Stage(RATE, FRAMES, newest=np.full((2, 1, 17), 60.0, np.float32))
    control, state, kernel = _control(effect, 1)[:, 0], room_for(effect, stage), kernel_of(effect)
    noise = np.random.default_rng(3).uniform(-0.5, 0.5, (2, FRAMES)).astype(np.float32)
    audio = noise.copy()

    def call() -> None:
        audio[:] = noise
        kernel(audio, control, TICK, float(RATE), *state)

    return _best(call) / FRAMES * 1e9


def step_costs() -> dict[str, float]:
    """Nanoseconds a stereo sample of each drive and filter (16 voices) and of each effect, dials where they begin."""
    found = {f"drive, {label.lower()}": _voices(Shaper(on=True, way=way)) for way, label in WAYS.items()}
    for cls in Filter.kinds.values():
        filter_ = cls(on=True)
        choices = filter_.params["response"].ids if "response" in filter_.params else ("",)
        for response in choices:
            made = filter_.with_value("response", response) if response else filter_
            found[f"filter, {made.gist()}"] = _voices(made)
    return found | {f"effect, {cls.title.lower()}": _chord(cls()) for cls in Effect.kinds.values()}
