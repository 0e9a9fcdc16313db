"""Wave: the classic shapes, band-limited, from one to the next without a step."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.params import Param
from felt_dial.patch.units import PERCENT, PLACE, SEMITONES
from felt_dial.sound.kernel import Stage, kernel, works_for
from felt_dial.sound.sources.bandlimited import SAW, cycle_tables
from felt_dial.sound.sources.cyclic import CENT, DRIFT, Cyclic, begin_phases, drifted, reading_room
from felt_dial.sound.sources.finer import FINER, come_down, finer_state, rounding
from felt_dial.sound.sources.reading import (
    TURN,
    add_line,
    add_places,
    find_places,
    moved_on,
    ramp_line,
    read_places,
    run_bends,
)
from felt_dial.sound.sources.unison import LEFT, MOST, RATIO, RIGHT, steady_ticks, unison_state, unison_tick


class Wave(Cyclic, kind="wave"):
    """A steady wave from sine over triangle and saw to pulse, with every harmonic the rate can carry and none beyond."""

    shape = Param(
        "Shape", 2.0, (0.0, 3.0), PLACE, names={"sine": 0.0, "triangle": 1.0, "saw": 2.0, "pulse": 3.0},
        says="Which harmonics the wave has, from none over odd ones to all.",
    )  # fmt: skip
    width = Param("Width", 0.5, (0.02, 0.98), PERCENT, says="How much of a pulse's cycle is high; others ignore it.")
    sync = Param(
        "Sync", 0.0, (0.0, 48.0), SEMITONES,
        says="How far the wave runs above the pitch while a hidden one at the pitch starts it anew; 0 is off.",
    )  # fmt: skip

    def gist(self) -> str:
        return self.params["shape"].write(self.get("shape"))

    @staticmethod
    def prepare(stage: Stage) -> tuple[NDArray, ...]:
        """Phases of the voices and of the hidden ones, what each note shows now, and room for a tick."""
        return (
            *cycle_tables(),
            np.zeros((stage.rows, MOST), np.uint32),
            np.zeros((stage.rows, MOST), np.uint32),
            np.full((stage.rows, MOST), -1, np.int32),
            np.zeros((stage.rows, 3)),
            *unison_state(stage.rows),
            *reading_room(stage),
            np.zeros((stage.rows, MOST, 6), np.float32),
            *finer_state(stage),
        )


SHAPE, WIDTH, SYNC = (Wave.row_of(name) for name in ("shape", "width", "sync"))
NOW, TIME, SYNCED = range(3)


@kernel
def _level(frequency, limit, level_of):  # type: ignore[no-untyped-def]
    fit = int(limit / max(frequency, np.float32(0.01)))
    return level_of[min(max(fit, 1), level_of.shape[0] - 1)]


@kernel(inline=True)
def _read(samples, offset, shift, phase):  # type: ignore[no-untyped-def]
    index = np.int64(np.uint32(phase >> shift))
    part = np.float32(np.uint32(phase << np.uint32(np.uint32(32) - shift))) * np.float32(1.0 / 4294967296.0)
    here = samples[offset + index]
    return here + part * (samples[offset + index + 1] - here)


@kernel
def _parts(shape, segment):  # type: ignore[no-untyped-def]
    """Weights of the two reads of a segment: sine and triangle, triangle and saw, saw and shifted saw."""
    f = np.float32(shape - segment)
    one = np.float32(1.0)
    if segment == 2:
        return one - f - f, f
    return one - f, f


@kernel
def _run_synced(  # type: ignore[no-untyped-def]
    fine, samples, oa, ob, shift, phase, hidden, edges, row, u, tick, step0, step1, r0, r1,
    a0, a1, b0, b1, w0, w1, bends, left, right,
):  # fmt: skip
    """One voice of a synchronised wave, added to `fine` at four times the rate, two of its frames late.

    Where the hidden wave begins anew its jump and corner are rounded, see `rounding`.
    `edges[row, voice]` holds four frames of what is still to be added and two of the wave itself.
    """
    count = FINER * tick
    p, h = phase[row, u], hidden[row, u]
    z0, z1, z2, z3 = edges[row, u, 0], edges[row, u, 1], edges[row, u, 2], edges[row, u, 3]
    v1, v2 = edges[row, u, 4], edges[row, u, 5]
    for k in range(count):
        part = (k + 0.5) / count
        speed = (step0 + (step1 - step0) * part) / FINER
        ratio = r0 + (r1 - r0) * part
        hstep, pstep = np.uint32(np.int64(speed)), np.uint32(np.int64(speed * ratio))
        x = np.float32(part)
        a, b = a0 + (a1 - a0) * x, b0 + (b1 - b0) * x
        wide = np.uint32(np.int64((w0 + (w1 - w0) * part) * 4294967295.0))
        bend = bends[k // FINER]
        h = np.uint32(h + hstep)
        if h < hstep:
            d = np.float32(h) / np.float32(max(hstep, np.uint32(1)))
            q = np.uint32(p + bend + np.uint32(np.int64((1.0 - d) * np.float64(pstep))))
            before = a * _read(samples, oa, shift, q) + b * _read(samples, ob, shift, np.uint32(q - wide))
            after = a * _read(samples, oa, shift, bend) + b * _read(samples, ob, shift, np.uint32(bend - wide))
            jump = after - before
            near = np.uint32(pstep >> np.uint32(3))
            q, r = np.uint32(q - near), np.uint32(bend + near)
            rise = a * _read(samples, oa, shift, r) + b * _read(samples, ob, shift, np.uint32(r - wide)) - after
            rise -= before - a * _read(samples, oa, shift, q) - b * _read(samples, ob, shift, np.uint32(q - wide))
            rise *= np.float32(pstep) / np.float32(max(near, np.uint32(1)))
            p = np.uint32(np.int64(np.float64(d) * np.float64(pstep)))
            y0, y1, y2, y3 = rounding(d, jump, rise)
            z0, z1, z2, z3 = z0 + y0, z1 + y1, z2 + y2, z3 + y3
        else:
            p = np.uint32(p + pstep)
        q = np.uint32(p + bend)
        value = a * _read(samples, oa, shift, q) + b * _read(samples, ob, shift, np.uint32(q - wide))
        sound = v2 + z0
        v2, v1 = v1, value
        z0, z1, z2, z3 = z1, z2, z3, np.float32(0.0)
        fine[0, k] += sound * left
        fine[1, k] += sound * right
    phase[row, u], hidden[row, u] = p, h
    edges[row, u, 0], edges[row, u, 1], edges[row, u, 2], edges[row, u, 3] = z0, z1, z2, z3
    edges[row, u, 4], edges[row, u, 5] = v1, v2


@kernel
def _still_ticks(control, row, t, run, shape):  # type: ignore[no-untyped-def]
    """How many of a run of ticks keep a shape and its width, at least one."""
    for k in range(run):
        moves = control[SHAPE, row, t + k + 1] != shape or control[WIDTH, row, t + k + 1] != control[WIDTH, row, t]
        if (
            moves
            or control[SYNC, row, t + k + 1] != np.float32(0.0)
            or control[DRIFT, row, t + k + 1] != np.float32(0.0)
        ):
            return max(k, 1)
    return run


@works_for(Wave)
@kernel
def run_wave(  # type: ignore[no-untyped-def]
    out, frequency, turn, control, active, begin, tick, rate, limit,
    samples, offsets, shifts, level_of, phase, hidden, last, now, voice, seen, bends, index, part, line, mix, edges,
    fine, history, wide_taps, taps,
):  # fmt: skip
    """Replaces `out[row]` for every active row.

    out : float32 (row, 2, frame); frequency : float32 (row, tick + 1), Hz; turn : float32 (row, frame),
    cycles, or empty; limit : highest harmonic, Hz. `now[row]` is the shape of the moment and the time
    in seconds (a note that was synchronised once stays so made), `last[row, voice]` the table of the tick
    before: another crossfades.
    """
    ticks = frequency.shape[1] - 1
    turns = TURN / rate
    zero = np.float32(0.0)
    for row in active:
        note = begin[1, row]
        first = max(begin[0, row], 0)
        for n in range(first * tick):
            out[row, 0, n] = out[row, 1, n] = zero
        t = first
        while t < ticks:
            begins = begin[0, row] == t
            if begins:
                now[row, NOW], now[row, TIME], now[row, SYNCED] = control[SHAPE, row, t], 0.0, 0.0
                history[row, :, :] = zero
                edges[row, :, :] = zero
                begin_phases(control, row, t, note, phase, last)
                for u in range(MOST):
                    hidden[row, u] = phase[row, u]
            alive = unison_tick(control, row, t, note, begins, voice, seen)
            was = now[row, NOW]
            drift = np.float64(control[DRIFT, row, t]) * CENT
            if control[SYNC, row, t] > zero or control[SYNC, row, t + 1] > zero:
                now[row, SYNCED] = 1.0
            synced = now[row, SYNCED] > 0.0
            run = 1
            if not begins and not synced and drift == 0.0:
                run = _still_ticks(control, row, t, steady_ticks(frequency, turn, control, row, t, seen), was)
            n = run * tick
            goal = np.float64(control[SHAPE, row, t + 1])
            segment = min(int(was), 2) if goal >= was else max(int(np.ceil(was)) - 1, 0)
            shape = min(max(goal, np.float64(segment)), np.float64(segment + 1))
            now[row, NOW] = shape
            now[row, TIME] += n / rate
            a0, b0 = _parts(was, segment)
            a1, b1 = _parts(shape, segment)
            at = t * tick
            steep = run_bends(turn, row, at, n, bends)
            for k in range(n):
                mix[0, k] = mix[1, k] = zero
            w0 = w1 = 0.0
            if segment == 2:
                w0, w1 = np.float64(control[WIDTH, row, t]), np.float64(control[WIDTH, row, t + 1])
            if synced:
                for k in range(FINER * tick):
                    fine[0, k] = fine[1, k] = zero
            for u in range(alive):
                ratio = drifted(np.float64(voice[row, u, RATIO]), drift, note, u, now[row, TIME])
                f0, f1 = np.float64(frequency[row, t]) * ratio, np.float64(frequency[row, t + 1]) * ratio
                top = max(f0, f1) + steep * rate
                if synced:
                    r0 = 2.0 ** (np.float64(control[SYNC, row, t]) / 12.0)
                    r1 = 2.0 ** (np.float64(control[SYNC, row, t + 1]) / 12.0)
                    level = _level(np.float32(max(f0 * r0, f1 * r1) + steep * rate), limit, level_of)
                    _run_synced(
                        fine, samples, offsets[min(segment, SAW), level], offsets[min(segment + 1, SAW), level],
                        shifts[level], phase, hidden, edges, row, u, tick, f0 * turns, f1 * turns, r0, r1,
                        a0, a1, b0, b1, w0, w1, bends, voice[row, u, LEFT], voice[row, u, RIGHT],
                    )  # fmt: skip
                    last[row, u] = level
                    continue
                level = _level(np.float32(top), limit, level_of)
                before = last[row, u] if last[row, u] >= 0 else level
                last[row, u] = level
                left, right = voice[row, u, LEFT], voice[row, u, RIGHT]
                p = phase[row, u]
                step = np.uint32(np.int64(f0 * turns))
                grow = np.uint32(np.int64((f1 - f0) * turns / n))
                wide = np.uint32(np.int64(w0 * 4294967295.0))
                widen = np.uint32(np.int64((w1 - w0) * 4294967295.0 / n))
                da, db = (a1 - a0) / np.float32(n), (b1 - b0) / np.float32(n)
                two = b0 != zero or b1 != zero
                for lv in (before, level):
                    if lv == before and before != level:
                        share, rise = np.float32(1.0), np.float32(-1.0 / n)
                    elif before != level:
                        share, rise = zero, np.float32(1.0 / n)
                    else:
                        share, rise = np.float32(1.0), zero
                    s = shifts[lv]
                    find_places(p, step, grow, bends, s, n, index, part)
                    read_places(samples, offsets[min(segment, SAW), lv], index, part, n, line)
                    if two or a0 != np.float32(1.0) or a1 != np.float32(1.0):
                        ramp_line(line, n, a0, da)
                    if two:
                        q = np.uint32(p - wide)
                        find_places(q, np.uint32(step - widen), grow, bends, s, n, index, part)
                        add_places(samples, offsets[min(segment + 1, SAW), lv], index, part, n, line, b0, db)
                    if before != level:
                        ramp_line(line, n, share, rise)
                    add_line(mix, n, line, left, right)
                    if before == level:
                        break
                phase[row, u] = moved_on(p, step, grow, n)
                hidden[row, u] = phase[row, u]
            for k in range(n):
                out[row, 0, at + k], out[row, 1, at + k] = mix[0, k], mix[1, k]
            if synced:
                come_down(fine, history, wide_taps, taps, row, out, at, tick)
            t += run
