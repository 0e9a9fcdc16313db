"""Noise: of any slope, as wide as wished, held in steps if wished, or a texture that goes round."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.asset import Asset
from felt_dial.patch.module import Source
from felt_dial.patch.params import LOG, Param, Switch
from felt_dial.patch.units import FACTOR, HERTZ, PERCENT, SLOPE
from felt_dial.sound import assets
from felt_dial.sound.chance import chance
from felt_dial.sound.kernel import Stage, kernel, works_for

SECTIONS = 11
LOWEST = 20.0
"""Hz of the first of the sections, which lie an octave apart."""
STEEPEST = 12.0
LOUD = 0.25
"""Effective value of the noise, whatever its slope."""
SEAM = 4800
"""Frames over which the end of a texture fades into its beginning."""


class Noise(Source, kind="noise"):
    """Noise of any slope, from a rumble over white to hiss; or a texture, a recording that goes round."""

    slope = Param(
        "Slope", 0.0, (-STEEPEST, STEEPEST), SLOPE, says="How the noise rises or falls by octave: 0 is white, −3 pink."
    )
    width = Param("Width", 1.0, (0.0, 1.0), PERCENT, says="How different left and right are.")
    hold = Switch("Hold", False, says="Holds each value of the noise for a while, in steps.")
    rate = Param("Hold rate", 2000.0, (20.0, 20000.0), HERTZ, taper=LOG, says="How many steps a second.")
    follow = Switch("Follows key", False, says="The steps, or the texture, follow the pitch of the note.")
    ratio = Param("Steps a turn", 8.0, (0.25, 64.0), FACTOR, taper=LOG, says="Steps in one turn of the note.")
    asset: Asset | None = None

    def substance(self) -> tuple[object, ...]:
        return (self.asset,)

    def gist(self) -> str:
        return self.asset.name if self.asset else self.params["slope"].write(self.get("slope"))

    def prepare(self, stage: Stage) -> tuple[NDArray, ...]:
        """The texture, levels for every slope, and per row: chance, what is held, the filters."""
        return (
            texture_of(self.asset, stage.rate),
            slope_gains(stage.rate),
            np.zeros((stage.rows, 2), np.uint64),
            np.zeros((stage.rows, 4)),
            np.zeros((stage.rows, 2, SECTIONS, 2), np.float32),
            np.full((stage.rows, 2 * SECTIONS + 2), 99.0, np.float32),
        )


SLOPE_AT, WIDTH, HOLD, RATE, FOLLOW, RATIO = (
    Noise.row_of(name) for name in ("slope", "width", "hold", "rate", "follow", "ratio")
)
PHASE, LEFT, RIGHT, PLACE = range(4)
MIDDLE_C = 440.0 * 2.0 ** (-9 / 12)


def _places(slope: NDArray | float, rate: float) -> tuple[NDArray, NDArray]:
    """Zeros and poles of the sections on the z axis, each (…, section).

    Poles an octave apart and zeros shifted against them by the slope over 6.02 dB: J. O. Smith and
    H. F. Smith, “Closed form fractional integration and differentiation via real exponentially spaced
    pole-zero pairs”, 2016; mapped by the matched z transform.
    """
    poles = LOWEST * 2.0 ** np.arange(SECTIONS)
    zeros = poles * 2.0 ** (-np.asarray(slope)[..., None] / (20 * math.log10(2)))
    return np.exp(-2 * np.pi * zeros / rate), np.broadcast_to(np.exp(-2 * np.pi * poles / rate), zeros.shape)


def slope_gains(rate: float) -> NDArray[np.float32]:
    """What brings the noise of a slope to the same effective value, for slopes from −12 to 12 in steps of ¼ dB."""
    slopes = np.arange(-STEEPEST, STEEPEST + 0.01, 0.25)
    hertz = np.geomspace(0.5, 0.5 * rate, 4096)
    at = np.exp(2j * np.pi * hertz / rate)
    zeros, poles = _places(slopes, rate)
    power = np.ones((len(slopes), len(at)))
    for k in range(SECTIONS):
        power *= np.abs((at - zeros[:, k, None]) / (at - poles[:, k, None])) ** 2
    mean = np.trapezoid(power * hertz, np.log(hertz), axis=1) / (0.5 * rate)
    return np.asarray(LOUD / np.sqrt(mean / 3), np.float32)


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


@kernel(inline=True)
def _white(state, row, side):  # type: ignore[no-untyped-def]
    """The next number from −1 to 1: xorshift64*, S. Vigna, ACM TOMS 42(4), 2016."""
    x = state[row, side]
    x ^= x >> np.uint64(12)
    x ^= x << np.uint64(25)
    x ^= x >> np.uint64(27)
    state[row, side] = x
    return np.float32(np.int64((x * np.uint64(0x2545F4914F6CDD1D)) >> np.uint64(40))) * np.float32(
        2.0 / 16777216.0
    ) - np.float32(1.0)


@kernel
def _slope_to(control, gains, places, row, t, rate):  # type: ignore[no-untyped-def]
    """Coefficients of a row for the slope at a tick."""
    slope = np.float64(control[SLOPE_AT, row, t])
    shift = 2.0 ** (-slope / 6.020599913279624)
    pole = LOWEST
    for k in range(SECTIONS):
        places[row, 2 * k] = np.float32(math.exp(-2.0 * math.pi * pole * shift / rate))
        places[row, 2 * k + 1] = np.float32(math.exp(-2.0 * math.pi * pole / rate))
        pole *= 2.0
    place = (slope + STEEPEST) * 4.0
    i = min(int(place), gains.shape[0] - 2)
    places[row, 2 * SECTIONS] = gains[i] + np.float32(place - i) * (gains[i + 1] - gains[i])
    places[row, 2 * SECTIONS + 1] = control[SLOPE_AT, row, t]


@works_for(Noise)
@kernel
def run_noise(  # type: ignore[no-untyped-def]
    out, frequency, turn, control, active, begin, tick, rate, limit, texture, gains, state, held, filters, places
):
    """Replaces `out[row]` for every active row. Nothing can move the phase of a noise: `turn` is left alone."""
    ticks = frequency.shape[1] - 1
    length = texture.shape[1] - 1
    for row in active:
        first = max(begin[0, row], 0)
        for n in range(first * tick):
            out[row, 0, n] = out[row, 1, n] = np.float32(0.0)
        if begin[0, row] >= 0:
            for side in range(2):
                seed = chance(begin[1, row], 20_000_000 + side) * 9007199254740992.0
                state[row, side] = np.uint64(np.int64(seed)) | np.uint64(1)
                for k in range(SECTIONS):
                    filters[row, side, k, 0] = filters[row, side, k, 1] = np.float32(0.0)
            held[row, PHASE] = 1.0
            held[row, PLACE] = chance(begin[1, row], 20_000_003) * max(length, 1)
        for t in range(first, ticks):
            if control[SLOPE_AT, row, t] != places[row, 2 * SECTIONS + 1]:
                _slope_to(control, gains, places, row, t, rate)
            plain = control[SLOPE_AT, row, t] == np.float32(0.0)
            stepped = control[HOLD, row, t] > 0.5
            follows = control[FOLLOW, row, t] > 0.5
            f = np.float64(frequency[row, t])
            step = (f * np.float64(control[RATIO, row, t]) if follows else np.float64(control[RATE, row, t])) / rate
            speed = min(f / MIDDLE_C, 8.0) if follows else 1.0
            angle = np.float64(control[WIDTH, row, t]) * math.pi / 4
            middle, side_ = np.float32(math.cos(angle)), np.float32(math.sin(angle))
            gain = places[row, 2 * SECTIONS]
            for n in range(t * tick, (t + 1) * tick):
                held[row, PHASE] += step
                if not stepped or held[row, PHASE] >= 1.0:
                    held[row, PHASE] -= np.floor(held[row, PHASE])
                    if length > 0:
                        i = int(held[row, PLACE])
                        part = np.float32(held[row, PLACE] - i)
                        held[row, LEFT] = texture[0, i] + part * (texture[0, i + 1] - texture[0, i])
                        held[row, RIGHT] = texture[1, i] + part * (texture[1, i + 1] - texture[1, i])
                    else:
                        held[row, LEFT], held[row, RIGHT] = _white(state, row, 0), _white(state, row, 1)
                if length > 0:
                    held[row, PLACE] += speed
                    if held[row, PLACE] >= length:
                        held[row, PLACE] -= length
                out[row, 0, n], out[row, 1, n] = np.float32(held[row, LEFT]), np.float32(held[row, RIGHT])
            if not plain:
                for side in range(2):
                    for k in range(SECTIONS):
                        zero, pole = places[row, 2 * k], places[row, 2 * k + 1]
                        x1, y1 = filters[row, side, k, 0], filters[row, side, k, 1]
                        for n in range(t * tick, (t + 1) * tick):
                            x = out[row, side, n]
                            y1 = x - zero * x1 + pole * y1
                            x1 = x
                            out[row, side, n] = y1
                        if abs(y1) < np.float32(1e-20):
                            y1 = np.float32(0.0)
                        filters[row, side, k, 0], filters[row, side, k, 1] = x1, y1
            if length > 0:
                gain = np.float32(1.0) if plain else gain / gains[gains.shape[0] // 2]
            for n in range(t * tick, (t + 1) * tick):
                a, b = out[row, 0, n] * gain, out[row, 1, n] * gain
                if length > 0:
                    mid, apart = np.float32(0.5) * (a + b), np.float32(0.5) * (a - b)
                    width = control[WIDTH, row, t]
                    out[row, 0, n], out[row, 1, n] = mid + width * apart, mid - width * apart
                else:
                    out[row, 0, n], out[row, 1, n] = middle * a + side_ * b, middle * a - side_ * b
