"""Formant filter: three resonances of a throat, along a line of vowels."""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np
from numpy.typing import ArrayLike, NDArray

from felt_dial.patch.module import Filter
from felt_dial.patch.params import Choice, Param
from felt_dial.patch.units import COUNT, PERCENT, SEMITONES
from felt_dial.sound.kernel import Stage, kernel, works_for
from felt_dial.sound.lane_math import power_of_two
from felt_dial.sound.lanes import (
    VOICES,
    any_above,
    both,
    hold,
    load,
    quotient,
    stands,
    state_in,
    state_out,
    store,
    take_voices,
    voices_in,
    voices_out,
)  # fmt: skip
from felt_dial.sound.tone.cutoff import (
    ALIVE,
    BACK,
    FOLLOW,
    OWN,
    PUSH,
    RESONANCE,
    now_or_set,
    prototype,
    push_in,
    swings_in,
    tuned_room,
    warped_at,
)  # fmt: skip

VOWELS = ("heed", "hid", "head", "had", "hod", "hawed", "hood", "who'd")
"""The words of the published table, from the front of the mouth to the back."""
MEANS = np.array([
    [
        [270, 2290, 3010], [390, 1990, 2550], [530, 1840, 2480], [660, 1720, 2410],
        [730, 1090, 2440], [570, 840, 2410], [440, 1020, 2240], [300, 870, 2240],
    ], [
        [310, 2790, 3310], [430, 2480, 3070], [610, 2330, 2990], [860, 2050, 2850],
        [850, 1220, 2810], [590, 920, 2710], [470, 1160, 2680], [370, 950, 2670],
    ], [
        [370, 3200, 3730], [530, 2730, 3600], [690, 2610, 3570], [1010, 2320, 3320],
        [1030, 1370, 3170], [680, 1060, 3180], [560, 1410, 3310], [430, 1170, 3260],
    ],
], np.float64)  # fmt: skip
"""Mean formants F1 to F3 in Hz of men, women and children: G. E. Peterson and H. L. Barney, Control methods used in a
study of the vowels, JASA 24 (1952), table II. From memory."""
LEVELS = np.array([
    [-4, -24, -28], [-3, -23, -27], [-2, -17, -24], [-1, -12, -22],
    [-1, -5, -28], [0, -7, -34], [-1, -12, -34], [-3, -19, -43],
], np.float64)  # fmt: skip
"""Their levels in dB, the same for all speakers; the same table."""
WIDTHS = (70.0, 100.0, 150.0)
"""Widths of the resonances in Hz; common practice."""
WIDE = tuple(math.log2(width) for width in WIDTHS)


class Formant(Filter, kind="formant", title="Formant"):
    """Three resonances of a throat: vowels along a line, from heed to who'd."""

    resonance = Param("Resonance", 0.5, (0.0, 1.0), PERCENT, says="How narrow the three resonances are.")
    vowel = Param(
        "Vowel", 4.0, (0.0, 7.0), COUNT, names={name: float(n) for n, name in enumerate(VOWELS)},
        says="Which vowel the throat forms, by the word that has it, or how far on the way to the next.",
    )  # fmt: skip
    throat = Choice(
        "Throat", "men", {"men": "Men", "women": "Women", "children": "Children"}, says="Whose throat it is."
    )
    shift = Param("Shift", 0.0, (-24.0, 24.0), SEMITONES, says="Moves all three resonances together.")

    @staticmethod
    def prepare(stage: Stage) -> tuple[np.ndarray, ...]:
        return *tuned_room(stage, 2 * FORMANTS, 3 * FORMANTS), np.log2(MEANS), LEVELS * (math.log2(10.0) / 20.0)

    def formants(self, now: Mapping[str, float] | None = None, pitch: float = 60.0) -> list[tuple[float, float, float]]:
        """Frequency (Hz), gain (linear) and Q of the three resonances."""
        place, n = now_or_set(self, now, "vowel"), ["men", "women", "children"].index(str(self.throat))
        low = min(int(place), 6)
        part = place - low
        turned = 2 ** ((now_or_set(self, now, "shift") + now_or_set(self, now, "follow") * (pitch - 60)) / 12)
        narrow = 4 ** (2 * now_or_set(self, now, "resonance") - 1)
        f = MEANS[n, low] ** (1 - part) * MEANS[n, low + 1] ** part
        gains = 10 ** ((LEVELS[low] * (1 - part) + LEVELS[low + 1] * part) / 20)
        return [(hz * turned, gain, hz / width * narrow) for hz, gain, width in zip(f, gains, WIDTHS, strict=True)]

    def gain(
        self, frequency: ArrayLike, rate: float, now: Mapping[str, float] | None = None, pitch: float = 60.0
    ) -> NDArray[np.float64]:
        """Gain (linear) at each frequency: three band-passes side by side."""
        total = np.zeros(np.shape(frequency), np.complex128)
        for hz, gain, q in self.formants(now, pitch):
            s = prototype(frequency, min(hz, 0.45 * rate), rate)
            total += gain * (s / q) / (s * s + s / q + 1)
        return np.asarray(np.abs(total))

    def gist(self) -> str:
        """What kind of filter it is set to, in a word or two."""
        return f"vowel of {self.params['vowel'].write(self.get('vowel')).lower()}"


VOWEL, THROAT, SHIFT = (Formant.row_of(name) for name in ("vowel", "throat", "shift"))


FORMANTS = 3
"""Dials of each, one formant after the other: its warped frequency, its damping and its gain."""


@kernel
def _speak(dials, control, line, who, first, throat, rate, means, levels):  # type: ignore[no-untyped-def]
    """The formants of four voices at every tick; `means` and `levels` are counted in octaves, and so is all on the way."""
    stand = stands(line, who, first)
    for which in (VOWEL, SHIFT, RESONANCE, FOLLOW):
        stand = stand and stands(control[which], who, first)
    end = first + 1 if stand else dials.shape[1]
    for v in range(VOICES):
        row = who[0, v]
        for t in range(first, end):
            place = np.float64(control[VOWEL, row, t])
            low = np.int64(min(place, 6.0))
            part = place - low
            turn = np.float64(control[FOLLOW, row, t]) * (np.float64(line[row, t]) - 60.0)
            turn = (turn + np.float64(control[SHIFT, row, t])) / 12.0
            narrow = 4.0 * np.float64(control[RESONANCE, row, t]) - 2.0
            for which in range(FORMANTS):
                of = OWN + 3 * which
                height = means[throat, low, which] + part * (means[throat, low + 1, which] - means[throat, low, which])
                both(dials[of], t, v, height + turn)
                both(dials[of + 1], t, v, WIDE[which] - height - narrow)
                both(dials[of + 2], t, v, levels[low, which] + part * (levels[low + 1, which] - levels[low, which]))
    for which in range(FORMANTS):
        of = OWN + 3 * which
        for t in range(first, end):
            f = min(power_of_two(load(dials[of], t)), 0.45 * rate)
            store(dials[of], t, warped_at(f, rate))
            store(dials[of + 1], t, power_of_two(load(dials[of + 1], t)))
            store(dials[of + 2], t, power_of_two(load(dials[of + 2], t)))
        for k in range(of, of + 3):
            hold(dials[k], end)


@kernel
def _ring(x, w, scale, a, b):  # type: ignore[no-untyped-def]
    """One frame of a resonance: its band, and its two states after."""
    band = w * scale * (x - b) + scale * a
    return band, 2.0 * band - a, 2.0 * (w * band) + b


@kernel
def _rings(tile, first, tick, dials, g, swings, here):  # type: ignore[no-untyped-def]
    """Three resonances side by side over four voices, in place."""
    a1, b1, a2, b2 = load(here, 0), load(here, 1), load(here, 2), load(here, 3)
    a3, b3 = load(here, 4), load(here, 5)
    alive, of = dials[ALIVE], dials[OWN:]
    each, one = 1.0 / tick, 0.0 * a1 + 1.0
    for t in range(first, alive.shape[0] - 1):
        lives = load(alive, t)
        a1, b1, a2, b2, a3, b3 = lives * a1, lives * b1, lives * a2, lives * b2, lives * a3, lives * b3
        w1, k1, g1, w2, k2, g2 = (
            load(of[0], t),
            load(of[1], t),
            load(of[2], t),
            load(of[3], t),
            load(of[4], t),
            load(of[5], t),
        )
        w3, k3, g3 = load(of[6], t), load(of[7], t), load(of[8], t)
        dw1, dk1, dg1 = load(of[0], t + 1) - w1, load(of[1], t + 1) - k1, load(of[2], t + 1) - g1
        dw2, dk2, dg2 = load(of[3], t + 1) - w2, load(of[4], t + 1) - k2, load(of[5], t + 1) - g2
        dw3, dk3, dg3 = load(of[6], t + 1) - w3, load(of[7], t + 1) - k3, load(of[8], t + 1) - g3
        far = abs(dw1) + abs(dw2) + abs(dw3) + abs(dk1) + abs(dk2) + abs(dk3) + abs(dg1) + abs(dg2) + abs(dg3)
        moves = swings or any_above(far, 0.0)
        v1, v2, v3 = w1, w2, w3
        s1, s2, s3 = 1.0 / (1.0 + w1 * (w1 + k1)), 1.0 / (1.0 + w2 * (w2 + k2)), 1.0 / (1.0 + w3 * (w3 + k3))
        l1, l2, l3 = g1 * k1, g2 * k2, g3 * k3
        for n in range(t * tick, (t + 1) * tick):
            x = load(tile, n)
            if moves:
                part = (n - t * tick) * each
                v1, v2, v3 = w1 + part * dw1, w2 + part * dw2, w3 + part * dw3
                if swings:
                    swung = load(g, n)
                    v1, v2, v3 = min(v1 * swung, 6.0), min(v2 * swung, 6.0), min(v3 * swung, 6.0)
                h1, h2, h3 = k1 + part * dk1, k2 + part * dk2, k3 + part * dk3
                s1 = quotient(one, 1.0 + v1 * (v1 + h1))
                s2, s3 = quotient(one, 1.0 + v2 * (v2 + h2)), quotient(one, 1.0 + v3 * (v3 + h3))
                l1, l2, l3 = (g1 + part * dg1) * h1, (g2 + part * dg2) * h2, (g3 + part * dg3) * h3
            y1, a1, b1 = _ring(x, v1, s1, a1, b1)
            y2, a2, b2 = _ring(x, v2, s2, a2, b2)
            y3, a3, b3 = _ring(x, v3, s3, a3, b3)
            store(tile, n, l1 * y1 + l2 * y2 + l3 * y3)
    store(here, 0, a1)
    store(here, 1, b1)
    store(here, 2, a2)
    store(here, 3, b2)
    store(here, 4, a3)
    store(here, 5, b3)


@works_for(Formant)
@kernel
def run_formant(  # type: ignore[no-untyped-def]
    audio, control, line, frequency, rows, start, tick, rate, swing, state, who, dials, here, tile, g, means, levels
):  # fmt: skip
    """Filters `audio[row]` in place; `state` float64 (row, number, channel)."""
    ticks = control.shape[2] - 1
    for group in range(0, rows.shape[0], VOICES):
        first = take_voices(audio, rows, start, group, who, dials[ALIVE])
        throat = np.int64(control[THROAT, who[0, 0], max(who[1, 0], 0)])
        state_in(state, who, here)
        voices_in(audio, who, first, ticks, tick, tile)
        push_in(tile, dials[PUSH], dials[BACK], control, who, first, tick)
        _speak(dials, control, line, who, first, throat, rate, means, levels)
        swings = swings_in(g, swing, who, first, tick)
        _rings(tile, first, tick, dials, g, swings, here)
        voices_out(tile, who, first, ticks, tick, audio)
        state_out(here, who, state)
