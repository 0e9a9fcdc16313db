"""Wave: the classic shapes, band-limited."""

from __future__ import annotations

import numpy as np

from felt_dial.patch.module import Source
from felt_dial.patch.params import Choice, Param
from felt_dial.patch.units import PERCENT
from felt_dial.sound.kernel import Stage, kernel, works_for
from felt_dial.sound.sources.bandlimited import PULSE, SAW, cycle_tables


class Wave(Source, kind="wave"):
    """A steady wave: sine, triangle, saw or pulse, with every harmonic the rate can carry and none beyond."""

    shape = Choice(
        "Shape", "saw", {"sine": "Sine", "triangle": "Triangle", "saw": "Saw", "pulse": "Pulse"},
        says="Which harmonics the wave has, from none to many.",
    )  # fmt: skip
    width = Param("Width", 0.5, (0.02, 0.98), PERCENT, says="How much of a pulse's cycle is high; others ignore it.")

    @staticmethod
    def prepare(stage: Stage) -> tuple[np.ndarray, ...]:
        tables = cycle_tables()
        return (*tables, np.zeros(stage.rows, np.uint32), np.zeros(stage.rows, np.int32))


SHAPE, WIDTH = Wave.index("shape"), Wave.index("width")


@kernel
def _level(frequency, limit, level_of):  # type: ignore[no-untyped-def]
    fit = int(limit / max(frequency, np.float32(0.01)))
    return level_of[min(max(fit, 1), level_of.shape[0] - 1)]


@kernel
def _read(samples, offset, shift, phase):  # type: ignore[no-untyped-def]
    index = np.uint32(phase >> shift)
    part = np.float32(np.uint32(phase << (np.uint32(32) - shift))) * np.float32(1.0 / 4294967296.0)
    at = offset + np.int64(index)
    here = samples[at]
    return here + part * (samples[at + 1] - here)


@works_for(Wave)
@kernel
def run_wave(  # type: ignore[no-untyped-def]
    out, frequency, control, active, start, tick, rate, limit, samples, offsets, shifts, level_of, phase, last
):
    """Replaces `out[row]` for every active row.

    out : float32 (row, 2, frame); frequency : float32 (row, tick + 1), Hz; limit : highest harmonic, Hz.
    `last[row]` is the shape of the tick before: a change of shape or of table crossfades over a tick.
    """
    ticks = frequency.shape[1] - 1
    turn = 4294967296.0 / rate
    for row in active:
        first = max(start[row], 0)
        for n in range(first * tick):
            out[row, 0, n] = np.float32(0.0)
            out[row, 1, n] = np.float32(0.0)
        if start[row] >= 0:
            phase[row] = np.uint32(0)
            last[row] = np.int32(control[SHAPE, row, first])
        p = phase[row]
        for t in range(first, ticks):
            f0, f1 = frequency[row, t], frequency[row, t + 1]
            step = np.uint32(np.int64(np.float64(f0) * turn))
            grow = np.int32((np.float64(f1) - np.float64(f0)) * turn / tick)
            was, shape = last[row], np.int32(control[SHAPE, row, t])
            last[row] = shape
            lv0, lv1 = _level(f0, limit, level_of), _level(f1, limit, level_of)
            s0, s1 = shifts[lv0], shifts[lv1]
            o0, o1 = offsets[min(was, SAW), lv0], offsets[min(shape, SAW), lv1]
            w0 = np.uint32(np.int64(np.float64(control[WIDTH, row, t]) * 4294967295.0))
            widen = np.int32(np.float64(control[WIDTH, row, t + 1] - control[WIDTH, row, t]) * 4294967295.0 / tick)
            at = t * tick
            if o0 == o1 and was == shape:
                for n in range(at, at + tick):
                    if shape == PULSE:
                        value = _read(samples, o0, s0, np.uint32(p - w0)) - _read(samples, o0, s0, p)
                        w0 = np.uint32(w0 + np.uint32(widen))
                    else:
                        value = _read(samples, o0, s0, p)
                    out[row, 0, n] = value
                    out[row, 1, n] = value
                    p = np.uint32(p + step)
                    step = np.uint32(step + np.uint32(grow))
            else:
                for n in range(at, at + tick):
                    a = _read(samples, o0, s0, p)
                    b = _read(samples, o1, s1, p)
                    if was == PULSE:
                        a = _read(samples, o0, s0, np.uint32(p - w0)) - a
                    if shape == PULSE:
                        b = _read(samples, o1, s1, np.uint32(p - w0)) - b
                    w0 = np.uint32(w0 + np.uint32(widen))
                    value = a + (b - a) * np.float32((n - at) / tick)
                    out[row, 0, n] = value
                    out[row, 1, n] = value
                    p = np.uint32(p + step)
                    step = np.uint32(step + np.uint32(grow))
        phase[row] = p
