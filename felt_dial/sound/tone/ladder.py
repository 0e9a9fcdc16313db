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
from felt_dial.sound.kernel import Stage, kernel, works_for
from felt_dial.sound.lanes import (
    VOICES,
    any_above,
    both,
    hold,
    load,
    stands,
    state_in,
    state_out,
    store,
    take_voices,
    voices_in,
    voices_out,
)  # fmt: skip
from felt_dial.sound.tone.curves import KNEE, rounded, soft
from felt_dial.sound.tone.cutoff import (
    ALIVE,
    BACK,
    OWN,
    PUSH,
    RESONANCE,
    WARP,
    hertz,
    now_or_set,
    prototype,
    pushes,
    tuned_room,
    warp,
    warp_swung,
)  # fmt: skip

STILL = 2.0
"""Hertz below which a driven filter loses what stands still: a bent wave that leans to one side has a middle."""
MOST = 4.2
"""Feedback of a ladder at full resonance; at 4 it begins to sound by itself."""
BASS = 0.5
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
        return *tuned_room(stage, 6, 1), MIXES.copy()

    def gain(
        self, frequency: ArrayLike, rate: float, now: Mapping[str, float] | None = None, pitch: float = 60.0
    ) -> NDArray[np.float64]:
        """Gain (linear) at each frequency, for sounds too soft to bend it."""
        s = prototype(frequency, hertz(self, now, pitch), rate)
        k = MOST * now_or_set(self, now, "resonance")
        pole = 1 / (1 + s)
        mix = MIXES[list(RESPONSES).index(str(self.response))]
        taps = sum(share * pole**n for n, share in enumerate(mix))
        found: NDArray[np.float64] = np.abs((1 + BASS * k) * taps / (1 + k * pole**4))
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
        return *tuned_room(stage, 6, 1), MIXES[0].copy()

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
        return np.asarray(np.abs((1 + BASS * k) / (s**4 + 7 * s**3 + 15 * s**2 + 10 * s + 1 + k)))

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


SUNG, BLOCKED, INTO = OWN, 4, 5
"""The dial of the resonance, and what takes away what stands still, in the state."""


@kernel
def _chain(w):  # type: ignore[no-untyped-def]
    """What solves a chain of four poles that lean on each other, from its first to its last."""
    one = 1.0 / (1.0 + 2.0 * w)
    two = 1.0 / (1.0 + 2.0 * w - w * w * one)
    three = 1.0 / (1.0 + 2.0 * w - w * w * two)
    return one, two, three, 1.0 / (1.0 + w - w * w * three)


@kernel
def _equal(w):  # type: ignore[no-untyped-def]
    """The same for four poles with buffers between them."""
    h = 1.0 / (1.0 + w)
    return h, h, h, h


@kernel
def _poles(leans, w, one, two, three, four, u, s1, s2, s3, s4):  # type: ignore[no-untyped-def]
    """Four poles, leaning on each other or not (None), for what comes in and their states."""
    y1 = one * s1 + (one * w) * u
    y2 = two * s2 + (two * w) * y1
    y3 = three * s3 + (three * w) * y2
    y4 = four * s4 + (four * w) * y3
    if leans is None:
        return y1, y2, y3, y4
    y3 = y3 + (three * w) * y4
    y2 = y2 + (two * w) * y3
    return y1 + (one * w) * y2, y2, y3, y4


@kernel
def _turns(leans, w, one, two, three, four, s1, s2, s3, s4):  # type: ignore[no-untyped-def]
    """What four states become by themselves: 2 q − s."""
    q1, q2, q3, q4 = _poles(leans, w, one, two, three, four, 0.0, s1, s2, s3, s4)
    return 2.0 * q1 - s1, 2.0 * q2 - s2, 2.0 * q3 - s3, 2.0 * q4 - s4


@kernel
def _solved(leans, w, k):  # type: ignore[no-untyped-def]
    """What a cutoff and a resonance make of the chain: its solution, its parts of the loop's input, of the states."""
    one, two, three, four = _equal(w) if leans is None else _chain(w)
    p1, p2, p3, p4 = _poles(leans, w, one, two, three, four, 1.0, 0.0, 0.0, 0.0, 0.0)
    d4 = four
    d3 = d4 * w * three
    d2 = d3 * w * two
    d1 = d2 * w * one
    return (one, two, three, four), (p1, p2, p3, p4), (d1, d2, d3, d4), 1.0 / (1.0 + k * p4)


@kernel
def _loop(leans, at, room, tile, first, tick, dials, g, swings, mix, keep, here):  # type: ignore[no-untyped-def]
    """Four poles in a loop that gives way at `room`, over four voices, in place; `at` is where they are, by the cutoff.

    Every pole is a part p of the loop's input u and a part q of the states alone, and each state s becomes 2 (p u + q) − s.
    So of the next frame all but one product is known before this frame's u is: what a processor would wait for is short.
    """
    c0, c1, c2, c3, c4 = mix[0], mix[1], mix[2], mix[3], mix[4]
    v1, v2, v3, v4 = load(here, 0), load(here, 1), load(here, 2), load(here, 3)
    p, before = load(here, BLOCKED), load(here, INTO)
    alive, cutoffs, push, back, sung = dials[ALIVE], dials[WARP], dials[PUSH], dials[BACK], dials[SUNG]
    each, full = 1.0 / tick, 1.0 / (room * KNEE)
    for t in range(first, alive.shape[0] - 1):
        lives = load(alive, t)
        v1, v2, v3, v4, p, before = lives * v1, lives * v2, lives * v3, lives * v4, lives * p, lives * before
        w, k, hard, out = load(cutoffs, t) * at, load(sung, t), load(push, t), load(back, t)
        open_, lift = (load(cutoffs, t + 1) - load(cutoffs, t)) * (at * each), (load(sung, t + 1) - k) * each
        harder, fade = (load(push, t + 1) - hard) * each, (load(back, t + 1) - out) * each
        u = 0.0 * w
        if swings or any_above(abs(open_) + abs(lift) + abs(harder), 0.0):
            e1, e2, e3, e4 = 0.0 * w, 0.0 * w, 0.0 * w, 0.0 * w
            for n in range(t * tick, (t + 1) * tick):
                if swings:
                    w = load(g, n) * at
                (one, two, three, four), (p1, p2, p3, p4), (d1, d2, d3, d4), solve = _solved(leans, w, k)
                known = hard * (1.0 + BASS * k) * load(tile, n) - k * ((d1 * v1 + d2 * v2) + (d3 * v3 + d4 * v4))
                late = k * ((d1 * e1 + d2 * e2) + (d3 * e3 + d4 * e4))
                s1, s2, s3, s4 = v1 + e1 * u, v2 + e2 * u, v3 + e3 * u, v4 + e4 * u
                u = room * rounded(known * (solve * full) - (late * (solve * full)) * u)
                q1, q2, q3, q4 = _poles(leans, w, one, two, three, four, 0.0, s1, s2, s3, s4)
                v1, v2, v3, v4 = 2.0 * q1 - s1, 2.0 * q2 - s2, 2.0 * q3 - s3, 2.0 * q4 - s4
                e1, e2, e3, e4 = 2.0 * p1, 2.0 * p2, 2.0 * p3, 2.0 * p4
                heard = c1 * (p1 * u + q1) + c2 * (p2 * u + q2) + c3 * (p3 * u + q3) + c4 * (p4 * u + q4) + c0 * u
                p = heard - before + keep * p
                before = heard
                store(tile, n, out * p)
                w += open_
                k += lift
                hard += harder
                out += fade
        else:
            (one, two, three, four), (p1, p2, p3, p4), (d1, d2, d3, d4), solve = _solved(leans, w, k)
            much = k * solve * full
            loud = hard * (1.0 + BASS * k) * solve * full
            e1, e2, e3, e4 = (2.0 * room) * p1, (2.0 * room) * p2, (2.0 * room) * p3, (2.0 * room) * p4
            late = much * ((d1 * e1 + d2 * e2) + (d3 * e3 + d4 * e4))
            of_u = room * (c0 + c1 * p1 + c2 * p2 + c3 * p3 + c4 * p4)
            d1, d2, d3, d4 = much * d1, much * d2, much * d3, much * d4
            a11, a21, a31, a41 = _turns(leans, w, one, two, three, four, 1.0, 0.0, 0.0, 0.0)
            a12, a22, a32, a42 = _turns(leans, w, one, two, three, four, 0.0, 1.0, 0.0, 0.0)
            a13, a23, a33, a43 = _turns(leans, w, one, two, three, four, 0.0, 0.0, 1.0, 0.0)
            a14, a24, a34, a44 = _turns(leans, w, one, two, three, four, 0.0, 0.0, 0.0, 1.0)
            f1, f2 = d1 * a11 + d2 * a21 + d3 * a31 + d4 * a41, d1 * a12 + d2 * a22 + d3 * a32 + d4 * a42
            f3, f4 = d1 * a13 + d2 * a23 + d3 * a33 + d4 * a43, d1 * a14 + d2 * a24 + d3 * a34 + d4 * a44
            h1 = 0.5 * (c1 + c1 * a11 + c2 * a21 + c3 * a31 + c4 * a41)
            h2 = 0.5 * (c2 + c1 * a12 + c2 * a22 + c3 * a32 + c4 * a42)
            h3 = 0.5 * (c3 + c1 * a13 + c2 * a23 + c3 * a33 + c4 * a43)
            h4 = 0.5 * (c4 + c1 * a14 + c2 * a24 + c3 * a34 + c4 * a44)
            fed = (d1 * v1 + d2 * v2) + (d3 * v3 + d4 * v4)
            for n in range(t * tick, (t + 1) * tick):
                s1, s2, s3, s4 = v1 + e1 * u, v2 + e2 * u, v3 + e3 * u, v4 + e4 * u
                u = rounded(loud * load(tile, n) - fed - late * u)
                fed = (f1 * s1 + f2 * s2) + (f3 * s3 + f4 * s4)
                if leans is None:
                    v1, v2, v3, v4 = _turns(leans, w, one, two, three, four, s1, s2, s3, s4)
                else:
                    v1 = (a11 * s1 + a12 * s2) + (a13 * s3 + a14 * s4)
                    v2 = (a21 * s1 + a22 * s2) + (a23 * s3 + a24 * s4)
                    v3 = (a31 * s1 + a32 * s2) + (a33 * s3 + a34 * s4)
                    v4 = (a41 * s1 + a42 * s2) + (a43 * s3 + a44 * s4)
                heard = (h1 * s1 + h2 * s2) + (h3 * s3 + h4 * s4) + of_u * u
                p = heard - before + keep * p
                before = heard
                store(tile, n, out * p)
        v1, v2, v3, v4 = v1 + e1 * u, v2 + e2 * u, v3 + e3 * u, v4 + e4 * u
    store(here, 0, v1)
    store(here, 1, v2)
    store(here, 2, v3)
    store(here, 3, v4)
    store(here, BLOCKED, p)
    store(here, INTO, before)


@kernel
def _tune(dials, control, most, line, frequency, who, first, rate):  # type: ignore[no-untyped-def]
    """Push, resonance (`most` of it at its end) and cutoff of four voices at every tick."""
    pushes(dials[PUSH], dials[BACK], control, who, first)
    warp(dials, control, line, frequency, who, first, rate)
    end = first + 1 if stands(control[RESONANCE], who, first) else dials.shape[1]
    for v in range(VOICES):
        for t in range(first, end):
            both(dials[SUNG], t, v, most * np.float64(control[RESONANCE, who[0, v], t]))
    hold(dials[SUNG], end)


@works_for(Ladder)
@kernel
def run_ladder(  # type: ignore[no-untyped-def]
    audio, control, line, frequency, rows, start, tick, rate, swing, state, who, dials, here, tile, g, mixes
):
    """Filters `audio[row]` in place; `state` float64 (row, number, channel)."""
    ticks = control.shape[2] - 1
    keep = 1.0 - 2.0 * math.pi * STILL / rate
    for group in range(0, rows.shape[0], VOICES):
        first = take_voices(audio, rows, start, group, who, dials[ALIVE])
        mix = mixes[np.int64(control[RESPONSE, who[0, 0], max(who[1, 0], 0)])]
        state_in(state, who, here)
        voices_in(audio, who, first, ticks, tick, tile)
        _tune(dials, control, MOST, line, frequency, who, first, rate)
        swings = warp_swung(g, dials, swing, who, first, tick, rate)
        _loop(None, 1.0, 1.0, tile, first, tick, dials, g, swings, mix, keep, here)
        voices_out(tile, who, first, ticks, tick, audio)
        state_out(here, who, state)


@works_for(Acid)
@kernel
def run_acid(audio, control, line, frequency, rows, start, tick, rate, swing, state, who, dials, here, tile, g, mix):  # type: ignore[no-untyped-def]
    """Filters `audio[row]` in place; `state` float64 (row, number, channel).

    Rubber is a chain of four resistors and capacitors without buffers between them, in a loop: the poles lean on each
    other (Zavalishin, section 5.10, for a diode ladder). Wire is a two-pole whose band clips and so tames its ringing.
    """
    ticks = control.shape[2] - 1
    keep = 1.0 - 2.0 * math.pi * STILL / rate
    for group in range(0, rows.shape[0], VOICES):
        first = take_voices(audio, rows, start, group, who, dials[ALIVE])
        wire = control[CHARACTER, who[0, 0], max(who[1, 0], 0)] > 0.5
        state_in(state, who, here)
        voices_in(audio, who, first, ticks, tick, tile)
        _tune(dials, control, 1.0 if wire else RUBBER_MOST, line, frequency, who, first, rate)
        swings = warp_swung(g, dials, swing, who, first, tick, rate)
        if wire:
            _wire(tile, first, tick, dials, g, swings, keep, here)
        else:
            _loop(1, 1.0 / RUBBER_AT, RUBBER_ROOM, tile, first, tick, dials, g, swings, mix, keep, here)
        voices_out(tile, who, first, ticks, tick, audio)
        state_out(here, who, state)


@kernel
def _wire(tile, first, tick, dials, g, swings, keep, here):  # type: ignore[no-untyped-def]
    """Two poles whose band clips, over four voices, in place; of its state a `half` is kept, which is what gives way."""
    half, s2, p, before = load(here, 0), load(here, 1), load(here, BLOCKED), load(here, INTO)
    alive, cutoffs, push, back, sung = dials[ALIVE], dials[WARP], dials[PUSH], dials[BACK], dials[SUNG]
    each = 1.0 / tick
    for t in range(first, alive.shape[0] - 1):
        lives = load(alive, t)
        half, s2, p, before = lives * half, lives * s2, lives * p, lives * before
        w, r, hard, out = load(cutoffs, t), load(sung, t), load(push, t), load(back, t)
        open_, lift = (load(cutoffs, t + 1) - w) * each, (load(sung, t + 1) - r) * each
        harder, fade = (load(push, t + 1) - hard) * each, (load(back, t + 1) - out) * each
        moves = swings or any_above(abs(open_) + abs(lift), 0.0)
        scale = 1.0 / (1.0 + w * (w + WIRE_OPEN * (1.0 - WIRE_MOST * r)))
        for n in range(t * tick, (t + 1) * tick):
            if moves:
                if swings:
                    w = load(g, n)
                scale = 1.0 / (1.0 + w * (w + WIRE_OPEN * (1.0 - WIRE_MOST * r)))
            pulled = w * scale * (soft(hard * load(tile, n)) - s2)
            low = w * pulled + (2.0 * w * scale) * half + s2
            half = rounded(pulled * (1.0 / KNEE) + ((2.0 * scale - 1.0) * (1.0 / KNEE)) * half)
            s2 = min(max(2.0 * low - s2, -8.0), 8.0)
            p = low - before + keep * p
            before = low
            store(tile, n, out * p)
            w += open_
            r += lift
            hard += harder
            out += fade
    store(here, 0, half)
    store(here, 1, s2)
    store(here, BLOCKED, p)
    store(here, INTO, before)
