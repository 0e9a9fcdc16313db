"""Formant filter: three resonances of a throat, along a line of vowels."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import ArrayLike, NDArray

from felt_dial.patch.module import Filter
from felt_dial.patch.params import Choice, Param
from felt_dial.patch.units import COUNT, PERCENT, SEMITONES
from felt_dial.sound.tone.core.cutoff import now_or_set, prototype

VOWELS = ("heed", "hid", "head", "had", "hod", "hawed", "hood", "who'd")
"""The words of the published table, from the front of the mouth to the back."""
MEANS = np.array(
    [
        [
            [270, 2290, 3010],
            [390, 1990, 2550],
            [530, 1840, 2480],
            [660, 1720, 2410],
            [730, 1090, 2440],
            [570, 840, 2410],
            [440, 1020, 2240],
            [300, 870, 2240],
        ],
        [
            [310, 2790, 3310],
            [430, 2480, 3070],
            [610, 2330, 2990],
            [860, 2050, 2850],
            [850, 1220, 2810],
            [590, 920, 2710],
            [470, 1160, 2680],
            [370, 950, 2670],
        ],
        [
            [370, 3200, 3730],
            [530, 2730, 3600],
            [690, 2610, 3570],
            [1010, 2320, 3320],
            [1030, 1370, 3170],
            [680, 1060, 3180],
            [560, 1410, 3310],
            [430, 1170, 3260],
        ],
    ],
    np.float64,
)
"""Mean formants F1 to F3 in Hz of men, women and children: G. E. Peterson and H. L. Barney, Control methods used in a
study of the vowels, JASA 24 (1952), table II. From memory."""
LEVELS = np.array(
    [
        [-4, -24, -28],
        [-3, -23, -27],
        [-2, -17, -24],
        [-1, -12, -22],
        [-1, -5, -28],
        [0, -7, -34],
        [-1, -12, -34],
        [-3, -19, -43],
    ],
    np.float64,
)
"""Their levels in dB, the same for all speakers; the same table."""
WIDTHS = (70.0, 100.0, 150.0)
"""Widths of the resonances in Hz; common practice."""


class Formant(Filter, kind="formant", title="Formant"):
    """Three resonances of a throat: vowels along a line, from heed to who'd."""

    resonance = Param("Resonance", 0.5, (0.0, 1.0), PERCENT, says="How narrow the three resonances are.")
    vowel = Param(
        "Vowel",
        4.0,
        (0.0, 7.0),
        COUNT,
        names={name: float(n) for n, name in enumerate(VOWELS)},
        says="Which vowel the throat forms, by the word that has it, or how far on the way to the next.",
    )
    throat = Choice(
        "Throat", "men", {"men": "Men", "women": "Women", "children": "Children"}, says="Whose throat it is."
    )
    shift = Param("Shift", 0.0, (-24.0, 24.0), SEMITONES, says="Moves all three resonances together.")

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
