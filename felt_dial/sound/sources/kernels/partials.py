"""Partials: their levels and tunings at every tick, and the sum of their sines."""

from __future__ import annotations

import math
from functools import cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.sound.compiling.kernel import Stage, inner, kernel
from felt_dial.sound.matter.analysis import HOP, MOST_PARTIALS, RATE, Tracks, drawn_tracks, tracks_of
from felt_dial.sound.matter.kept import fixed
from felt_dial.sound.matter.residue import LOWEST, RESIDUE_BANDS, band_edges
from felt_dial.sound.playing.kernels.counted_chance import chance
from felt_dial.sound.simd.types import float_of
from felt_dial.sound.sources.core.unison import MOST
from felt_dial.sound.sources.kernels.core.cycle_reader import TURN, run_bends
from felt_dial.sound.sources.kernels.core.notes import lot_of, plays_each
from felt_dial.sound.sources.kernels.core.unison import (
    RATIO,
    UnisonState,
    add_line,
    unison_state,
    unison_tick,
    voice_phase,
)
from felt_dial.sound.sources.kernels.core.white import white
from felt_dial.sound.sources.partials import AGE, AT, BEGAN, FRESH, LAID, Partials

MOST_SINES = 2048
"""Sines of one note: partials times unison."""
STRIDE = 4
"""Ticks between two looks at the tracks."""


(
    POSITION,
    SPEED_AT,
    SLOW,
    LIFE,
    PARTIALS,
    STRETCH,
    SHIFT,
    TILT,
    ODD_EVEN,
    FORMANT,
    BLUR,
    RESIDUE,
    ROOT,
    CENTS_AT,
    LOOP,
) = (
    Partials.row_of(name)
    for name in (
        "position",
        "speed",
        "slow",
        "life",
        "partials",
        "stretch",
        "shift",
        "tilt",
        "odd_even",
        "formant",
        "blur",
        "residue",
        "root",
        "cents",
        "loop",
    )
)
FREQUENCIES, LEVELS = range(2)
CHANCE_SINE, CHANCE_BLUR, CHANCE_LIFE, CHANCE_NOISE = 60_000_000, 61_000_000, 62_000_000, 63_000_000
LOOKS_A_SECOND = RATE / HOP
LN2 = math.log(2.0)
RISES = 9.0
"""Decibels that the colour may stand above the louder of two neighbouring partials."""
WIDER = 1.7
"""How much wider than its band a resonator is: two in a row are 0.64 as wide as one."""
AMID = 1.05
"""Density in the middle of a band, which between two of them is 0.4 dB less."""
NOISES = 4
"""White noises that the bands take turns at, so that no two that overlap have the same."""
WALK, LIVELY = 8192, 16.0
"""Steps of the random walk that all sines share, each from a place of its own, and steps in a goal of it."""


@cache
def random_walk() -> NDArray[np.float32]:
    """A smooth random line from −1 to 1 that goes round, float32 (WALK + 1,): always the same one."""
    goals = np.random.default_rng(2026).uniform(-1.0, 1.0, WALK // int(LIVELY))
    at = np.arange(WALK + 1) / LIVELY
    k, part = at.astype(int) % len(goals), at % 1.0
    eased = part * part * (3.0 - 2.0 * part)
    made: NDArray[np.float32] = (goals[k] + (goals[(k + 1) % len(goals)] - goals[k]) * eased).astype(np.float32)
    return fixed(made)


@kernel
def power(octaves):
    """2 to a number from −126 to 127, to 1e-8 of it: its whole part in the exponent, the rest by its Taylor series."""
    near = min(max(np.floor(octaves + 0.5), -126.0), 127.0)
    x = (octaves - near) * LN2
    rest = 1.0 + x * (1.0 + x * (1 / 2 + x * (1 / 6 + x * (1 / 24 + x * (1 / 120 + x * (1 / 720 + x / 5040))))))
    return rest * np.float64(float_of(np.int32((np.int32(near) + np.int32(127)) << np.int32(23))))


@kernel
def _colour(tracks, look, octave):
    """The envelope of a look's spectrum in dB at a place, in octaves above the fundamental: a cubic from partial to partial.

    It goes no more than `RISES` above the louder of two neighbours, and not below the softer.
    """
    order = tracks.order[look]
    first, last = 0, order.shape[0]
    while first < last:
        middle = (first + last) // 2
        if order[middle] >= 0 and tracks.octaves[look, order[middle]] <= octave:
            first = middle + 1
        else:
            last = middle
    if order[0] < 0:
        return 0.0
    if first == 0 or first == order.shape[0] or order[first] < 0:
        return _decibels(tracks.levels[look, order[max(first - 1, 0)]])
    below, above = order[first - 1], order[first]
    low, high = np.float64(tracks.octaves[look, below]), np.float64(tracks.octaves[look, above])
    here, there = _decibels(tracks.levels[look, below]), _decibels(tracks.levels[look, above])
    wide = high - low
    x = (octave - low) / wide
    rest = 1.0 - x
    found = (1.0 + 2.0 * x) * rest * rest * here + (3.0 - 2.0 * x) * x * x * there
    slope, next_slope = np.float64(tracks.slopes[look, first - 1]), np.float64(tracks.slopes[look, first])
    found += x * rest * wide * (rest * slope - x * next_slope)
    return min(max(found, min(here, there)), max(here, there) + RISES)


@kernel
def _decibels(level):
    return 20.0 * math.log10(max(np.float64(level), 1e-9))


@kernel
def _part(tracks, place):
    """How far between two looks a place is; where something is struck between them, all before or all after."""
    look = int(place)
    part, strike = np.float32(place - look), tracks.strikes[look]
    if strike < np.float32(0.0):
        return part
    return np.float32(0.0) if part < strike else np.float32(1.0)


@kernel
def _in_band(tracks, found, at, band):
    """What an array (look, band) says between two looks and two bands; 0 beyond the outermost bands."""
    if band < 0.0 or band > found.shape[1] - 1:
        return np.float32(0.0)
    place = min(max(at, 0.0), found.shape[0] - 1.001)
    look, i = int(place), min(int(band), found.shape[1] - 2)
    part, x = _part(tracks, place), np.float32(band - i)
    here = found[look, i] + x * (found[look, i + 1] - found[look, i])
    after = found[look + 1, i] + x * (found[look + 1, i + 1] - found[look + 1, i])
    return here + part * (after - here)


@inner
def _look(state, notes, row, t, count, at, age, root):
    """Frequencies and levels of a note's sines at a moment, into `state.goal`."""
    control, limit, note, pitch = notes.control, notes.limit, lot_of(notes, row), np.float64(notes.frequency[row, t])
    tracks, octaves, levels = state.tracks, state.tracks.octaves, state.tracks.levels
    walk, goal = state.walk, state.goal
    looks = octaves.shape[0]
    stretch = 1.0 + np.float64(control[STRETCH, row, t])
    shift, tilt = np.float64(control[SHIFT, row, t]), np.float64(control[TILT, row, t]) / 20.0 * math.log2(10.0)
    balance, formant = np.float64(control[ODD_EVEN, row, t]), np.float64(control[FORMANT, row, t]) / 12.0
    blur, life = np.float64(control[BLUR, row, t]) * 50.0, np.float64(control[LIFE, row, t])
    keep = 1.0 - abs(balance)
    noise = min(np.float64(control[RESIDUE, row, t]), 1.0)
    lowest = 2.0 * math.log2(root / LOWEST) - 0.5
    lot = np.int64(chance(note, CHANCE_LIFE) * 4096.0)
    for i in range(count):
        place = at
        if blur > 0.0:
            place += blur * (2.0 * chance(note, CHANCE_BLUR + i) - 1.0)
        place = min(max(place, 0.0), looks - 1.001)
        look = int(place)
        part = _part(tracks, place)
        octave = np.float64(octaves[look, i] + part * (octaves[look + 1, i] - octaves[look, i]))
        level = np.float64(levels[look, i] + part * (levels[look + 1, i] - levels[look, i]))
        if level <= 0.0:
            goal[LEVELS, i] = np.float32(0.0)
            goal[FREQUENCIES, i] = np.float32(pitch * power(octave * stretch))
            continue
        if noise > 0.0:
            level *= math.sqrt(1.0 - noise * _in_band(tracks, tracks.share, place, 2.0 * octave + lowest))
        if life > 0.0:
            place = (age * (0.8 + 0.0067 * ((i * 97) & 255)) + ((i * 1597 + lot) & 4095)) * LIVELY
            k = int(place)
            x = np.float32(place - k)
            k &= WALK - 1
            level *= 1.0 + 0.7 * life * np.float64(walk[k] + x * (walk[k + 1] - walk[k]))
            k = (k + WALK // 2) & (WALK - 1)
            octave += life * 0.012 * np.float64(walk[k] + x * (walk[k + 1] - walk[k]))
        if formant != 0.0:
            here = _colour(tracks, look, octave - formant) - _colour(tracks, look, octave)
            after = _colour(tracks, look + 1, octave - formant) - _colour(tracks, look + 1, octave)
            level *= 10.0 ** ((here + np.float64(part) * (after - here)) / 20.0)
        if balance != 0.0:
            even = int(power(octave) + 0.5) % 2 == 0
            if (balance < 0.0 and even) or (balance > 0.0 and not even):
                level *= keep
        if tilt != 0.0:
            level *= power(octave * tilt)
        hertz = pitch * (power(octave * stretch) + shift)
        if hertz < 1.0 or hertz >= limit:
            level, hertz = np.float64(0.0), np.float64(min(max(hertz, 1.0), limit))
        goal[FREQUENCIES, i], goal[LEVELS, i] = np.float32(hertz), np.float32(min(level, 4.0))


@kernel(inline=True)
def _add_sine(line, p, step, grow, bends, harmonic, n, level, rise):
    """Adds a sine to `line`: the quarter wave by an odd polynomial of ninth order, within −120 dB."""
    for k in range(n):
        q = np.uint32(p + np.uint32(step * np.uint32(k)))
        q = np.uint32(np.uint32(q + np.uint32(grow * np.uint32(k * (k - 1) // 2))) + np.uint32(bends[k] * harmonic))
        x = np.float32(np.int32(q)) * np.float32(1.0 / 2147483648.0)
        y = np.float32(0.5) - abs(abs(x) - np.float32(0.5))
        z = y * y
        s = np.float32(-0.59804419) + z * np.float32(0.07721839)
        s = np.float32(-5.16770687) + z * (np.float32(2.55003119) + z * s)
        s = y * (np.float32(3.14159258) + z * s)
        s = s if x >= np.float32(0.0) else -s
        line[k] += s * (level + rise * np.float32(k))


def residue_bands(rate: float) -> NDArray[np.float32]:
    """Two equal resonators in a row for each band of the residue, float32 (band, 3): coefficients and gain.

    Poles by the matched z transform, and a zero at 0 Hz. Gains are such that white noise from −1 to 1, each band of it as
    loud as is said, has the right density in the middle of every band at every rate; a band beyond the rate is silent.
    """
    edges = band_edges()
    middle, width = np.sqrt(edges[:-1] * edges[1:]), np.diff(edges)
    radius = np.exp(-math.pi * WIDER * width / rate)
    first, second = 2 * radius * np.cos(2 * math.pi * middle / rate), -np.square(radius)
    turn = np.exp(-2j * math.pi * middle / rate)[:, None]
    answer = np.square(np.abs((1 - turn) / (1 - first * turn - second * turn * turn))) ** 2
    density = answer * width * 2 / rate / 3
    heard = np.flatnonzero(middle < 0.45 * rate)
    gain = np.zeros(RESIDUE_BANDS)
    gain[heard] = np.sqrt(np.linalg.solve(density[np.ix_(heard, heard)], np.full(len(heard), AMID)))
    return fixed(np.ascontiguousarray(np.column_stack([first, second, gain]).astype(np.float32)))


@inner
def _residue_at(state, row, band, share, formant):
    """Level of a band of the residue at the place where a note is."""
    return (
        state.bands[band, 2]
        * share
        * _in_band(state.tracks, state.tracks.residue, state.ages[row, AT], band - 2.0 * formant)
    )


@inner
def _add_residue(state, row, share, formant, n):
    """Adds the noise between the sines to both sides of `mix`, its bands going in straight lines to where they are heard."""
    quiet = share == np.float32(0.0)
    for band in range(state.bands.shape[0]):
        quiet = quiet and state.heard[row, band] == np.float32(0.0)
    if quiet:
        return
    for noise in range(NOISES):
        for k in range(n):
            state.white[noise, k] = white(state.seeds, row, noise)
    for k in range(n):
        state.line[k] = np.float32(0.0)
    for band in range(state.bands.shape[0]):
        first, second = state.bands[band, 0], state.bands[band, 1]
        was, now = state.heard[row, band], _residue_at(state, row, band, share, formant)
        state.heard[row, band] = now
        if was == np.float32(0.0) and now == np.float32(0.0):
            continue
        rise = (now - was) / np.float32(n)
        a1, a2, b1, b2 = (
            state.rings[row, band, 0],
            state.rings[row, band, 1],
            state.rings[row, band, 2],
            state.rings[row, band, 3],
        )
        for k in range(n):
            a0 = state.white[band % NOISES, k] + first * a1 + second * a2
            b0 = a0 - a1 + first * b1 + second * b2
            state.line[k] += (b0 - b1) * (was + rise * np.float32(k))
            a2, a1, b2, b1 = a1, a0, b1, b0
        (state.rings[row, band, 0], state.rings[row, band, 1], state.rings[row, band, 2], state.rings[row, band, 3]) = (
            a1,
            a2,
            b1,
            b2,
        )
    for side in range(2):
        for k in range(n):
            state.mix[side, k] += state.line[k]


class PartialsState(NamedTuple):
    """The tracks, and what every note stands at.

    Attributes
    ----------
    walk : float32 (number,)
        The random line along which partials live.
    phase : uint32 (row, voice, sine)
    shown : float32 (row, 2, partial)
        Frequencies and levels that the last look found.
    ages : float64 (row, 5)
        The place among the looks, seconds since the note began, how many partials it has, the place that Position says, and
        how many voices have begun.
    bends, mix, line : (…, frame)
        Room for a run of ticks: phase offsets, both sides, one voice.
    goal : float32 (2, partial)
        Frequencies and levels that this look found.
    bands : float32 (band, 3)
        Coefficients and gains of the residue's bands.
    seeds : uint64 (row, noise)
    heard : float32 (row, band)
        Levels of the residue that the last look found.
    rings : float32 (row, band, 4)
        What the residue's bands stand at.
    white : float32 (noise, frame)
    """

    tracks: Tracks
    walk: NDArray[np.float32]
    phase: NDArray[np.uint32]
    shown: NDArray[np.float32]
    ages: NDArray[np.float64]
    unison: UnisonState
    bends: NDArray[np.uint32]
    mix: NDArray[np.float32]
    line: NDArray[np.float32]
    goal: NDArray[np.float32]
    bands: NDArray[np.float32]
    seeds: NDArray[np.uint64]
    heard: NDArray[np.float32]
    rings: NDArray[np.float32]
    white: NDArray[np.float32]


def prepare_partials(module: Partials, stage: Stage) -> PartialsState:
    """The tracks, and the state of no note."""
    tracks = tracks_of(module.asset, module.fundamental()) if module.asset else drawn_tracks(module.drawn)
    for array in tracks:
        fixed(array)
    return PartialsState(
        tracks=tracks,
        walk=random_walk(),
        phase=np.zeros((stage.rows, MOST, MOST_PARTIALS), np.uint32),
        shown=np.zeros((stage.rows, 2, MOST_PARTIALS), np.float32),
        ages=np.zeros((stage.rows, 5)),
        unison=unison_state(stage.rows),
        bends=np.zeros(STRIDE * stage.tick, np.uint32),
        mix=np.zeros((2, STRIDE * stage.tick), np.float32),
        line=np.zeros(STRIDE * stage.tick, np.float32),
        goal=np.zeros((2, MOST_PARTIALS), np.float32),
        bands=residue_bands(stage.rate),
        seeds=np.ones((stage.rows, NOISES), np.uint64),
        heard=np.zeros((stage.rows, RESIDUE_BANDS), np.float32),
        rings=np.zeros((stage.rows, RESIDUE_BANDS, 4), np.float32),
        white=np.zeros((NOISES, STRIDE * stage.tick), np.float32),
    )


def at_rate(state: PartialsState, finer: float) -> None:
    """What rings in the bands of the residue rings at the rate: it begins anew."""
    state.rings.fill(0.0)


@plays_each(Partials, prepare_partials, PartialsState, at_rate)
@kernel
def play_partials(notes, state, row, first):
    """Plays one note.

    Every fourth tick looks at the tracks, and the sines go in straight lines to what it finds. A layer that modulates this
    one turns each sine by its harmonic's share.
    """
    out, frequency, turn, control, tick, rate, begin = (
        notes.out,
        notes.frequency,
        notes.turn,
        notes.control,
        notes.tick,
        notes.rate,
        notes.begin,
    )
    unison = state.unison
    ticks = frequency.shape[1] - 1
    lanes = state.tracks.octaves.shape[1]
    turns = TURN / rate
    zero = np.float32(0.0)
    note = lot_of(notes, row)
    t = first
    while t < ticks:
        run = min(STRIDE - t % STRIDE, ticks - t)
        n = run * tick
        begins = begin[0, row] == t
        alive = unison_tick(control, row, t, note, begins, unison)
        count = min(min(int(control[PARTIALS, row, t]), lanes), MOST_SINES // max(alive, 1))
        for u in range(0 if begins else int(state.ages[row, LAID]), alive):
            for i in range(lanes):
                place = chance(note, CHANCE_SINE + i) + voice_phase(control, row, t, note, u) * (i + 1)
                state.phase[row, u, i] = np.uint32(np.int64(place * TURN))
        state.ages[row, LAID] = max(np.float64(alive), 0.0 if begins else state.ages[row, LAID])
        root = 440.0 * 2.0 ** ((np.float64(control[ROOT, row, t]) + 0.01 * control[CENTS_AT, row, t] - 69.0) / 12.0)
        if begins:
            state.ages[row, AGE] = 0.0
            state.ages[row, BEGAN] = np.float64(control[POSITION, row, t]) * (state.tracks.octaves.shape[0] - 1)
            state.ages[row, AT] = state.ages[row, BEGAN]
            _look(state, notes, row, t, count, state.ages[row, AT], 0.0, root)
            for i in range(count):
                state.shown[row, FREQUENCIES, i], state.shown[row, LEVELS, i] = (
                    state.goal[FREQUENCIES, i],
                    state.goal[LEVELS, i],
                )
            state.ages[row, FRESH] = count
            for noise in range(NOISES):
                lot = np.int64(chance(note, CHANCE_NOISE + noise) * 9007199254740992.0)
                state.seeds[row, noise] = np.uint64(lot) | np.uint64(1)
            share, colour = np.float32(control[RESIDUE, row, t]), np.float64(control[FORMANT, row, t]) / 12.0
            for band in range(state.bands.shape[0]):
                state.heard[row, band] = _residue_at(state, row, band, share, colour)
                for k in range(4):
                    state.rings[row, band, k] = zero
        for i in range(int(state.ages[row, FRESH]), count):
            state.shown[row, LEVELS, i], state.shown[row, FREQUENCIES, i] = zero, frequency[row, t]
        state.ages[row, FRESH] = count
        seconds = n / rate
        speed = np.float64(control[SPEED_AT, row, t])
        slow = np.float64(control[SLOW, row, t])
        if slow > 0.0:
            speed *= math.exp(-state.ages[row, AGE] / slow)
        state.ages[row, AGE] += seconds
        state.ages[row, AT] += speed * seconds * LOOKS_A_SECOND
        last = state.tracks.octaves.shape[0] - 1.0
        moved = np.float64(control[POSITION, row, t + run]) * last - state.ages[row, BEGAN]
        state.ages[row, AT], state.ages[row, BEGAN] = state.ages[row, AT] + moved, state.ages[row, BEGAN] + moved
        state.ages[row, AT] = max(state.ages[row, AT], 0.0)
        if state.ages[row, AT] > last:
            state.ages[row, AT] = state.ages[row, AT] - last if control[LOOP, row, t] > 0.5 else last
        _look(state, notes, row, t + run, count, state.ages[row, AT], state.ages[row, AGE], root)
        at = t * tick
        run_bends(turn, row, at, n, state.bends)
        for k in range(n):
            state.mix[0, k] = state.mix[1, k] = zero
        for u in range(alive):
            ratio = np.float64(unison.voice[row, u, RATIO])
            for k in range(n):
                state.line[k] = zero
            harmonic = np.uint32(1)
            for i in range(count):
                was, now = state.shown[row, LEVELS, i], state.goal[LEVELS, i]
                f0, f1 = state.shown[row, FREQUENCIES, i] * ratio, state.goal[FREQUENCIES, i] * ratio
                p = state.phase[row, u, i]
                step = np.uint32(np.int64(f0 * turns))
                grow = np.uint32(np.int64((f1 - f0) * turns / n))
                if was > zero or now > zero:
                    if turn.shape[0] > 0:
                        harmonic = np.uint32(np.int64(max(f0 / frequency[row, t] + 0.5, 1.0)))
                    _add_sine(state.line, p, step, grow, state.bends, harmonic, n, was, (now - was) / np.float32(n))
                whole = np.uint32(n * (n - 1) // 2)
                after = np.uint32(p + np.uint32(step * np.uint32(n)))
                state.phase[row, u, i] = np.uint32(after + np.uint32(grow * whole))
            add_line(state.mix, n, state.line, unison.voice[row, u])
        for i in range(count):
            state.shown[row, FREQUENCIES, i], state.shown[row, LEVELS, i] = (
                state.goal[FREQUENCIES, i],
                state.goal[LEVELS, i],
            )
        share, colour = np.float32(control[RESIDUE, row, t + run]), np.float64(control[FORMANT, row, t + run]) / 12.0
        _add_residue(state, row, share, colour, n)
        for k in range(n):
            out[row, 0, at + k], out[row, 1, at + k] = state.mix[0, k], state.mix[1, k]
        t += run
