"""Noise of any slope, held noise, and textures."""

from __future__ import annotations

import math
from functools import cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.asset import Asset
from felt_dial.sound.compiling.kernel import Stage, kernel
from felt_dial.sound.matter import assets
from felt_dial.sound.matter.kept import fixed
from felt_dial.sound.playing.kernels.counted_chance import chance
from felt_dial.sound.sources.kernels.core.notes import lot_of, plays_each
from felt_dial.sound.sources.kernels.core.white import white
from felt_dial.sound.sources.noise import STEEPEST, Noise

LOWEST = 20.0
"""Hz of the first of the sections, which lie an octave apart."""
MOST_SECTIONS = 18
CALM = 5.0
"""Hz below which it stands still: falling slopes would push the ground up and down."""
TOP = 24000.0
"""Hz above which a finer rate has no noise: nobody hears it, and it would drive what follows."""
LOUD = 0.25
"""Effective value of the noise up to 24 kHz, whatever its slope and the rate: what is heard of it is the same."""
BAND = 16000.0
"""Hz up to which, from 20 Hz, noises of different slopes are brought to the same power."""
SEAM = 4800
"""Frames over which the end of a texture fades into its beginning."""


SLOPE_AT, WIDTH, HOLD, RATE, FOLLOW, RATIO = (
    Noise.row_of(name) for name in ("slope", "width", "hold", "rate", "follow", "ratio")
)
PHASE, LEFT, RIGHT, PLACE = range(4)
UNKNOWN = 99.0
"""A slope for which nothing was worked out."""
MIDDLE_C = 440.0 * 2.0 ** (-9 / 12)


def sections(rate: float) -> int:
    """Sections that bend the spectrum at a rate, the last of which makes up for what the others lack near its end."""
    return min(12 + round(math.log2(rate / 48000.0)), MOST_SECTIONS)


def _wanted(slopes: NDArray[np.float64], hertz: NDArray[np.float64]) -> NDArray[np.float64]:
    """Power of an endless chain of analogue sections, (slope, hertz): a straight line from 20 Hz up."""
    poles = LOWEST * 2.0 ** np.arange(24)[:, None, None]
    zeros = poles * 2.0 ** (-slopes[:, None] / 6.020599913279624)
    return np.asarray(np.prod((1.0 + (hertz / zeros) ** 2) / (1.0 + (hertz / poles) ** 2), axis=0))


def places_of(slopes: NDArray[np.float64], rate: float) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Zeros and poles of the sections on the z axis, each (slope, section).

    Poles an octave apart and zeros shifted against them by the slope over 6.02 dB: J. O. Smith and
    H. F. Smith, “Closed form fractional integration and differentiation via real exponentially spaced
    pole-zero pairs”, 2016; mapped by the matched z transform. One more section takes the chain to the
    straight line at 0, 0.15 and 0.35 of the rate: three linear equations in cos ω for its power.
    """
    poles = np.broadcast_to(LOWEST * 2.0 ** np.arange(sections(rate) - 1), (len(slopes), sections(rate) - 1))
    zeros = poles * 2.0 ** (-slopes[:, None] / 6.020599913279624)
    zero, pole = np.exp(-2 * np.pi * zeros / rate), np.exp(-2 * np.pi * poles / rate)
    hertz = np.array([1e-3, 0.15 * rate, 0.35 * rate])
    cosine = np.cos(2 * np.pi * hertz / rate)
    missing = _wanted(slopes, hertz) / power_of(zero, pole, hertz / rate)
    rows = np.stack([np.ones_like(missing), np.broadcast_to(cosine, missing.shape), -cosine * missing], axis=2)
    above, turn, below = np.linalg.solve(rows, missing[..., None])[..., 0].T
    return np.column_stack([zero, _root(turn / above)]), np.column_stack([pole, _root(below)])


def _root(ratio: NDArray[np.float64]) -> NDArray[np.float64]:
    """z within the unit circle for which 1 + z² − 2 z cos ω rises with cos ω as 1 + `ratio` cos ω does."""
    safe = np.where(np.abs(ratio) < 1e-9, 1e-9, ratio)
    return np.asarray((np.sqrt(np.maximum(1.0 - safe * safe, 0.0)) - 1.0) / safe)


def power_of(zeros: NDArray[np.float64], poles: NDArray[np.float64], at: NDArray[np.float64]) -> NDArray[np.float64]:
    """Power of a chain at parts of its rate, 1 at 0, (slope, at)."""
    turn = np.exp(2j * np.pi * at)
    power = np.ones((len(zeros), len(at)))
    for zero, pole in zip(zeros.T[..., None], poles.T[..., None], strict=True):
        power *= np.abs((turn - zero) / (turn - pole) * (1.0 - pole) / (1.0 - zero)) ** 2
    return power


@cache
def slope_table(rate: float) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """For slopes from −12 to 12 in steps of ¼ dB: gains, float32 (slope,), and zero and pole of the last section."""
    slopes = np.arange(-STEEPEST, STEEPEST + 0.01, 0.25)
    zeros, poles = places_of(np.where(slopes == 0.0, 0.01, slopes), rate)
    hertz = np.geomspace(LOWEST, BAND, 4096)
    gain = np.prod((1.0 - poles) / (1.0 - zeros), axis=1)
    power = power_of(zeros, poles, hertz / rate) / (gain[:, None] ** 2)
    density = np.trapezoid(power * hertz, np.log(hertz), axis=1) / BAND * (2.0 / 3.0) / rate
    gains = LOUD / np.sqrt(density * 24000.0)
    return fixed(gains.astype(np.float32)), fixed(np.column_stack([zeros[:, -1], poles[:, -1]]).astype(np.float32))


def top_of(rate: float) -> NDArray[np.float32]:
    """Sections of a low-pass at `TOP`, Butterworth of sixth order, float32 (section, 5); none where the rate ends there."""
    if rate < 2.5 * TOP:
        return np.zeros((0, 5), np.float32)
    from scipy.signal import butter

    return np.asarray(np.delete(butter(6, TOP, fs=rate, output="sos"), 3, axis=1), np.float32)


def texture_of(asset: Asset | None, rate: float) -> NDArray[np.float32]:
    """A recording at the rate, its end faded into its beginning, float32 (2, frame); (2, 0) where there is none."""
    sound = assets.load(asset)
    if sound is None or asset is None:
        return np.zeros((2, 0), np.float32)
    import soxr

    both = np.repeat(sound, 2, axis=0) if sound.shape[0] == 1 else sound
    if asset.rate != rate:
        both = soxr.resample(both.T, asset.rate, rate).T
    seam = min(SEAM, both.shape[1] // 2)
    fade = np.sin(np.linspace(0, np.pi / 2, seam, dtype=np.float32))
    body = both[:, : both.shape[1] - seam].copy()
    body[:, :seam] = body[:, :seam] * fade + both[:, both.shape[1] - seam :] * fade[::-1]
    level = np.float32(LOUD / max(float(np.sqrt(np.square(body).mean())), 1e-6))
    made: NDArray[np.float32] = np.ascontiguousarray(
        np.concatenate([body, body[:, :1]], axis=1) * min(level, np.float32(8))
    )
    return made


@kernel
def _slope_to(control, state, row, t, rate):
    """Coefficients of a row for the slope at a tick."""
    places, gains, last = state.places, state.gains, state.last
    slope = np.float64(control[SLOPE_AT, row, t])
    shift = 2.0 ** (-slope / 6.020599913279624)
    pole = LOWEST
    count = state.filters.shape[2] - state.top.shape[0]
    for k in range(count - 1):
        places[row, 2 * k] = np.float32(math.exp(-2.0 * math.pi * pole * shift / rate))
        places[row, 2 * k + 1] = np.float32(math.exp(-2.0 * math.pi * pole / rate))
        pole *= 2.0
    place = (slope + STEEPEST) * 4.0
    i = min(int(place), gains.shape[0] - 2)
    part = np.float32(place - i)
    for side in range(2):
        places[row, 2 * count - 2 + side] = last[i, side] + part * (last[i + 1, side] - last[i, side])
    places[row, 2 * count] = gains[i] + part * (gains[i + 1] - gains[i])
    places[row, 2 * count + 1] = control[SLOPE_AT, row, t]


class NoiseState(NamedTuple):
    """The texture, and what every note stands at.

    Attributes
    ----------
    texture : float32 (2, frame)
        A recording that goes round; (2, 0) where there is none.
    gains : float32 (slope,)
        What brings the noise of every slope to the same level.
    last : float32 (slope, 2)
        Zero and pole of the last section for every slope.
    top : float32 (section, 5)
        Low-pass above which a finer rate has no noise.
    steady : float32 (1,)
        What brings values that are held, or read from a texture, to the level of those of every frame.
    seeds : uint64 (row, side)
    held : float64 (row, 4)
        Phase of the steps, what is held left and right, and the place in the texture.
    filters : float32 (row, side, section, 2)
        Of the slope, and behind them those of the low-pass.
    places : float32 (row, …)
        Zero and pole of every section, the gain, and the slope for which they were worked out.
    means : float32 (row, side)
        What lies below 5 Hz, and is taken off.
    """

    texture: NDArray[np.float32]
    gains: NDArray[np.float32]
    last: NDArray[np.float32]
    top: NDArray[np.float32]
    steady: NDArray[np.float32]
    seeds: NDArray[np.uint64]
    held: NDArray[np.float64]
    filters: NDArray[np.float32]
    places: NDArray[np.float32]
    means: NDArray[np.float32]


def prepare_noise(module: Noise, stage: Stage) -> NoiseState:
    """The texture, the levels, and the state of no note."""
    gains, last = slope_table(stage.rate)
    count, top = sections(stage.rate), top_of(stage.rate)
    return NoiseState(
        texture=texture_of(module.asset, stage.rate),
        gains=gains,
        last=last,
        top=fixed(top),
        steady=fixed(np.full(1, math.sqrt(48000.0 / stage.rate), np.float32)),
        seeds=np.zeros((stage.rows, 2), np.uint64),
        held=np.zeros((stage.rows, 4)),
        filters=np.zeros((stage.rows, 2, count + len(top), 2), np.float32),
        places=np.full((stage.rows, 2 * count + 2), UNKNOWN, np.float32),
        means=np.zeros((stage.rows, 2), np.float32),
    )


@kernel
def _low_pass(section, filters, out, first, last):
    """A section over both sides, transposed form II."""
    for side in range(2):
        s1, s2 = filters[side, 0], filters[side, 1]
        for n in range(first, last):
            x = out[side, n]
            y = section[0] * x + s1
            s1 = section[1] * x - section[3] * y + s2
            s2 = section[2] * x - section[4] * y
            out[side, n] = y
        filters[side, 0], filters[side, 1] = s1, s2


def at_rate(state: NoiseState, finer: float) -> None:
    """The place in a texture is in frames; what was worked out for the slope is worked out again."""
    state.held[:, PLACE] *= finer
    state.places.fill(UNKNOWN)


@plays_each(Noise, prepare_noise, NoiseState, at_rate)
@kernel
def play_noise(notes, state, row, first):
    """Plays one note; nothing can move the phase of a noise."""
    out, frequency, control, tick, rate, begin = (
        notes.out,
        notes.frequency,
        notes.control,
        notes.tick,
        notes.rate,
        notes.begin,
    )
    ticks, count, top = frequency.shape[1] - 1, state.filters.shape[2] - state.top.shape[0], state.top.shape[0]
    length = state.texture.shape[1] - 1
    if begin[0, row] >= 0:
        for side in range(2):
            seed = chance(lot_of(notes, row), 20_000_000 + side) * 9007199254740992.0
            state.seeds[row, side] = np.uint64(np.int64(seed)) | np.uint64(1)
            for k in range(count + top):
                state.filters[row, side, k, 0] = state.filters[row, side, k, 1] = np.float32(0.0)
            state.means[row, side] = np.float32(0.0)
        state.held[row, PHASE] = 1.0
        state.held[row, PLACE] = chance(lot_of(notes, row), 20_000_003) * max(length, 1)
    calm = np.float32(1.0 - math.exp(-2.0 * math.pi * CALM / rate))
    for t in range(first, ticks):
        if control[SLOPE_AT, row, t] != state.places[row, 2 * count + 1]:
            _slope_to(control, state, row, t, rate)
        plain = control[SLOPE_AT, row, t] == np.float32(0.0)
        stepped = control[HOLD, row, t] > 0.5
        follows = control[FOLLOW, row, t] > 0.5
        f = np.float64(frequency[row, t])
        step = (f * np.float64(control[RATIO, row, t]) if follows else np.float64(control[RATE, row, t])) / rate
        speed = min(f / MIDDLE_C, 8.0) if follows else 1.0
        angle = np.float64(control[WIDTH, row, t]) * math.pi / 4
        middle, side_ = np.float32(math.cos(angle)), np.float32(math.sin(angle))
        gain = state.places[row, 2 * count] * (state.steady[0] if stepped or length > 0 else np.float32(1.0))
        for n in range(t * tick, (t + 1) * tick):
            state.held[row, PHASE] += step
            if not stepped or state.held[row, PHASE] >= 1.0:
                state.held[row, PHASE] -= np.floor(state.held[row, PHASE])
                if length > 0:
                    i = int(state.held[row, PLACE])
                    part = np.float32(state.held[row, PLACE] - i)
                    state.held[row, LEFT] = state.texture[0, i] + part * (state.texture[0, i + 1] - state.texture[0, i])
                    state.held[row, RIGHT] = state.texture[1, i] + part * (
                        state.texture[1, i + 1] - state.texture[1, i]
                    )
                else:
                    state.held[row, LEFT], state.held[row, RIGHT] = (
                        white(state.seeds, row, 0),
                        white(state.seeds, row, 1),
                    )
            if length > 0:
                state.held[row, PLACE] += speed
                if state.held[row, PLACE] >= length:
                    state.held[row, PLACE] -= length
            out[row, 0, n], out[row, 1, n] = np.float32(state.held[row, LEFT]), np.float32(state.held[row, RIGHT])
        if not plain:
            for side in range(2):
                for k in range(count):
                    zero, pole = state.places[row, 2 * k], state.places[row, 2 * k + 1]
                    x1, y1 = state.filters[row, side, k, 0], state.filters[row, side, k, 1]
                    for n in range(t * tick, (t + 1) * tick):
                        x = out[row, side, n]
                        y1 = x - zero * x1 + pole * y1
                        x1 = x
                        out[row, side, n] = y1
                    if abs(y1) < np.float32(1e-20):
                        y1 = np.float32(0.0)
                    state.filters[row, side, k, 0], state.filters[row, side, k, 1] = x1, y1
        for k in range(0 if length > 0 else top):
            _low_pass(state.top[k], state.filters[row, :, count + k], out[row], t * tick, (t + 1) * tick)
        if not plain:
            for side in range(2):
                mean = state.means[row, side]
                for n in range(t * tick, (t + 1) * tick):
                    mean += calm * (out[row, side, n] - mean)
                    out[row, side, n] -= mean
                state.means[row, side] = mean
        if length > 0:
            flat = state.gains[state.gains.shape[0] // 2] * state.steady[0]
            gain = np.float32(1.0) if plain else gain / flat
        for n in range(t * tick, (t + 1) * tick):
            a, b = out[row, 0, n] * gain, out[row, 1, n] * gain
            if length > 0:
                mid, apart = np.float32(0.5) * (a + b), np.float32(0.5) * (a - b)
                width = control[WIDTH, row, t]
                out[row, 0, n], out[row, 1, n] = mid + width * apart, mid - width * apart
            else:
                out[row, 0, n], out[row, 1, n] = middle * a + side_ * b, middle * a - side_ * b
