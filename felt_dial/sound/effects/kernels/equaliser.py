"""Equaliser: a band after another, its coefficients moving with its dials."""

from __future__ import annotations

import numpy as np

from felt_dial.sound.compiling.kernel import Stage, flushed, formula, kernel, works_for
from felt_dial.sound.effects.equaliser import (
    BANDS,
    BELL,
    HIGH,
    HIGH_CUT,
    LOW,
    LOW_CUT,
    OFF,
    SECTIONS,
    Equaliser,
    butterworth,
    design_section,
)

FIRST = Equaliser.row_of("form1")
FORM, FREQUENCY, GAIN, WIDTH, SLOPE = range(5)
PER_BAND = 5


_section, _butterworth = formula(design_section), formula(butterworth)
NOW, AHEAD = range(2)
"""Of the sections of a band: as a tick begins and as it ends."""
KNOWN = 5
"""Form, frequency, gain, width and slope for which the sections of a band were made."""


@kernel
def _design(band, control, t, rate, sections, known):
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
def _rings(state, band):
    """True where a band that changes nothing still rings from what it did before."""
    most = 0.0
    for channel in range(2):
        for k in range(SECTIONS):
            most = max(most, abs(state[channel, band, k, 0]), abs(state[channel, band, k, 1]))
    return most > 1e-6


@kernel
def _filter(audio, first, tick, now, ahead, left, right):
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


def prepare_equaliser(module: Equaliser, stage: Stage) -> tuple[np.ndarray, ...]:
    """State of a equaliser, as it begins."""
    return np.zeros((BANDS, 2, SECTIONS, 5)), np.zeros((2, BANDS, SECTIONS, 2)), np.full((BANDS, KNOWN), -1.0)


@works_for(Equaliser, prepare_equaliser)
@kernel
def run_equaliser(audio, control, tick, rate, sections, state, known):
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
