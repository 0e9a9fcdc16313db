"""Table: single cycles in a row, read at the pitch of the note, morphing from one to the next."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from felt_dial.patch.asset import Asset
from felt_dial.patch.params import Choice, Param
from felt_dial.patch.units import BEND, PERCENT
from felt_dial.sound.kernel import Stage, kernel, works_for
from felt_dial.sound.sources.cyclic import CENT, DRIFT, Cyclic, begin_phases, drifted, reading_room
from felt_dial.sound.sources.finer import FINER, come_down, finer_state, rounding
from felt_dial.sound.sources.levels import CYCLE, MOST_HARMONICS, table_of
from felt_dial.sound.sources.reading import (
    TURN,
    add_line,
    find_places,
    moved_on,
    ramp_line,
    read_between,
    read_places,
    run_bends,
)
from felt_dial.sound.sources.unison import LEFT, MOST, RATIO, RIGHT, steady_ticks, unison_state, unison_tick

NOTHING, BENT, SQUEEZED, MIRRORED, STRETCHED, FOLDED, STEPPED = range(7)


class Table(Cyclic, kind="table"):
    """A wavetable: up to 256 single cycles, with the position among them free to move."""

    position = Param("Position", 0.0, (0.0, 1.0), PERCENT, says="Which frame sounds, from the first to the last.")
    amount = Param("Amount", 0.0, (-1.0, 1.0), BEND, says="How far the cycle is reshaped; a bend goes either way.")
    reshape = Choice(
        "Reshape", "none",
        {"none": "Plain", "bend": "Bend", "squeeze": "Squeeze", "mirror": "Mirror", "stretch": "Sync stretch", "fold": "Fold",
         "step": "Steps"},
        rebuilds=True,
        says="What is done to the cycle as it is read.",
    )  # fmt: skip
    morph = Choice(
        "Morph", "crossfade", {"crossfade": "Crossfade", "spectrum": "By spectrum"}, rebuilds=True,
        says="How a frame becomes the next: by fading, or partial by partial, which never cancels.",
    )  # fmt: skip
    asset: Asset | None = None
    cycle: int = Field(CYCLE, ge=16, le=65536)

    def substance(self) -> tuple[object, ...]:
        return self.asset, self.cycle

    def gist(self) -> str:
        return self.asset.name if self.asset else "no table yet"

    def prepare(self, stage: Stage) -> tuple[NDArray, ...]:
        """The table at every level, phases of the voices, what each note shows now, and room for a tick."""
        return (
            *table_of(self.asset, self.cycle, str(self.get("morph"))),
            np.zeros((stage.rows, MOST), np.uint32),
            np.full((stage.rows, MOST), -1, np.int32),
            np.zeros((stage.rows, 2)),
            *unison_state(stage.rows),
            *reading_room(stage),
            np.zeros(stage.frames, np.float32),
            np.zeros((stage.rows, MOST, 8), np.float32),
            *finer_state(stage),
        )


POSITION, AMOUNT, RESHAPE = (Table.row_of(name) for name in ("position", "amount", "reshape"))
NOW, TIME = range(2)


@kernel(inline=True)
def _at(samples, offset, other, share, shift, x):  # type: ignore[no-untyped-def]
    """The table at a place from 0 to 1, between two frames."""
    size = np.float32(np.uint32(1) << np.uint32(np.uint32(32) - shift))
    place = x * size
    i = np.int64(place)
    part = place - np.float32(i)
    a = samples[offset + i] + share * (samples[other + i] - samples[offset + i])
    b = samples[offset + i + 1] + share * (samples[other + i + 1] - samples[offset + i + 1])
    return a + part * (b - a)


@kernel(inline=True)
def _folded(v):  # type: ignore[no-untyped-def]
    """Integral of the fold, a triangle of period 4 that is v between −1 and 1."""
    w = (v + 1.0) % 4.0 - 1.0
    return 0.5 * w * w - 0.5 if w < 1.0 else 0.5 - 0.5 * (w - 2.0) * (w - 2.0)


@kernel(inline=True)
def _fold(v):  # type: ignore[no-untyped-def]
    return 1.0 - abs((v + 3.0) % 4.0 - 2.0)


@kernel
def _steepness(reshape, amount):  # type: ignore[no-untyped-def]
    """How many times faster than the phase the reshaped place moves at most."""
    if reshape == BENT:
        return 0.5 / (0.5 - 0.49 * abs(amount))
    if reshape == SQUEEZED:
        return 1.0 / (1.0 - 0.96 * abs(amount))
    if reshape == MIRRORED:
        return 2.0
    if reshape == STRETCHED:
        return 8.0 ** abs(amount)
    if reshape == FOLDED:
        return 1.0 + 2.0 * abs(amount)
    return 1.0


@kernel
def _run_reshaped(  # type: ignore[no-untyped-def]
    fine, samples, offset, other, shift, share0, share1, p, step, grow, bends, reshape, amount0, amount1,
    tick, gain, rise, left, right, edges, row, u, keep,
):  # fmt: skip
    """One voice of a reshaped table, added to `fine` at four times the rate and two of its frames late.

    Jumps and corners are rounded, see `rounding`; the fold is averaged over each frame by its integral
    (Parker, Zavalishin, Le Bivic, DAFx 2016). `edges[row, voice]` holds four frames of what is still to
    be added, two of the wave, the place and the value before; it is only kept where `keep` says so.
    """
    one, half = np.float32(1.0), np.float32(0.5)
    count = FINER * tick
    z0, z1, z2, z3 = edges[row, u, 0], edges[row, u, 1], edges[row, u, 2], edges[row, u, 3]
    v1, v2, x0, y0 = edges[row, u, 4], edges[row, u, 5], edges[row, u, 6], np.float64(edges[row, u, 7])
    for k in range(count):
        part = np.float32(k) / np.float32(count)
        n = k // FINER
        q = np.uint32(np.uint32(p + np.uint32(step * np.uint32(n))) + np.uint32(grow * np.uint32(n * (n - 1) // 2)))
        here = np.uint32(np.uint32(q + np.uint32(np.uint32(step >> np.uint32(2)) * np.uint32(k % FINER))) + bends[n])
        x = np.float32(np.uint32(here >> np.uint32(8))) * np.float32(1.0 / 16777216.0)
        amount = np.float32(amount0 + (amount1 - amount0) * part)
        share = np.float32(share0 + (share1 - share0) * part)
        much = abs(amount)
        dx = x - x0
        wrapped = dx < np.float32(0.0)
        dx += one if wrapped else np.float32(0.0)
        x0 = x
        edge = wrapped and dx < half
        since = x / max(dx, np.float32(1e-9))
        jump = slope = np.float32(0.0)
        if reshape == BENT:
            middle = half + np.float32(0.49) * amount
            slow, quick = half / middle, half / (one - middle)
            turns = x >= middle and x - dx < middle and not wrapped
            if turns or edge:
                foot = half if turns else np.float32(0.0)
                slope = (
                    np.float32(64.0)
                    * (
                        _at(samples, offset, other, share, shift, foot + np.float32(1.0 / 64.0 / 64.0))
                        - _at(samples, offset, other, share, shift, foot)
                    )
                    * np.float32(64.0)
                    * dx
                    * (quick - slow)
                )
                slope = slope if turns else -slope
                since = (x - middle) / max(dx, np.float32(1e-9)) if turns else since
                edge = True
            x = slow * x if x < middle else half + quick * (x - middle)
            value = _at(samples, offset, other, share, shift, min(x, np.float32(0.9999999)))
        elif reshape == SQUEEZED:
            x = min(x / (one - np.float32(0.96) * much), np.float32(0.9999999))
            value = _at(samples, offset, other, share, shift, x)
        elif reshape == MIRRORED:
            value = _at(samples, offset, other, share, shift, x)
            back = one - abs(x + x - one)
            back = min(back, np.float32(0.9999999))
            value += much * (_at(samples, offset, other, share, shift, back) - value)
        elif reshape == STRETCHED:
            ratio = np.float32(8.0) ** much
            x = x * ratio
            x -= np.floor(x)
            value = _at(samples, offset, other, share, shift, x)
            if edge:
                end, near = ratio - np.floor(ratio), min(dx * ratio * np.float32(0.125), np.float32(0.01))
                back = end - near + (one if end < near else np.float32(0.0))
                start, stop = (
                    _at(samples, offset, other, share, shift, np.float32(0.0)),
                    _at(samples, offset, other, share, shift, end),
                )
                jump = start - stop
                slope = _at(samples, offset, other, share, shift, near) - start
                slope -= stop - _at(samples, offset, other, share, shift, back)
                slope *= dx * ratio / near
        elif reshape == FOLDED:
            y = np.float64(_at(samples, offset, other, share, shift, x) * (one + np.float32(7.0) * much))
            if abs(y - y0) > 1e-4:
                value = np.float32((_folded(y) - _folded(y0)) / (y - y0))
            else:
                value = np.float32(_fold(0.5 * (y + y0)))
            y0 = y
        else:
            steps = min(np.float32(64.0) * np.float32(1.0 / 32.0) ** much, half / max(dx, np.float32(1e-6)))
            cell = np.floor(x * steps)
            blend = min(much * np.float32(16.0), one)
            held = _at(samples, offset, other, share, shift, cell / steps)
            value = _at(samples, offset, other, share, shift, x)
            value += blend * (held - value)
            if dx < half and (wrapped or np.floor((x - dx) * steps) != cell):
                if not wrapped:
                    since = (x - cell / steps) / max(dx, np.float32(1e-9))
                edge = since < one
                jump = blend * (held - np.float32(y0))
            y0 = np.float64(held)
        if edge and (jump != np.float32(0.0) or slope != np.float32(0.0)):
            r0, r1, r2, r3 = rounding(min(since, one), jump, slope)
            z0, z1, z2, z3 = z0 + r0, z1 + r1, z2 + r2, z3 + r3
        value, v2, v1 = v2 + z0, v1, value
        z0, z1, z2, z3 = z1, z2, z3, np.float32(0.0)
        value *= gain + rise * part
        fine[0, k] += value * left
        fine[1, k] += value * right
    if keep:
        edges[row, u, 0], edges[row, u, 1], edges[row, u, 2], edges[row, u, 3] = z0, z1, z2, z3
        edges[row, u, 4], edges[row, u, 5], edges[row, u, 6], edges[row, u, 7] = v1, v2, x0, np.float32(y0)


@kernel
def _in_one_frame(control, row, t, run, place, frames):  # type: ignore[no-untyped-def]
    """How many of a run of ticks stay between the same two frames, at least one."""
    low = np.float64(min(int(place), max(frames - 2, 0)))
    for k in range(run):
        goal = np.float64(control[POSITION, row, t + k + 1]) * (frames - 1)
        if goal < low or goal > low + 1.0:
            return max(k, 1)
    return run


@works_for(Table)
@kernel
def run_table(  # type: ignore[no-untyped-def]
    out, frequency, turn, control, active, begin, tick, rate, limit,
    samples, offsets, shifts, level_of, phase, last, now, voice, seen, bends, index, part, line, mix, mixed, edges,
    fine, history, wide_taps, taps,
):  # fmt: skip
    """Replaces `out[row]` for every active row.

    `now[row]` is the frame of the moment, as a number with a fraction, and the time in seconds. Where a
    tick leaves a frame or a level behind, what was fades into what is.
    """
    ticks = frequency.shape[1] - 1
    turns = TURN / rate
    frames = offsets.shape[0]
    zero, one = np.float32(0.0), np.float32(1.0)
    for row in active:
        note = begin[1, row]
        first = max(begin[0, row], 0)
        for n in range(first * tick):
            out[row, 0, n] = out[row, 1, n] = zero
        t = first
        while t < ticks:
            begins = begin[0, row] == t
            if begins:
                now[row, NOW] = np.float64(control[POSITION, row, t]) * (frames - 1)
                now[row, TIME] = 0.0
                history[row, :, :] = zero
                edges[row, :, :] = zero
                begin_phases(control, row, t, note, phase, last)
            alive = unison_tick(control, row, t, note, begins, voice, seen)
            drift = np.float64(control[DRIFT, row, t]) * CENT
            reshape = int(control[RESHAPE, row, t])
            run = 1
            if not begins and reshape == NOTHING and drift == 0.0:
                run = steady_ticks(frequency, turn, control, row, t, seen)
                run = _in_one_frame(control, row, t, run, now[row, NOW], frames)
            n = run * tick
            was, goal = now[row, NOW], np.float64(control[POSITION, row, t + run]) * (frames - 1)
            now[row, NOW] = goal
            now[row, TIME] += n / rate
            old, new = min(int(was), max(frames - 2, 0)), min(int(goal), max(frames - 2, 0))
            same = old == new
            a0, a1 = np.float32(was - old), np.float32(goal - new)
            if not same and (goal - old) <= 1.0 and goal >= old:
                new, a1, same = old, np.float32(goal - old), True
            above = 1 if frames > 1 else 0
            at = t * tick
            inverse = np.float32(1.0 / n)
            steep = run_bends(turn, row, at, n, bends)
            for k in range(n):
                mix[0, k] = mix[1, k] = zero
            from_ = a0
            for i in range(run):
                to = (
                    a1
                    if i == run - 1
                    else np.float32(np.float64(control[POSITION, row, t + i + 1]) * (frames - 1) - old)
                )
                for k in range(tick):
                    mixed[i * tick + k] = from_ + (to - from_) * np.float32(k) / np.float32(tick)
                from_ = to
            m0, m1 = control[AMOUNT, row, t], control[AMOUNT, row, t + 1]
            shaped = reshape != NOTHING
            steeper = 1.0
            if shaped:
                steeper = _steepness(reshape, max(abs(m0), abs(m1)))
                for k in range(FINER * tick):
                    fine[0, k] = fine[1, k] = zero
            for u in range(alive):
                ratio = drifted(np.float64(voice[row, u, RATIO]), drift, note, u, now[row, TIME])
                f0, f1 = np.float64(frequency[row, t]) * ratio, np.float64(frequency[row, t + run]) * ratio
                top = (max(f0, f1) + steep * rate) * steeper
                level = level_of[min(max(int(limit / max(top, 0.01)), 1), MOST_HARMONICS)]
                before = last[row, u] if last[row, u] >= 0 else level
                last[row, u] = level
                left, right = voice[row, u, LEFT], voice[row, u, RIGHT]
                p = phase[row, u]
                step = np.uint32(np.int64(f0 * turns))
                grow = np.uint32(np.int64((f1 - f0) * turns / n))
                if same and before == level:
                    if shaped:
                        _run_reshaped(
                            fine, samples, np.int64(offsets[old, level]), np.int64(offsets[old + above, level]),
                            shifts[level], a0, a1, p, step, grow, bends, reshape, m0, m1, tick, one, zero, left, right,
                            edges, row, u, True,
                        )  # fmt: skip
                    else:
                        find_places(p, step, grow, bends, shifts[level], n, index, part)
                        if a0 == zero and a1 == zero:
                            read_places(samples, offsets[old, level], index, part, n, line)
                        else:
                            read_between(
                                samples, offsets[old, level], offsets[old + above, level], mixed, index, part,
                                n, line,
                            )  # fmt: skip
                        add_line(mix, n, line, left, right)
                else:
                    for late in range(2):
                        lv, frame, share = (level, new, a1) if late == 1 else (before, old, a0)
                        gain, rise = (zero, one) if late == 1 else (one, -one)
                        lower, upper = np.int64(offsets[frame, lv]), np.int64(offsets[frame + above, lv])
                        if shaped:
                            _run_reshaped(
                                fine, samples, lower, upper, shifts[lv], share, share, p, step, grow, bends, reshape,
                                m0, m1, tick, gain, rise, left, right, edges, row, u, late == 1,
                            )  # fmt: skip
                            continue
                        find_places(p, step, grow, bends, shifts[lv], n, index, part)
                        read_places(samples, lower, index, part, n, line)
                        ramp_line(line, n, (gain) * (one - share), rise * inverse * (one - share))
                        add_line(mix, n, line, left, right)
                        if share != zero:
                            read_places(samples, upper, index, part, n, line)
                            ramp_line(line, n, gain * share, rise * inverse * share)
                            add_line(mix, n, line, left, right)
                phase[row, u] = moved_on(p, step, grow, n)
            if shaped:
                come_down(fine, history, wide_taps, taps, row, out, at, tick)
            else:
                for k in range(n):
                    out[row, 0, at + k], out[row, 1, at + k] = mix[0, k], mix[1, k]
            t += run
