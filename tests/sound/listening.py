"""Measuring rendered audio: the tools of the checks, none of them from the product."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import signal

from felt_dial.patch.patch import Patch, with_value
from felt_dial.patch.phrase import Note
from felt_dial.patch.shaping import WAYS
from felt_dial.sound.compiling.compiled import arrays_of, kernel_of
from felt_dial.sound.compiling.kernel import Stage
from felt_dial.sound.modules import new_patch
from felt_dial.sound.render import render
from felt_dial.sound.sizes import BLOCK
from felt_dial.sound.tone.kernels.core.transfer import areas
from felt_dial.sound.tone.kernels.core.voices import NO_SWING

Sound = NDArray[np.float64]
RATE = 48000
TICKS = BLOCK // 16
HALF = 20 * np.log10(0.5)
"""Level of the test layer: a saw rings above 1 at its edges, and the output stops there."""


def areas_of(way: str, x: NDArray[np.float64], table: NDArray[np.float64]) -> NDArray[np.float64]:
    """Area under a curve up to each value, as the engine has it; all lanes are the same."""
    lanes = np.repeat(x[:, None], 8, axis=1)
    found = np.zeros_like(lanes)
    areas(list(WAYS).index(way), lanes, found, 0, len(x), table)
    assert (found == found[:, :1]).all()
    return found[:, 0]


def plain(**values: object) -> Patch:
    """One layer with an organ-like level: full at once, full while held, at half of full. Values by path, `__` for dots."""
    steady = {
        "modulators__e1__attack": 0.0,
        "modulators__e1__decay": 0.0,
        "modulators__e1__sustain": 1.0,
        "modulators__e1__release": 0.0,
        "layers__a__level": HALF,
        "layers__a__pan": -1.0,
    }
    patch = new_patch()
    for path, value in (steady | values).items():
        patch = with_value(patch, path.replace("__", "."), value)
    return patch


def steady(patch: Patch, key: int, frames: int = 65536, rate: int = RATE, quality: int = 1) -> NDArray[np.float64]:
    """The left channel of a held note, its first tenth of a second left out; shape (frames,)."""
    skip = rate // 10
    seconds = (skip + frames) / rate
    sound = render(patch, [Note(0.0, seconds + 1, key)], seconds, rate=rate, quality=quality)
    return 2 * sound[0, skip : skip + frames].astype(np.float64)


def sine(frequency: float, level: float = 0.0, seconds: float = 1.0) -> NDArray[np.float64]:
    """A sine on both sides, float64 (2, frame)."""
    t = np.arange(round(seconds * RATE)) / RATE
    return np.tile(10 ** (level / 20) * np.sin(2 * np.pi * frequency * t), (2, 1))


def tone(frequency: float, level: float = -12.0, seconds: float = 0.5) -> NDArray[np.float64]:
    """A sine of whole blocks."""
    return sine(frequency, level, int(seconds * RATE) // BLOCK * BLOCK / RATE)


def noise(seconds: float = 1.0, level: float = -12.0) -> NDArray[np.float64]:
    """The same noise every time, another on each side, float64 (2, frame)."""
    return 10 ** (level / 20) * np.random.default_rng(4).uniform(-1, 1, (2, round(seconds * RATE)))


def amplitude_at(sound: NDArray[np.float64], frequency: float, rate: int = RATE) -> float:
    """Amplitude of the sine at a frequency, by a flat-top window."""
    window = signal.windows.flattop(len(sound), sym=False)
    turn = np.exp(-2j * np.pi * frequency / rate * np.arange(len(sound)))
    return float(2 * np.abs((sound * window * turn).sum()) / window.sum())


def decibels(value: float) -> float:
    return float(20 * np.log10(max(value, 1e-12)))


def exact_frequency(sound: NDArray[np.float64], near: float, rate: int = RATE) -> float:
    """Frequency of the partial near a guess: the phase that advances between two halves."""
    half = len(sound) // 2
    window = signal.windows.blackmanharris(half, sym=False)
    turn = np.exp(-2j * np.pi * near / rate * np.arange(half))
    first, second = (sound[:half] * window * turn).sum(), (sound[half:] * window * turn).sum()
    advance = np.angle(second / first) - 2 * np.pi * near / rate * half
    error = (advance + np.pi) % (2 * np.pi) - np.pi
    return float(near + error / (2 * np.pi * half) * rate)


def worst_alias(sound: NDArray[np.float64], fundamental: float, rate: int = RATE) -> float:
    """dB of the strongest partial that is no harmonic, below the strongest of all (Kaiser window, β = 20)."""
    size = len(sound)
    spectrum = np.abs(np.fft.rfft(sound * signal.windows.kaiser(size, 20.0, sym=False)))
    frequencies = np.fft.rfftfreq(size, 1 / rate)
    lobe = 9 * rate / size
    distance = np.abs(frequencies - fundamental * np.round(frequencies / fundamental))
    other = spectrum[(distance > lobe) & (frequencies > lobe)]
    return decibels(float(other.max() / spectrum.max()))


def through(
    module: Any, sound: Sound, key: float = 57.0, moved: dict[str, Sound] | None = None, swing: Sound | None = None
) -> Sound:
    """A sound (channel, frame) through the kernel of a filter or drive as one voice, block by block.

    `moved` gives a parameter a course of its own, one value a tick.
    """
    names = list(module.params)
    stage = Stage(RATE, BLOCK, 1)
    state, kernel = arrays_of(module, stage), kernel_of(module)
    line, hertz = (
        np.full((1, TICKS + 1), key, np.float32),
        np.full((1, TICKS + 1), 440 * 2 ** ((key - 69) / 12), np.float32),
    )
    rows, start, out = np.zeros(1, np.int32), np.zeros(1, np.int32), []
    padded = np.pad(sound, ((0, 0), (0, -sound.shape[1] % BLOCK)))
    for n, at in enumerate(range(0, padded.shape[1], BLOCK)):
        control = np.zeros((len(names), 1, TICKS + 1), np.float32)
        for row, name in enumerate(names):
            control[row] = module.params[name].encode(module.get(name))
            if moved and name in moved:
                control[row] = moved[name][n * TICKS : (n + 1) * TICKS + 1]
        block = padded[None, :, at : at + BLOCK].astype(np.float32).copy()
        turned = NO_SWING if swing is None else swing[None, at : at + BLOCK].astype(np.float32)
        kernel(block, control, line, hertz, rows, start, 16, float(RATE), turned, *state)
        start[:] = -1
        out.append(block[0].astype(np.float64))
    return np.concatenate(out, axis=1)[:, : sound.shape[1]]


def response(filter_: Any, key: float = 57.0, level: float = -60.0) -> tuple[Sound, Sound]:
    """Frequencies, and dB of the response to a soft impulse, so that nothing bends."""
    impulse = np.zeros((2, 65536))
    impulse[:, 0] = 10 ** (level / 20)
    out = through(filter_, impulse, key)
    response = np.abs(np.fft.rfft(out[0])) / 10 ** (level / 20)
    return np.fft.rfftfreq(65536, 1 / RATE), 20 * np.log10(response + 1e-12)


K_WEIGHTING = np.array(
    [
        [1.53512485958697, -2.69169618940638, 1.19839281085285, 1.0, -1.69065929318241, 0.73248077421585],
        [1.0, -2.0, 1.0, 1.0, -1.99004745483398, 0.99007225036621],
    ]
)
"""Both filters of ITU-R BS.1770-4 at 48 kHz, Annex 1, tables 1 and 2."""


def weighted_level(sound: NDArray[np.float64]) -> float:
    """dB of a sound (frame,) as it is heard, ITU-R BS.1770-4 without gates."""
    heard = signal.sosfilt(K_WEIGHTING, sound)
    return decibels(float(np.sqrt(np.square(heard).mean())))
