"""Makes the wavetables that come with the program: `python tools/make_tables.py`.

Each is 32 cycles of 2048 samples, worked out from its harmonics and kept as 16-bit FLAC under the
digest of its samples, with `tables.json` beside them to say what they are called.
"""

from __future__ import annotations

import io
import json
from collections.abc import Callable
from pathlib import Path

import numpy as np
import soundfile
from numpy.typing import NDArray

from felt_dial.sound.matter.assets import SHIPPED, digest_of

FRAMES, CYCLE, HARMONICS = 32, 2048, 512
H = np.arange(1, HARMONICS + 1, dtype=np.float64)
Spectrum = NDArray[np.complex128]


def sines(amplitudes: NDArray) -> Spectrum:
    """Harmonics as sines with the given amplitudes."""
    return -1j * np.asarray(amplitudes, np.complex128)


def of_cycle(cycle: NDArray) -> Spectrum:
    """Harmonics of a drawn cycle."""
    return np.asarray(np.fft.rfft(cycle)[1 : HARMONICS + 1] * (2.0 / len(cycle)))


def saw() -> NDArray:
    return np.asarray((-1.0) ** (H + 1) / H)


def soft(corner: float, slope: float = 2.0) -> NDArray:
    return np.asarray(1.0 / (1.0 + (H / corner) ** slope))


def peak(centre: float, width: float) -> NDArray:
    return np.asarray(np.exp(-(((H - centre) / width) ** 2)))


def turn() -> NDArray:
    return np.arange(CYCLE * 4) / (CYCLE * 4)


# --- analogue-like -------------------------------------------------------------------------------


def window_saw(t: float) -> Spectrum:
    odd = np.where(H % 2 == 1, 1.0 / H, 0.0)
    return sines(((1 - t) * np.abs(saw()) + 1.3 * t * odd) * soft(60))


def damp_saw(t: float) -> Spectrum:
    return sines(saw() * soft(2.0 * 128**t, 3.0))


def narrow_gate(t: float) -> Spectrum:
    width = 0.5 - 0.46 * t
    return np.asarray((1 - np.exp(-2j * np.pi * H * width)) / H * soft(160) * -1j)


def twin_rise(t: float) -> Spectrum:
    x = turn() * 2 ** (2.0 * t)
    return of_cycle(2 * (x % 1.0) - 1) * soft(200)


# --- vocal-like ----------------------------------------------------------------------------------

VOWELS = ((730, 1090, 2440), (530, 1840, 2480), (270, 2290, 3010), (570, 840, 2410), (300, 870, 2240))
"""First three formants in Hz of a, e, i, o, u as spoken by men: Peterson and Barney, JASA 24 (1952), from memory."""


def throat(t: float, order: tuple[int, ...], voice: float, width: float, tilt: float) -> Spectrum:
    place = t * (len(order) - 1)
    n = min(int(place), len(order) - 2)
    formants = [
        (1 - place + n) * a + (place - n) * b for a, b in zip(VOWELS[order[n]], VOWELS[order[n + 1]], strict=True)
    ]
    level = 0.02 + sum(
        gain * peak(f / voice, width * f / voice / 6) for f, gain in zip(formants, (1, 0.6, 0.35), strict=True)
    )
    return sines(level / H**tilt)


def gardener(t: float) -> Spectrum:
    return throat(t, (0, 1, 2, 3, 4), 110, 1.0, 0.6)


def loft_choir(t: float) -> Spectrum:
    phases = np.random.default_rng(11).uniform(0, 2 * np.pi, HARMONICS)
    return throat(t, (4, 3, 0), 130, 1.8, 0.8) * np.exp(1j * phases)


def reed_throat(t: float) -> Spectrum:
    return sines((0.03 + peak(3 + 22 * t, 1.6)) / H**0.4)


def answer(t: float) -> Spectrum:
    return throat(t, (2, 0, 2, 4), 90, 0.7, 0.5)


# --- bell-like -----------------------------------------------------------------------------------


def bell(t: float, ratio: int, most: float) -> Spectrum:
    """Two sines, one swinging the other's phase (Chowning 1973), as harmonics."""
    x = turn()
    return of_cycle(np.sin(2 * np.pi * x + most * t * np.sin(2 * np.pi * ratio * x)))


def pane_bell(t: float) -> Spectrum:
    return bell(t, 3, 5.0)


def drip_bell(t: float) -> Spectrum:
    return bell(t, 7, 3.5)


def copper_rim(t: float) -> Spectrum:
    primes = [h for h in range(2, 90) if all(h % d for d in range(2, h))]
    level = np.where(H == 1, 0.8, 0.0)
    for n, prime in enumerate(primes):
        level[prime - 1] = np.exp(-n * (0.5 - 0.42 * t)) * (0.6 if n % 2 else 1.0)
    return sines(level)


def frost(t: float) -> Spectrum:
    return sines(np.where(H == 1, 0.7, 0.0) + 0.5 * peak(12 + 40 * t, 3.0) * np.where(H % 3 == 0, 1.0, 0.25))


# --- bowed ---------------------------------------------------------------------------------------


def bow_place(t: float) -> Spectrum:
    """A string bowed at a part of its length: harmonics that have a node there are missing (common practice)."""
    place = 0.5 - 0.44 * t
    return sines(np.sin(np.pi * H * place) / H / place**0.5 * soft(90))


def bow_weight(t: float) -> Spectrum:
    return sines(saw() * np.exp(-H / (4 + 120 * t**2)) * (1 + 0.5 * np.cos(np.pi * H / 7)))


def fiddle_body(t: float) -> Spectrum:
    body = 0.2 + peak(2 + t, 0.8) + 0.9 * peak(5 + 2 * t, 1.2) + 0.7 * peak(13 + 6 * t, 4) + 0.25 * peak(30, 9)
    return sines(body / H)


def double_stop(t: float) -> Spectrum:
    two, three = np.where(H % 2 == 0, 2.0 / H, 0.0), np.where(H % 3 == 0, 3.0 / H, 0.0)
    return sines(((1 - t) * two + t * three + 0.15 / H) * soft(70))


# --- digital -------------------------------------------------------------------------------------


def stair_lattice(t: float) -> Spectrum:
    steps = 32 - 29 * t
    return of_cycle(np.round(np.sin(2 * np.pi * turn()) * steps / 2) / steps * 2) * soft(220)


def crossed_leaves(t: float) -> Spectrum:
    n = (turn() * 256).astype(int)
    return of_cycle(((n ^ (n * (3 + 2 * int(t * 15)) >> 2)) % 256) / 128.0 - 1) * soft(150)


def phase_thorn(t: float) -> Spectrum:
    x, knee = turn(), 0.5 - 0.47 * t
    return of_cycle(-np.cos(2 * np.pi * np.where(x < knee, x * 0.5 / knee, 0.5 + (x - knee) * 0.5 / (1 - knee))))


def seeded_stairs(t: float) -> Spectrum:
    chance = np.random.default_rng(23)
    a, b = chance.uniform(-1, 1, 16), chance.uniform(-1, 1, 16)
    held = (1 - t) * a + t * b
    return of_cycle(held[(turn() * 16).astype(int)]) * soft(180)


# --- sweeps --------------------------------------------------------------------------------------


def sweeping_peak(t: float) -> Spectrum:
    corner = 2.0 * 64**t
    return sines(saw() * soft(corner, 4.0) + 0.9 * peak(corner, 0.6 + corner * 0.06) / corner**0.35)


def harmonic_climb(t: float) -> Spectrum:
    place = 1 + 23 * t
    return sines(np.maximum(0.0, 1 - np.abs(H - place)) + np.where(H == 1, 0.4, 0.0))


def comb_sweep(t: float) -> Spectrum:
    return sines(np.abs(saw()) * (1 + 0.98 * np.cos(np.pi * H * (0.05 + 0.9 * t))) * soft(150))


def odd_even(t: float) -> Spectrum:
    return sines(np.where(H % 2 == 1, 1 - 0.95 * t, 0.05 + t) * np.where(H == 1, 1.0, 1 / H) * soft(120))


TABLES: dict[str, dict[str, Callable[[float], Spectrum]]] = {
    "Analogue": {"Window Saw": window_saw, "Damp Saw": damp_saw, "Narrow Gate": narrow_gate, "Twin Rise": twin_rise},
    "Vocal": {"Gardener": gardener, "Loft Choir": loft_choir, "Reed Throat": reed_throat, "Answer": answer},
    "Bell": {"Pane Bell": pane_bell, "Drip Bell": drip_bell, "Copper Rim": copper_rim, "Frost": frost},
    "Bowed": {"Bow Place": bow_place, "Bow Weight": bow_weight, "Fiddle Body": fiddle_body, "Double Stop": double_stop},
    "Digital": {
        "Stair Lattice": stair_lattice,
        "Crossed Leaves": crossed_leaves,
        "Phase Thorn": phase_thorn,
        "Seeded Stairs": seeded_stairs,
    },
    "Sweep": {
        "Sweeping Peak": sweeping_peak,
        "Harmonic Climb": harmonic_climb,
        "Comb Sweep": comb_sweep,
        "Odd and Even": odd_even,
    },
}


def cycles(make: Callable[[float], Spectrum]) -> NDArray[np.int16]:
    """All frames of a table at one loudness, 16-bit."""
    full = np.zeros((FRAMES, CYCLE // 2 + 1), np.complex128)
    for n in range(FRAMES):
        spectrum = make(n / (FRAMES - 1))
        full[n, 1 : HARMONICS + 1] = spectrum / np.sqrt(np.square(np.abs(spectrum)).sum())
    sound = np.fft.irfft(full, CYCLE, axis=1)
    return np.rint(sound / np.abs(sound).max() * 32000).astype(np.int16).ravel()


def make(folder: Path) -> None:
    """Writes every table and their list."""
    folder.mkdir(parents=True, exist_ok=True)
    listed = []
    for family, members in TABLES.items():
        for name, build in members.items():
            data = cycles(build)
            sound = (data / 32768.0).astype(np.float32)[None]
            digest = digest_of(sound)
            memory = io.BytesIO()
            soundfile.write(memory, data, 48000, format="FLAC", subtype="PCM_16")
            (folder / f"{digest}.flac").write_bytes(memory.getvalue())
            listed.append({"name": name, "family": family, "digest": digest, "frames": len(data), "cycle": CYCLE})
    (folder / "tables.json").write_text(json.dumps(listed, indent=1) + "\n")


if __name__ == "__main__":
    make(SHIPPED)
    print(f"{sum(len(group) for group in TABLES.values())} tables in {SHIPPED}")
