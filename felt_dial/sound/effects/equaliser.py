"""Equaliser: eight bands of bells, shelves, cuts and notches."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Effect
from felt_dial.patch.params import LOG, Choice, Param, Parameter
from felt_dial.patch.units import COUNT, DECIBELS, HERTZ, PLACE

BANDS = 8
SECTIONS = 4
"""Second-order sections of a band: a cut of 48 dB an octave has four."""
FORMS = {
    "off": "Off",
    "bell": "Bell",
    "low": "Low shelf",
    "high": "High shelf",
    "low cut": "Low cut",
    "high cut": "High cut",
    "notch": "Notch",
}
OFF, BELL, LOW, HIGH, LOW_CUT, HIGH_CUT, NOTCH = range(7)
STARTS = (60.0, 150.0, 350.0, 800.0, 1800.0, 4000.0, 8000.0, 14000.0)


def _band(n: int, start: float) -> dict[str, Parameter]:
    """The dials of one band."""
    return {
        f"form{n}": Choice(f"Form {n}", {2: "bell", 5: "bell"}.get(n, "off"), FORMS, says="What the band does."),
        f"frequency{n}": Param(
            f"Frequency {n}", start, (20.0, 20000.0), HERTZ, taper=LOG, says="The middle of the band, or its corner."
        ),
        f"gain{n}": Param(f"Gain {n}", 0.0, (-24.0, 24.0), DECIBELS, says="How much louder or softer."),
        f"width{n}": Param(
            f"Q {n}", 1.0, (0.1, 18.0), PLACE, taper=LOG, says="How narrow a bell or a notch is; how a shelf bends."
        ),
        f"slope{n}": Param(
            f"Steep {n}", 1, (1, SECTIONS), COUNT, whole=True, movable=False, says="Cuts: 12 dB an octave times this."
        ),
    }


class Equaliser(Effect, kind="equaliser"):
    """Eight bands, each a bell, a shelf, a cut or a notch."""

    group = "Tone"

    picture = "equaliser"

    vars().update({name: dial for n, start in enumerate(STARTS, 1) for name, dial in _band(n, start).items()})

    def idle(self) -> set[str]:
        """What the form of each band leaves without effect."""
        found = set()
        for n in range(1, BANDS + 1):
            form = str(self.get(f"form{n}"))
            found |= set() if form in ("bell", "low", "high") else {f"gain{n}"}
            found |= {f"width{n}"} if form == "off" or form.endswith("cut") else set()
            found |= set() if form.endswith("cut") else {f"slope{n}"}
        return found

    def summary(self) -> str:
        """The effect in a few words for its card."""
        bands = sum(self.get(f"form{n}") != "off" for n in range(1, BANDS + 1))
        return f"{bands} band{'' if bands == 1 else 's'}"


def section(form: str, frequency: float, gain: float, q: float, rate: float) -> NDArray[np.float64]:
    """b0 b1 b2 a1 a2 of one second-order section; see `design_section`."""
    found = np.zeros(5)
    design_section(list(FORMS).index(form), frequency, gain, q, rate, found)
    return found


def design_section(form: int, frequency: float, gain: float, q: float, rate: float, out: NDArray[np.float64]) -> None:
    """Audio EQ Cookbook (R. Bristow-Johnson, W3C Note): bell, shelves by Q, low and high cut, notch."""
    w = 2.0 * math.pi * min(max(frequency, 1.0), 0.49 * rate) / rate
    cos, alpha = math.cos(w), math.sin(w) / (2.0 * q)
    a = 10.0 ** (gain / 40.0)
    b0, b1, b2, a0, a1, a2 = 1.0, 0.0, 0.0, 1.0, 0.0, 0.0
    if form == BELL:
        b0, b1, b2 = 1.0 + alpha * a, -2.0 * cos, 1.0 - alpha * a
        a0, a1, a2 = 1.0 + alpha / a, -2.0 * cos, 1.0 - alpha / a
    elif form in (LOW, HIGH):
        s = 1.0 if form == LOW else -1.0
        root = 2.0 * math.sqrt(a) * alpha
        b0 = a * ((a + 1.0) - s * (a - 1.0) * cos + root)
        b1 = s * 2.0 * a * ((a - 1.0) - s * (a + 1.0) * cos)
        b2 = a * ((a + 1.0) - s * (a - 1.0) * cos - root)
        a0 = (a + 1.0) + s * (a - 1.0) * cos + root
        a1 = -s * 2.0 * ((a - 1.0) + s * (a + 1.0) * cos)
        a2 = (a + 1.0) + s * (a - 1.0) * cos - root
    elif form == LOW_CUT:
        b0, b1, b2 = 0.5 * (1.0 + cos), -(1.0 + cos), 0.5 * (1.0 + cos)
        a0, a1, a2 = 1.0 + alpha, -2.0 * cos, 1.0 - alpha
    elif form == HIGH_CUT:
        b0, b1, b2 = 0.5 * (1.0 - cos), 1.0 - cos, 0.5 * (1.0 - cos)
        a0, a1, a2 = 1.0 + alpha, -2.0 * cos, 1.0 - alpha
    elif form == NOTCH:
        b0, b1, b2 = 1.0, -2.0 * cos, 1.0
        a0, a1, a2 = 1.0 + alpha, -2.0 * cos, 1.0 - alpha
    out[0], out[1], out[2], out[3], out[4] = b0 / a0, b1 / a0, b2 / a0, a1 / a0, a2 / a0


def butterworth(slope: float, n: float) -> float:
    """Q of section n of a Butterworth cut with `slope` sections."""
    return 1.0 / (2.0 * math.cos(math.pi * (2.0 * n + 1.0) / (4.0 * slope)))


def response(effect: Any, frequencies: NDArray[np.float64], rate: float = 48000.0) -> NDArray[np.float64]:
    """Gain in dB of all bands together at frequencies in Hz; shape of `frequencies`."""
    z = np.exp(-2j * np.pi * frequencies / rate)
    total = np.zeros(len(frequencies))
    for n in range(1, BANDS + 1):
        form, slope = str(effect.get(f"form{n}")), int(effect.get(f"slope{n}"))
        if form == "off":
            continue
        cut = form.endswith("cut")
        for k in range(slope if cut else 1):
            q = butterworth(slope, k) if cut else effect.number(f"width{n}")
            b0, b1, b2, a1, a2 = section(form, effect.number(f"frequency{n}"), effect.number(f"gain{n}"), q, rate)
            total += 20 * np.log10(np.abs((b0 + b1 * z + b2 * z * z) / (1 + a1 * z + a2 * z * z)) + 1e-12)
    return total
