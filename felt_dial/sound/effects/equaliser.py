"""Equaliser: eight bands of bells, shelves, cuts and notches."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.module import Effect, ModuleMeta
from felt_dial.patch.params import LOG, Choice, Param
from felt_dial.patch.units import COUNT, DECIBELS, HERTZ, PLACE
from felt_dial.sound.kernel import Stage, flushed, kernel, works_for

BANDS = 8
SECTIONS = 4
"""Second-order sections of a band: a cut of 48 dB an octave has four."""
FORMS = {
    "off": "Off", "bell": "Bell", "low": "Low shelf", "high": "High shelf", "low cut": "Low cut",
    "high cut": "High cut", "notch": "Notch",
}  # fmt: skip
OFF, BELL, LOW, HIGH, LOW_CUT, HIGH_CUT, NOTCH = range(7)
STARTS = (60.0, 150.0, 350.0, 800.0, 1800.0, 4000.0, 8000.0, 14000.0)


def _bands() -> dict[str, Any]:
    made: dict[str, Any] = {}
    for n, start in enumerate(STARTS, start=1):
        first = {2: "bell", 5: "bell"}.get(n, "off")
        made[f"form{n}"] = Choice(f"Form {n}", first, FORMS, says="What the band does.")
        made[f"frequency{n}"] = Param(
            f"Frequency {n}", start, (20.0, 20000.0), HERTZ, taper=LOG, says="The middle of the band, or its corner."
        )
        made[f"gain{n}"] = Param(f"Gain {n}", 0.0, (-24.0, 24.0), DECIBELS, says="How much louder or softer.")
        made[f"width{n}"] = Param(
            f"Q {n}", 1.0, (0.1, 18.0), PLACE, taper=LOG, says="How narrow a bell or a notch is; how a shelf bends."
        )
        made[f"slope{n}"] = Param(
            f"Steep {n}", 1, (1, SECTIONS), COUNT, whole=True, movable=False, says="Cuts: 12 dB an octave times this."
        )
    return made


Equaliser: Any = ModuleMeta(
    "Equaliser", (Effect,),
    {"__module__": __name__, "__doc__": "Eight bands, each a bell, a shelf, a cut or a notch.", **_bands()},
    kind="equaliser",
)  # fmt: skip
FIRST = Equaliser.row_of("form1")
FORM, FREQUENCY, GAIN, WIDTH, SLOPE = range(5)
PER_BAND = 5


def section(form: str, frequency: float, gain: float, q: float, rate: float) -> NDArray[np.float64]:
    """b0 b1 b2 a1 a2 of one second-order section; see `_section`."""
    found = np.zeros(5)
    _section(list(FORMS).index(form), frequency, gain, q, rate, found)
    return found


@kernel
def _section(form, frequency, gain, q, rate, out):  # type: ignore[no-untyped-def]
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


@kernel
def _butterworth(slope, n):  # type: ignore[no-untyped-def]
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
            q = _butterworth(slope, k) if cut else effect.number(f"width{n}")
            b0, b1, b2, a1, a2 = section(form, effect.number(f"frequency{n}"), effect.number(f"gain{n}"), q, rate)
            total += 20 * np.log10(np.abs((b0 + b1 * z + b2 * z * z) / (1 + a1 * z + a2 * z * z)) + 1e-12)
    return total


def _prepare(stage: Stage) -> tuple[np.ndarray, ...]:
    return np.zeros((BANDS, 2, SECTIONS, 5)), np.zeros((2, BANDS, SECTIONS, 2)), np.full((BANDS, KNOWN), -1.0)


def _summary(effect: Any) -> str:
    bands = sum(effect.get(f"form{n}") != "off" for n in range(1, BANDS + 1))
    return f"{bands} band{'' if bands == 1 else 's'}"


def _idle(effect: Any) -> set[str]:
    """What the form of each band leaves without effect."""
    found = set()
    for n in range(1, BANDS + 1):
        form = str(effect.get(f"form{n}"))
        found |= set() if form in ("bell", "low", "high") else {f"gain{n}"}
        found |= {f"width{n}"} if form == "off" or form.endswith("cut") else set()
        found |= set() if form.endswith("cut") else {f"slope{n}"}
    return found


Equaliser.prepare = staticmethod(_prepare)
Equaliser.idle = _idle
Equaliser.summary = _summary


NOW, AHEAD = range(2)
"""Of the sections of a band: as a tick begins and as it ends."""
KNOWN = 5
"""Form, frequency, gain, width and slope for which the sections of a band were made."""


@kernel
def _design(band, control, t, rate, sections, known):  # type: ignore[no-untyped-def]
    """Makes the sections of a band for its dials at a tick, where they are not what they were made for; True if so."""
    p = FIRST + PER_BAND * band
    same = True
    for n, which in enumerate((FORM, FREQUENCY, GAIN, WIDTH, SLOPE)):
        same = same and known[n] == control[p + which, t]
        known[n] = control[p + which, t]
    if same:
        return False
    form, slope = np.int64(known[0]), np.int64(known[4])
    cut = form in (LOW_CUT, HIGH_CUT)
    for k in range(slope if cut else 1):
        _section(form, known[1], known[2], _butterworth(slope, k) if cut else known[3], rate, sections[k])
    return True


@kernel
def _rings(state, band):  # type: ignore[no-untyped-def]
    """True where a band that changes nothing still rings from what it did before."""
    most = 0.0
    for channel in range(2):
        for k in range(SECTIONS):
            most = max(most, abs(state[channel, band, k, 0]), abs(state[channel, band, k, 1]))
    return most > 1e-6


@kernel
def _filter(audio, first, tick, now, ahead, left, right):  # type: ignore[no-untyped-def]
    """A tick of a section, in place: transposed direct form II, its coefficients on their straight way from `now` to `ahead`.

    Sections that do not ring on for ever are a convex set of coefficients, so none on the way does. Both channels go in one
    loop, as each waits for itself.
    """
    b0, b1, b2, a1, a2 = now[0], now[1], now[2], now[3], now[4]
    d0, d1, d2 = (ahead[0] - b0) / tick, (ahead[1] - b1) / tick, (ahead[2] - b2) / tick
    e1, e2 = (ahead[3] - a1) / tick, (ahead[4] - a2) / tick
    s, r, u, v = left[0], left[1], right[0], right[1]
    for n in range(first, first + tick):
        x, w = np.float64(audio[0, n]), np.float64(audio[1, n])
        y, z = b0 * x + s, b0 * w + u
        s, u = (b1 * x + r) - a1 * y, (b1 * w + v) - a1 * z
        r, v = b2 * x - a2 * y, b2 * w - a2 * z
        audio[0, n], audio[1, n] = np.float32(y), np.float32(z)
        b0 += d0
        b1 += d1
        b2 += d2
        a1 += e1
        a2 += e2
    left[0], left[1], right[0], right[1] = flushed(s), flushed(r), flushed(u), flushed(v)


@works_for(Equaliser)
@kernel
def run_equaliser(audio, control, tick, rate, sections, state, known):  # type: ignore[no-untyped-def]
    """Filters `audio` (float32, channel × frame) in place, band after band; a new form or slope begins at once."""
    for band in range(BANDS):
        p = FIRST + PER_BAND * band
        for t in range(control.shape[1] - 1):
            form, slope = np.int64(control[p + FORM, t]), np.int64(control[p + SLOPE, t])
            level = form in (BELL, LOW, HIGH) and control[p + GAIN, t] == 0.0 and control[p + GAIN, t + 1] == 0.0
            if form == OFF or (level and not _rings(state, band)):
                if known[band, 0] != -1.0:
                    state[:, band] = 0.0
                    known[band, 0] = -1.0
                continue
            _design(band, control, t, rate, sections[band, NOW], known[band])
            count = slope if form in (LOW_CUT, HIGH_CUT) else 1
            moves = False
            if control[p + FORM, t + 1] == form and control[p + SLOPE, t + 1] == slope:
                moves = _design(band, control, t + 1, rate, sections[band, AHEAD], known[band])
            for k in range(count):
                now = sections[band, NOW, k]
                ahead = sections[band, AHEAD if moves else NOW, k]
                _filter(audio, t * tick, tick, now, ahead, state[0, band, k], state[1, band, k])
                if moves:
                    for n in range(5):
                        now[n] = ahead[n]
