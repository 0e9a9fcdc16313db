"""Ladders: four poles in a loop that gives way, and two filters that squeal.

V. Zavalishin, The Art of VA Filter Design (rev. 2.1.2), chapter 5: trapezoidal integrators, the loop without delay
solved for small sounds, and its sum bent by a soft ceiling, so that every resonance is bounded.
"""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np
from numpy.typing import ArrayLike, NDArray

from felt_dial.patch.module import Tuned
from felt_dial.patch.params import Choice
from felt_dial.sound.kernel import Stage, flush, kernel, works_for
from felt_dial.sound.tone.cutoff import DRIVE, RESONANCE, give_way, hertz, now_or_set, prototype, warp_line

STILL = 2.0
"""Hertz below which a driven filter loses what stands still: a bent wave that leans to one side has a middle."""
MOST = 4.2
"""Feedback of a ladder at full resonance; at 4 it begins to sound by itself."""
BACK = 0.5
"""Part of the bass that is given back as the resonance takes it away."""
RESPONSES = {"low 24": "Low-pass 24", "low 12": "Low-pass 12", "band 12": "Band-pass 12", "high 24": "High-pass 24"}
MIXES = np.array([
    [0.0, 0.0, 0.0, 0.0, 1.0], [0.0, 0.0, 1.0, 0.0, 0.0], [0.0, 2.0, -2.0, 0.0, 0.0], [1.0, -4.0, 6.0, -4.0, 1.0],
])  # fmt: skip
"""How much of the loop's input and of each of the four poles a response is made of."""


class Ladder(Tuned, kind="ladder", title="Ladder"):
    """Four poles in a loop that bends: round, warm, and at full resonance it sings by itself."""

    response = Choice("Response", "low 24", RESPONSES, says="Which side of the cutoff stays, and how steeply.")

    @staticmethod
    def prepare(stage: Stage) -> tuple[np.ndarray, ...]:
        return np.zeros((stage.rows, 2, 6)), np.zeros(stage.frames), MIXES.copy()

    def gain(
        self, frequency: ArrayLike, rate: float, now: Mapping[str, float] | None = None, pitch: float = 60.0
    ) -> NDArray[np.float64]:
        """Gain (linear) at each frequency, for sounds too soft to bend it."""
        s = prototype(frequency, hertz(self, now, pitch), rate)
        k = MOST * now_or_set(self, now, "resonance")
        pole = 1 / (1 + s)
        mix = MIXES[list(RESPONSES).index(str(self.response))]
        taps = sum(share * pole**n for n, share in enumerate(mix))
        found: NDArray[np.float64] = np.abs((1 + BACK * k) * taps / (1 + k * pole**4))
        return found

    def gist(self) -> str:
        """What kind of filter it is set to, in a word or two."""
        return f"ladder {RESPONSES[str(self.response)].lower()}"


class Acid(Tuned, kind="acid", title="Acid"):
    """A thin filter whose resonance squeals and snarls as it is driven."""

    character = Choice(
        "Character", "rubber", {"rubber": "Rubber, four poles", "wire": "Wire, two poles"},
        says="Rubber has four poles that lean on each other, Wire two that clip as they ring.",
    )  # fmt: skip

    @staticmethod
    def prepare(stage: Stage) -> tuple[np.ndarray, ...]:
        return np.zeros((stage.rows, 2, 6)), np.zeros(stage.frames)

    def gain(
        self, frequency: ArrayLike, rate: float, now: Mapping[str, float] | None = None, pitch: float = 60.0
    ) -> NDArray[np.float64]:
        """Gain (linear) at each frequency, for sounds too soft to bend it."""
        s = prototype(frequency, hertz(self, now, pitch), rate)
        resonance = now_or_set(self, now, "resonance")
        if self.character == "wire":
            return np.asarray(np.abs(1 / (s * s + WIRE_OPEN * (1 - WIRE_MOST * resonance) * s + 1)))
        s = s * RUBBER_AT
        k = RUBBER_MOST * resonance
        return np.asarray(np.abs((1 + BACK * k) / (s**4 + 7 * s**3 + 15 * s**2 + 10 * s + 1 + k)))

    def gist(self) -> str:
        """What kind of filter it is set to, in a word or two."""
        return f"acid, {self.character}"


RUBBER_AT = (10 / 7) ** 0.5
"""Where four poles that lean on each other begin to sing: ω² = 10/7 of the poles' own."""
RUBBER_MOST = 19.3
"""Feedback at full resonance; at 901/49 = 18.4 it begins to sound by itself."""
RUBBER_ROOM = 6.0
"""Level at which the loop gives way: its output is soft against what goes round in it."""
WIRE_OPEN, WIRE_MOST = 1.6, 1.012
RESPONSE, CHARACTER = Ladder.row_of("response"), Acid.row_of("character")


@kernel
def _pushes(control, row, t, tick):  # type: ignore[no-untyped-def]
    """How hard a tick is pushed and how much of that is taken back, and by how much both grow a frame."""
    push = 10.0 ** (np.float64(control[DRIVE, row, t]) / 20.0)
    pushed = push
    if control[DRIVE, row, t + 1] != control[DRIVE, row, t]:
        pushed = 10.0 ** (np.float64(control[DRIVE, row, t + 1]) / 20.0)
    out = 1.0 / math.sqrt(push)
    return push, (pushed - push) / tick, out, (1.0 / math.sqrt(pushed) - out) / tick


@works_for(Ladder)
@kernel
def run_ladder(audio, control, line, frequency, rows, start, tick, rate, swing, state, g, mixes):  # type: ignore[no-untyped-def]
    """Filters `audio[row]` in place; `state` float64 (row, channel, 6), `g` room for a line of frames."""
    ticks = control.shape[2] - 1
    keep = 1.0 - 2.0 * math.pi * STILL / rate
    for row in rows:
        first = max(start[row], 0)
        if start[row] >= 0:
            state[row] = 0.0
        moves = warp_line(g, control, line, frequency, swing, row, first, tick, rate, 1.0)
        response = np.int64(control[RESPONSE, row, first])
        c0, c1, c2 = mixes[response, 0], mixes[response, 1], mixes[response, 2]
        c3, c4 = mixes[response, 3], mixes[response, 4]
        s1, s2, s3, s4 = state[row, 0, 0], state[row, 0, 1], state[row, 0, 2], state[row, 0, 3]
        r1, r2, r3, r4 = state[row, 1, 0], state[row, 1, 1], state[row, 1, 2], state[row, 1, 3]
        p, into_left = state[row, 0, 4], state[row, 0, 5]
        q, into_right = state[row, 1, 4], state[row, 1, 5]
        left, right = audio[row, 0, first * tick :], audio[row, 1, first * tick :]
        for t in range(first, ticks):
            k = MOST * np.float64(control[RESONANCE, row, t])
            lift = (MOST * np.float64(control[RESONANCE, row, t + 1]) - k) / tick
            push, grow, out, fade = _pushes(control, row, t, tick)
            h = 1.0 / (1.0 + g[0])
            big = g[0] * h
            solve = 1.0 / (1.0 + k * big * big * big * big)
            changes = moves or lift != 0.0
            for n in range(np.uint64((t - first) * tick), np.uint64((t - first + 1) * tick)):
                if changes:
                    w = g[n] if moves else g[0]
                    h = 1.0 / (1.0 + w)
                    big = w * h
                    solve = 1.0 / (1.0 + k * big * big * big * big)
                into = push * (1.0 + BACK * k)
                back = h * (s4 + big * (s3 + big * (s2 + big * s1)))
                back_right = h * (r4 + big * (r3 + big * (r2 + big * r1)))
                u = give_way((into * np.float64(left[n]) - k * back) * solve)
                v = give_way((into * np.float64(right[n]) - k * back_right) * solve)
                d, e = big * (u - s1), big * (v - r1)
                y1, z1 = d + s1, e + r1
                s1, r1 = y1 + d, z1 + e
                d, e = big * (y1 - s2), big * (z1 - r2)
                y2, z2 = d + s2, e + r2
                s2, r2 = y2 + d, z2 + e
                d, e = big * (y2 - s3), big * (z2 - r3)
                y3, z3 = d + s3, e + r3
                s3, r3 = y3 + d, z3 + e
                d, e = big * (y3 - s4), big * (z3 - r4)
                y4, z4 = d + s4, e + r4
                s4, r4 = y4 + d, z4 + e
                heard = c0 * u + c1 * y1 + c2 * y2 + c3 * y3 + c4 * y4
                heard_right = c0 * v + c1 * z1 + c2 * z2 + c3 * z3 + c4 * z4
                p = heard - into_left + keep * p
                q = heard_right - into_right + keep * q
                into_left, into_right = heard, heard_right
                left[n] = np.float32(out * p)
                right[n] = np.float32(out * q)
                k += lift
                push += grow
                out += fade
        state[row, 0, 0], state[row, 0, 1], state[row, 0, 2], state[row, 0, 3] = s1, s2, s3, s4
        state[row, 1, 0], state[row, 1, 1], state[row, 1, 2], state[row, 1, 3] = r1, r2, r3, r4
        state[row, 0, 4], state[row, 0, 5], state[row, 1, 4], state[row, 1, 5] = p, into_left, q, into_right
        flush(state[row])


@kernel
def _chain(w, k):  # type: ignore[no-untyped-def]
    """What solves the chain of four leaning poles, one after the other, and the loop around them."""
    one = 1.0 / (1.0 + 2.0 * w)
    two = 1.0 / (1.0 + 2.0 * w - w * w * one)
    three = 1.0 / (1.0 + 2.0 * w - w * w * two)
    four = 1.0 / (1.0 + w - w * w * three)
    return one, two, three, four, 1.0 / (1.0 + k * w * w * w * w * one * two * three * four)


@works_for(Acid)
@kernel
def run_acid(audio, control, line, frequency, rows, start, tick, rate, swing, state, g):  # type: ignore[no-untyped-def]
    """Filters `audio[row]` in place; `state` float64 (row, channel, 6), `g` room for a line of frames.

    Rubber is a chain of four resistors and capacitors without buffers between them, in a loop: the poles lean on each
    other (Zavalishin, section 5.10, for a diode ladder). Wire is a two-pole whose band clips and so tames its ringing.
    """
    keep = 1.0 - 2.0 * math.pi * STILL / rate
    for row in rows:
        first = max(start[row], 0)
        if start[row] >= 0:
            state[row] = 0.0
        moves = warp_line(g, control, line, frequency, swing, row, first, tick, rate, 1.0)
        left, right = audio[row, 0, first * tick :], audio[row, 1, first * tick :]
        if control[CHARACTER, row, first] > 0.5:
            _wire(left, right, control, row, first, tick, g, moves, keep, state[row])
        else:
            _rubber(left, right, control, row, first, tick, g, moves, keep, state[row])


@kernel
def _rubber(left, right, control, row, first, tick, g, moves, keep, here):  # type: ignore[no-untyped-def]
    """Four leaning poles over both channels of a voice, in place; `here` (channel, 6)."""
    s1, s2, s3, s4, p, into = here[0, 0], here[0, 1], here[0, 2], here[0, 3], here[0, 4], here[0, 5]
    r1, r2, r3, r4, q, into_right = here[1, 0], here[1, 1], here[1, 2], here[1, 3], here[1, 4], here[1, 5]
    for t in range(first, control.shape[2] - 1):
        k = RUBBER_MOST * np.float64(control[RESONANCE, row, t])
        lift = (RUBBER_MOST * np.float64(control[RESONANCE, row, t + 1]) - k) / tick
        push, grow, out, fade = _pushes(control, row, t, tick)
        w = g[0] / RUBBER_AT
        one, two, three, four, solve = _chain(w, k)
        changes = moves or lift != 0.0
        for n in range(np.uint64((t - first) * tick), np.uint64((t - first + 1) * tick)):
            if changes:
                w = (g[n] if moves else g[0]) / RUBBER_AT
                one, two, three, four, solve = _chain(w, k)
            loud = push * (1.0 + BACK * k)
            back = four * (s4 + w * three * (s3 + w * two * (s2 + w * one * s1)))
            back_right = four * (r4 + w * three * (r3 + w * two * (r2 + w * one * r1)))
            u = RUBBER_ROOM * give_way((loud * np.float64(left[n]) - k * back) * solve / RUBBER_ROOM)
            v = RUBBER_ROOM * give_way((loud * np.float64(right[n]) - k * back_right) * solve / RUBBER_ROOM)
            a1, b1 = one * (s1 + w * u), one * (r1 + w * v)
            a2, b2 = two * (s2 + w * a1), two * (r2 + w * b1)
            a3, b3 = three * (s3 + w * a2), three * (r3 + w * b2)
            y4, z4 = four * (s4 + w * a3), four * (r4 + w * b3)
            y3, z3 = a3 + three * w * y4, b3 + three * w * z4
            y2, z2 = a2 + two * w * y3, b2 + two * w * z3
            y1, z1 = a1 + one * w * y2, b1 + one * w * z2
            s1, s2, s3, s4 = 2.0 * y1 - s1, 2.0 * y2 - s2, 2.0 * y3 - s3, 2.0 * y4 - s4
            r1, r2, r3, r4 = 2.0 * z1 - r1, 2.0 * z2 - r2, 2.0 * z3 - r3, 2.0 * z4 - r4
            p, q = y4 - into + keep * p, z4 - into_right + keep * q
            into, into_right = y4, z4
            left[n], right[n] = np.float32(out * p), np.float32(out * q)
            k += lift
            push += grow
            out += fade
    here[0, 0], here[0, 1], here[0, 2], here[0, 3] = s1, s2, s3, s4
    here[1, 0], here[1, 1], here[1, 2], here[1, 3] = r1, r2, r3, r4
    here[0, 4], here[0, 5], here[1, 4], here[1, 5] = p, into, q, into_right
    flush(here)


@kernel
def _wire(left, right, control, row, first, tick, g, moves, keep, here):  # type: ignore[no-untyped-def]
    """Two poles whose band clips, over both channels of a voice, in place; `here` (channel, 6)."""
    s1, s2, p, into = here[0, 0], here[0, 1], here[0, 4], here[0, 5]
    r1, r2, q, into_right = here[1, 0], here[1, 1], here[1, 4], here[1, 5]
    for t in range(first, control.shape[2] - 1):
        r = np.float64(control[RESONANCE, row, t])
        lift = (np.float64(control[RESONANCE, row, t + 1]) - r) / tick
        push, grow, out, fade = _pushes(control, row, t, tick)
        for n in range(np.uint64((t - first) * tick), np.uint64((t - first + 1) * tick)):
            w = g[n] if moves else g[0]
            scale = 1.0 / (1.0 + w * (w + WIRE_OPEN * (1.0 - WIRE_MOST * r)))
            x, y = give_way(push * np.float64(left[n])), give_way(push * np.float64(right[n]))
            band, band_right = w * scale * (x - s2) + scale * s1, w * scale * (y - r2) + scale * r1
            low, low_right = w * band + s2, w * band_right + r2
            s1, r1 = 2.0 * give_way(0.5 * (2.0 * band - s1)), 2.0 * give_way(0.5 * (2.0 * band_right - r1))
            s2 = min(max(2.0 * low - s2, -8.0), 8.0)
            r2 = min(max(2.0 * low_right - r2, -8.0), 8.0)
            p, q = low - into + keep * p, low_right - into_right + keep * q
            into, into_right = low, low_right
            left[n], right[n] = np.float32(out * p), np.float32(out * q)
            r += lift
            push += grow
            out += fade
    here[0, 0], here[0, 1], here[0, 4], here[0, 5] = s1, s2, p, into
    here[1, 0], here[1, 1], here[1, 4], here[1, 5] = r1, r2, q, into_right
    flush(here)
