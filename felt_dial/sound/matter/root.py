"""At which key a recording sounds, and how sure that is: the one answer that loader, drawer, benches and command line give.

Peaks of the spectrum that stand through the sound are held against harmonic series, straight and stiff, and against the partials
of a bell. What one series explains, with its low harmonics there, is sure; two notes at once, noise and glides are not.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.units import CENTS, note_name

Floats = NDArray[np.float64]

LOWEST, HIGHEST = 24.0, 4400.0
"""Hz between which a root is looked for."""
TOP = 9000.0
"""Hz up to which partials are looked at."""
LISTENED = 10.0
"""Seconds of a recording that are listened to for its root."""
WINDOWS, LONG, SHORT = 6, 0.34, 0.06
"""How many spectra are taken, and how many seconds each lasts at the most and at the least."""
CLEAR_DB, DEEP_DB = 10.0, 48.0
"""By how much a peak stands over what is around it, and how far it may lie under the highest."""
MOST_PEAKS, TRIED, PARTS = 56, 12, 14
"""Peaks that are kept, the strongest of which a root is guessed from, and as which partial each is taken."""
CLOSE = 0.012
"""How far a partial may lie from its place, as a part of it: 20 cents."""
SURE = 0.6
"""From here on a root is taken without a word of doubt."""
UNSURE = "not sure: listen"
"""What is said beside a root that is no more than a guess."""
CHORDAL = 0.4
"""The lowest note of what is no one note is to explain so much of what the best series explains."""
WAVERS = 1.5
"""Semitones within which a pitch wavers."""
STEADY = 0.8
"""What stands still so far does not glide, whatever a pitch over time says."""
GLIDES = 0.8
"""Semitones between beginning and end from which a recording is said to glide."""
PURE = 4.0
"""Cents by which partials may miss the places of a series whose fundamental is not there; those of a chord miss by 7 and more."""
REACHES, FITTED, STIFFEST = (10, 20, 36, 64), 5, 2e-3
"""Up to which partial a series is fitted, time after time; how many it takes to tell how stiff it is, and the stiffest B."""
TURNS = 6.0
"""So many cycles a look must hold for what it finds to be sure."""
RUN = 8
"""So many partials side by side are as good as the low ones."""
WHOLE_BELL = 0.8
"""The part of what sounds that the partials of a bell must explain for its strike note to be sure."""
BELL = {0.5: 0.5, 1.0: 1.0, 1.2: 1.0, 1.5: 0.5, 2.0: 1.0, 2.5: 0.3, 2.667: 0.3, 3.0: 0.5, 4.0: 0.5}
"""Partials of a bell above its strike note, and how much each says: hum, prime, tierce, quint, nominal, and on.
T. D. Rossing, Science of Percussion Instruments, 2000; from memory."""


@dataclass(frozen=True, eq=False)
class Root:
    """What was found out about the pitch of a recording; each finding is itself, and equal to no other.

    Attributes
    ----------
    key : float or None
        MIDI key with cents as its fraction; None where there is none.
    sure : float
        0 to 1; from `SURE` on it is taken without a word of doubt.
    times, keys : float (look,)
        The pitch of each look in seconds and keys; NaN where it has none.
    begins, ends : float or None
        Keys at its beginning and its end where it glides.
    """

    key: float | None
    sure: float
    times: Floats
    keys: Floats
    begins: float | None = None
    ends: float | None = None

    @property
    def is_sure(self) -> bool:
        """Whether it needs no word of doubt."""
        return self.key is not None and self.sure >= SURE

    @property
    def hertz(self) -> float | None:
        """The frequency of the key, sure or not; None where there is none."""
        return None if self.key is None else 440.0 * 2.0 ** ((self.key - 69.0) / 12.0)

    def says(self) -> str:
        """What was found, in a few words, with how sure it is."""
        if self.begins is not None and self.ends is not None:
            verb = "falls" if self.ends < self.begins else "rises"
            return f"{verb} from {note_name(round(self.begins))} to {note_name(round(self.ends))}"
        if self.key is None:
            return "no root found"
        return (
            f"{key_said(self.key)}, {100 * self.sure:.0f} % sure" if self.is_sure else f"{key_said(self.key)}, {UNSURE}"
        )


def key_said(key: float) -> str:
    """The name of a key with its cents."""
    cents = round(100 * (key - round(key)))
    return note_name(round(key)) + (f" {CENTS.write(cents)}" if cents else "")


def root_taken(key: float | None, sure: bool) -> str:
    """What is said where a root is taken, as a sentence that follows another; nothing where there is none."""
    return "" if key is None else f" Its root is {key_said(key)}{'' if sure else f', {UNSURE}'}."


class Peaks(NamedTuple):
    """Partials of a sound: Hz in rising order, and amplitudes; (peak,)."""

    hertz: Floats
    level: Floats


class Series(NamedTuple):
    """A harmonic series held against peaks.

    Attributes
    ----------
    hertz : float
        Its fundamental.
    explained : float
        The part of what sounds that it explains.
    whole : float
        The part of its low harmonics that are there.
    rooted : bool
        Whether what is there is enough to hear it as one note.
    """

    hertz: float
    explained: float
    whole: float
    rooted: bool

    @property
    def score(self) -> float:
        """How good it is: what it explains counts as much as it is whole."""
        return self.explained * (0.3 + 0.7 * self.whole)


def root_of(sound: NDArray[np.float32], rate: float) -> Root:
    """The root of a recording, float32 (channel, frame) at `rate` Hz; the first 10 seconds count."""
    mono = _as_one(sound[:, : int(LISTENED * rate)].astype(np.float64))
    nothing = np.zeros(0)
    if len(mono) < 64 or float(np.abs(mono).max(initial=0.0)) < 1e-7:
        return Root(None, 0.0, nothing, nothing)
    times, keys, loud = _track(mono, rate)
    found, stands, seconds = _standing(mono, rate)
    begins, ends = _glide(keys, loud) if stands < STEADY else (None, None)
    if begins is not None and ends is not None:
        return Root(float(np.nanmedian(keys[loud])), 0.3, times, keys, begins, ends)
    if not len(found.hertz):
        return Root(None, 0.0, times, keys)
    best, second, guess = _best(found)
    if best is None:
        return Root(None, 0.0, times, keys)
    struck = None if best.rooted and best.explained > 0.95 else _strike_note(found, best.hertz)
    if struck is not None:
        return Root(
            _key(struck.hertz), min(struck.explained, 1.0 if struck.explained >= WHOLE_BELL else 0.5), times, keys
        )
    if not best.rooted and (lowest := _lowest(found)) is not None:
        return Root(_key(lowest[0]), min(lowest[1], stands), times, keys)
    ahead = 1.0 - second / max(best.score, 1e-9)
    sure = min(best.explained, 1.0) * stands
    if not best.rooted or best.hertz * seconds < TURNS:
        sure = min(sure, 0.4)
    if best.explained < 0.8 or ahead < 0.12:
        sure = min(sure, 0.5)
    if sure < SURE and stands < STEADY and (middle := _wavers_around(keys, loud)) is not None:
        return Root(middle, 0.5, times, keys)
    return Root(_key(best.hertz if sure >= SURE else guess), float(sure), times, keys)


def _as_one(sound: Floats) -> Floats:
    """All channels together, or the loudest where they take each other away."""
    together: Floats = sound.mean(axis=0)
    loud = np.square(sound).sum(axis=1)
    return together if np.square(together).sum() > 0.01 * loud.max(initial=0.0) else sound[int(np.argmax(loud))]


def _key(hertz: float) -> float:
    return 69.0 + 12.0 * math.log2(hertz / 440.0)


# --- partials ------------------------------------------------------------------------------------


def _standing(mono: Floats, rate: float) -> tuple[Peaks, float, float]:
    """The partials that stand through the loud part of a sound, how well they do, 0 to 1, and how long a look was, seconds."""
    step = max(int(0.02 * rate), 1)
    power = np.add.reduceat(np.square(mono), np.arange(0, len(mono), step))
    loudest = int(np.argmax(power))
    lasts = np.flatnonzero(power > power[loudest] * 10 ** (-1.8))
    seconds = (lasts[-1] - lasts[0] + 1) * step / rate
    size = int(np.clip(0.7 * seconds, SHORT, LONG) * rate)
    size = min(size, len(mono))
    first, last = lasts[0] * step, max(lasts[-1] * step - size, lasts[0] * step)
    first = min(first + min(int(0.03 * rate), (last - first) // 4), max(len(mono) - size, 0))
    starts = np.unique(np.linspace(first, max(min(last, len(mono) - size), first), WINDOWS).astype(int))
    starts = starts[np.concatenate([[True], np.diff(starts) > size // 8])] if len(starts) > 1 else starts
    loud = np.array([np.square(mono[at : at + size]).sum() for at in starts])
    starts = starts[loud > 0.03 * loud.max()]
    looks = [_peaks(mono[at : at + size], rate) for at in starts]
    if len(looks) == 1:
        return looks[0], 0.9, size / rate
    base = max(looks, key=lambda look: len(look.hertz))
    hertz, level, seen = [], [], []
    width = 1.2 * rate / size
    for f, a in zip(*base, strict=True):
        near = [_nearest(look, f) for look in looks]
        hits = [(g, b) for g, b in near if abs(g - f) < max(0.35 * width, 0.004 * f)]
        if len(hits) >= 0.6 * len(looks):
            weights = np.array([b for _, b in hits])
            hertz.append(float((weights * [g for g, _ in hits]).sum() / weights.sum()))
            level.append(float(np.sqrt((weights**2).mean())))
            seen.append(a)
    stands = float(np.sum(np.square(seen)) / max(float(np.square(base.level).sum()), 1e-30))
    return Peaks(np.array(hertz), np.array(level)), math.sqrt(min(stands, 1.0)), size / rate


def _nearest(look: Peaks, f: float) -> tuple[float, float]:
    if not len(look.hertz):
        return 0.0, 0.0
    n = int(np.argmin(np.abs(look.hertz - f)))
    return float(look.hertz[n]), float(look.level[n])


def _peaks(piece: Floats, rate: float) -> Peaks:
    """Peaks of one spectrum that stand over what is around them, the strongest of them."""
    size = len(piece)
    full = 1 << (2 * size - 1).bit_length()
    spectrum = np.abs(np.fft.rfft((piece - piece.mean()) * np.blackman(size), full))
    top = min(int(TOP / rate * full), len(spectrum) - 2)
    level = spectrum[: top + 2]
    inner = level[1:-1]
    k = np.flatnonzero((inner > level[:-2]) & (inner >= level[2:])) + 1
    k = k[(level[k] > level.max() * 10 ** (-DEEP_DB / 20)) & (k * rate / full > LOWEST * 0.9)]
    if not len(k):
        return Peaks(np.zeros(0), np.zeros(0))
    k = k[level[k] > _floor(level, max(int(60.0 * full / rate), 24))[k] * 10 ** (CLEAR_DB / 20)]
    k = np.sort(k[np.argsort(-level[k])[:MOST_PEAKS]])
    a, b, c = (np.log(np.maximum(level[k + d], 1e-30)) for d in (-1, 0, 1))
    shift = 0.5 * (a - c) / np.minimum(a - 2 * b + c, -1e-9)
    return Peaks((k + shift) * rate / full, np.exp(b - 0.25 * (a - c) * shift))


def _floor(level: Floats, reach: int) -> Floats:
    """What lies around each bin: the median of blocks of `reach` bins, from one to the next."""
    count = max(len(level) // reach, 1)
    blocks = [float(np.median(block)) for block in np.array_split(level, count)]
    places = [float(block.mean()) for block in np.array_split(np.arange(len(level)), count)]
    return np.interp(np.arange(len(level)), places, blocks)


# --- series --------------------------------------------------------------------------------------


def _best(found: Peaks) -> tuple[Series | None, float, float]:
    """The series that explains the peaks best, the score of the best that is another note and none of its octaves, and Hz of the
    lowest note that is whole and explains not much less: what a chord is called by."""
    strongest = found.hertz[np.argsort(-found.level)[:TRIED]]
    steps = np.diff(found.hertz)
    guesses = np.concatenate(
        [(strongest[:, None] / np.arange(1, PARTS + 1)).ravel(), *([[np.median(steps)]] if len(steps) else [])]
    )
    guesses = guesses[np.unique(np.round(120.0 * np.log2(guesses)), return_index=True)[1]]  # no two within 10 cents
    guesses = guesses[(guesses >= LOWEST) & (guesses <= HIGHEST)]
    if not len(guesses):
        return None, 0.0, 0.0
    tried = sorted((_held_against(found, f) for f in guesses), key=lambda one: -one.score)
    best = tried[0]
    others = [one.score for one in tried if 0.6 < 12 * math.log2(one.hertz / best.hertz) % 12 < 11.4]
    whole = [one.hertz for one in tried if one.rooted and one.score >= CHORDAL * best.score]
    return _held_against(found, best.hertz), max(others, default=0.0), min(whole, default=best.hertz)


def _held_against(found: Peaks, hertz: float) -> Series:
    """A series near a frequency, moved to where it fits best, straight or stiff, held against peaks."""
    weight = found.level**0.6
    fundamental, stiff, misses = hertz, 0.0, 0.0
    order, hit = np.ones(len(found.hertz)), np.zeros(len(found.hertz), bool)
    # from low partials, whose order is plain, to high ones that a stiff string moves by whole orders
    for reach in REACHES:
        order = _orders(found.hertz / fundamental, stiff)
        place = order * fundamental * np.sqrt(1.0 + stiff * order**2)
        away = np.abs(found.hertz - place)
        hit = (away < CLOSE * place) & (away < 0.2 * fundamental) & (order <= REACHES[-1])
        if not hit.any():
            return Series(hertz, 0.0, 0.0, False)
        low = hit & (order <= reach)
        fit = low if len(np.unique(order[low])) >= FITTED else hit
        # (f / n)² = f0² + f0² B n²: a straight line over n²
        n, f, w = order[fit], found.hertz[fit], found.level[fit] ** 0.5 * order[fit]
        y, x = np.square(f / n), np.square(n)
        if len(np.unique(n)) >= FITTED:
            mean_x, mean_y = (w * x).sum() / w.sum(), (w * y).sum() / w.sum()
            slope = float((w * (x - mean_x) * (y - mean_y)).sum() / max(float((w * (x - mean_x) ** 2).sum()), 1e-12))
            base = mean_y - slope * mean_x
            stiff = float(np.clip(slope / base, 0.0, STIFFEST)) if base > 0 else 0.0
            stiff = stiff if stiff >= 2e-6 else 0.0
        fundamental = math.sqrt(float((w * y / (1.0 + stiff * x)).sum() / w.sum()))
        cents = 1200.0 * np.log2(f / (n * fundamental * np.sqrt(1.0 + stiff * x)))
        misses = math.sqrt(float((weight[fit] * cents**2).sum() / weight[fit].sum()))
    explained = float(weight[hit].sum() / weight.sum())
    there = set(order[hit].astype(int))
    reach = max(min(int(found.hertz.max() / fundamental + 0.3), 8), 1)
    whole = sum(n in there for n in range(1, reach + 1)) / reach
    odd = [n for n in range(1, reach + 1, 2)]
    only_odd = 1 in there and reach >= 3 and not any(n in there for n in range(2, reach + 1, 2))
    if only_odd:
        whole = max(whole, 0.95 * sum(n in there for n in odd) / len(odd))
    octaves = 1 in there and all(n & (n - 1) == 0 for n in there)
    if octaves:
        whole = max(whole, 0.9)
    run = _longest_run(there)
    if run >= RUN:
        whole = max(whole, 0.9)
    if 1 in there:
        rooted = only_odd or octaves or whole >= 0.6 or (reach >= 2 and 2 in there and 3 in there)
    else:
        rooted = ((reach >= 6 and all(n in there for n in range(2, 7))) or run >= RUN) and misses < PURE
    return Series(fundamental * math.sqrt(1.0 + stiff) if 1 in there else fundamental, explained, whole, rooted)


def _orders(ratio: Floats, stiff: float) -> Floats:
    """Which partial of a stiff string lies nearest to each ratio to its f0: r² = n² (1 + B n²), solved for n."""
    if stiff > 0.0:
        ratio = np.sqrt((np.sqrt(1.0 + 4.0 * stiff * ratio**2) - 1.0) / (2.0 * stiff))
    return np.maximum(np.round(ratio), 1.0)


def _longest_run(orders: set[int]) -> int:
    """How many partials stand side by side at the most."""
    length = best = 0
    for n in range(1, max(orders) + 2):
        length = length + 1 if n in orders else 0
        best = max(best, length)
    return best


def _strike_note(found: Peaks, hertz: float) -> Series | None:
    """The strike note of a bell, where a minor third stands in the series of its hum or of its prime; else None.

    It is heard an octave under the nominal, at the prime or near it, however loud the hum is.
    """
    loud = found.level > 0.1 * found.level.max()

    def at(f: float) -> bool:
        return bool(np.any(loud & (np.abs(found.hertz / f - 1.0) < 0.015)))

    best, most = None, 0.0
    for prime in {hertz, 2 * hertz, hertz / 1.2, hertz / 1.5, *found.hertz[loud]}:
        if at(prime) and at(1.2 * prime) and at(2.0 * prime) and not at(1.25 * prime) and not at(3.6 * prime):
            score = sum(weight for ratio, weight in BELL.items() if at(ratio * prime))
            if score > most:
                best, most = prime, score
    if best is None or most < 4.0:
        return None
    near = np.abs(found.hertz / best - 1.0) < 0.015
    exact = float((found.hertz[near] * found.level[near]).sum() / found.level[near].sum())
    explained = sum(
        float(level) ** 0.6
        for f, level in zip(*found, strict=True)
        if any(abs(f / (r * best) - 1) < 0.02 for r in BELL)
    ) / float((found.level**0.6).sum())
    return Series(exact, min(explained, 0.95), 1.0, True)


def _lowest(found: Peaks) -> tuple[float, float] | None:
    """The lowest partial and how sure it is, where it is by far the strongest, as of glass, wood and bars, whose partials make
    no series: they are heard at it. None where it is not."""
    over = float(found.level[0] / max(float(found.level[1:].max(initial=0.0)), 1e-12))
    return (float(found.hertz[0]), 0.7 if over >= 3.0 else 0.5) if over >= 2.0 else None


# --- over time ------------------------------------------------------------------------------------


def _track(mono: Floats, rate: float, most: int = 200) -> tuple[Floats, Floats, NDArray[np.bool_]]:
    """Pitch over time by YIN (A. de Cheveigné, H. Kawahara, JASA 111(4), 2002): seconds, keys (NaN where none is found), and
    whether it is loud there; (look,)."""
    slow = max(1, int(rate / 24000))
    if slow > 1:  # pitch needs no treble
        whole = len(mono) // slow
        mono, rate = mono[: whole * slow].reshape(whole, slow).mean(axis=1), rate / slow
    longest = int(rate / 30.0)
    size = 2 * longest
    if len(mono) < size + longest:
        mono = np.pad(mono, (0, size + longest - len(mono)))
    looks = int(np.clip((len(mono) - size - longest) / (0.01 * rate), 1, most))
    starts = np.linspace(0, len(mono) - size - longest, looks).astype(int)
    pieces = mono[starts[:, None] + np.arange(size + longest)]
    pieces = pieces - pieces.mean(axis=1, keepdims=True)
    full = 1 << (size + longest - 1).bit_length()
    cross = np.fft.irfft(np.fft.rfft(pieces, full) * np.conj(np.fft.rfft(pieces[:, :size], full)), full)[
        :, : longest + 1
    ]
    squares = np.concatenate([np.zeros((looks, 1)), np.cumsum(pieces**2, axis=1)], axis=1)
    power = squares[:, size : size + longest + 1] - squares[:, : longest + 1]
    apart = np.maximum(power[:, :1] + power - 2 * cross, 0.0)
    mean = np.cumsum(apart[:, 1:], axis=1) / np.arange(1, longest + 1)
    d = np.concatenate([np.ones((looks, 1)), apart[:, 1:] / np.maximum(mean, 1e-12)], axis=1)
    first = max(int(rate / HIGHEST), 2)
    hertz = np.full(looks, np.nan)
    for n, row in enumerate(d):
        below = np.flatnonzero(row[first:] < 0.15)
        if not len(below):
            continue
        k = first + int(below[0])
        while k + 1 < len(row) and row[k + 1] < row[k]:
            k += 1
        bottom = row[k - 1] - 2 * row[k] + row[k + 1] if 0 < k < len(row) - 1 else 0.0
        part = 0.5 * (row[k - 1] - row[k + 1]) / bottom if bottom > 1e-12 else 0.0
        hertz[n] = rate / (k + part)
    level = np.sqrt((pieces[:, :size] ** 2).mean(axis=1))
    keys = 69.0 + 12.0 * np.log2(hertz / 440.0)
    return starts / rate + size / (2 * rate), keys, level > 0.05 * max(float(level.max()), 1e-9)


def _wavers_around(keys: Floats, loud: NDArray[np.bool_]) -> float | None:
    """The key around which a pitch wavers, as of a voice; None where it wanders further, or is lost too often."""
    pitched = loud & ~np.isnan(keys)
    if pitched.sum() < 0.7 * loud.sum():
        return None
    low, middle, high = np.percentile(keys[pitched], (10, 50, 90))
    return float(middle) if high - low < WAVERS else None


def _glide(keys: Floats, loud: NDArray[np.bool_]) -> tuple[float | None, float | None]:
    """Where a recording begins and ends that goes steadily from one pitch to another; None where it does not."""
    pitched = loud & ~np.isnan(keys)
    if pitched.sum() < 8 or pitched.sum() <= 0.5 * loud.sum():
        return None, None
    voiced = keys[pitched]
    part = max(len(voiced) // 4, 4)
    begins = float(np.polyval(np.polyfit(np.arange(part), voiced[:part], 1), 0))
    ends = float(np.polyval(np.polyfit(np.arange(part), voiced[-part:], 1), part - 1))
    if not GLIDES < abs(ends - begins) < 48:
        return None, None
    middles = np.array([np.median(piece) for piece in np.array_split(voiced, 6)])
    steps = np.diff(middles) / (ends - begins)
    return (begins, ends) if steps.min() > 0.02 else (None, None)
