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
from felt_dial.sound.tone.cutoff import FOLLOW, RESONANCE, now_or_set, prototype, push_in
from felt_dial.sound.tone.state_variable import two_pole

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
        frames = stage.frames
        return (
            np.zeros((stage.rows, 3, 2, 2)), np.zeros(frames), np.zeros((4, frames), np.float32), MEANS.copy(), LEVELS.copy()
        )  # fmt: skip

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


@works_for(Formant)
@kernel
def run_formant(audio, control, line, frequency, rows, start, tick, rate, swing, state, g, room, means, levels):  # type: ignore[no-untyped-def]
    """Filters `audio[row]` in place; `state` float64 (row, formant, channel, 2)."""
    ticks = control.shape[2] - 1
    for row in rows:
        first = max(start[row], 0)
        if start[row] >= 0:
            state[row] = 0.0
        push_in(audio, control, row, first, tick)
        throat = np.int64(control[THROAT, row, first])
        frames = (ticks - first) * tick
        begin = first * tick
        for n in range(frames):
            room[0, n], room[1, n] = audio[row, 0, begin + n], audio[row, 1, begin + n]
            audio[row, 0, begin + n] = audio[row, 1, begin + n] = np.float32(0.0)
        for which in range(3):
            for n in range(frames):
                room[2, n], room[3, n] = room[0, n], room[1, n]
            here = -1.0
            gain = 0.0
            for t in range(first, ticks):
                there = louder = k = 0.0
                for end in range(1 if here >= 0.0 else 0, 2):
                    u = t + end
                    place = np.float64(control[VOWEL, row, u])
                    low = np.int64(min(place, 6.0))
                    part = place - low
                    turn = np.float64(control[SHIFT, row, u])
                    turn += np.float64(control[FOLLOW, row, u]) * (np.float64(line[row, u]) - 60.0)
                    f = means[throat, low, which] * (means[throat, low + 1, which] / means[throat, low, which]) ** part
                    k = WIDTHS[which] / f * 4.0 ** (1.0 - 2.0 * np.float64(control[RESONANCE, row, u]))
                    f *= 2.0 ** (turn / 12.0)
                    there = math.tan(math.pi * min(max(f, 5.0), 0.45 * rate) / rate)
                    louder = 10.0 ** ((levels[low, which] * (1.0 - part) + levels[low + 1, which] * part) / 20.0)
                    if end == 0:
                        here, gain = there, louder
                at = (t - first) * tick
                moves = there != here or swing.shape[0] > 0
                g[0] = here
                if moves:
                    for n in range(tick):
                        g[at + n] = here + (there - here) * n / tick
                        if swing.shape[0] > 0:
                            wide = g[at + n] * 2.0 ** np.float64(swing[row, t * tick + n])
                            g[at + n] = min(wide, 6.0)
                two_pole(room[2], room[3], at, tick, g, moves, k, 0.0, 0.0, 0.0, 1.0, 0.0, state[row, which])
                for n in range(tick):
                    now = np.float32(gain + (louder - gain) * n / tick)
                    audio[row, 0, begin + at + n] += now * room[2, at + n]
                    audio[row, 1, begin + at + n] += now * room[3, at + n]
                here, gain = there, louder
