"""Where a recording can go round: whole turns of its pitch whose ends are alike."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from felt_dial.sound.matter.root import root_of

ANCHORS, MOST = 10, 6
COARSE = 12000.0
"""Hz at which it is looked for; found places are refined at the recording's own rate."""


class Loop(NamedTuple):
    """Attributes
    ----------
    first, last : float
        Frames, with a fraction: what comes at `last` is like what comes at `first`.
    turns : float
        Cycles of the pitch in it; 0 where it has none.
    score : float
        0 to 1: how alike level, phase and spectrum are around both ends.
    """

    first: float
    last: float
    turns: float
    score: float

    def says(self, rate: float) -> str:
        """How many turns it holds, or how long it is."""
        if self.turns < 0.5:
            return f"{(self.last - self.first) / rate:.2f} s"
        turns = round(self.turns)
        return "1 turn, endless" if turns == 1 else f"{turns} turns"


def loops_of(sound: NDArray[np.float32], rate: float) -> list[Loop]:
    """The best places to go round, best first; at most six, and none for what never comes again."""
    mono = sound.mean(axis=0).astype(np.float64)
    if len(mono) < 256:
        return []
    hertz = root_of(sound, rate).hertz
    found = _long(mono, rate, hertz)
    if hertz is not None and (one := _one_turn(mono, rate, hertz)) is not None:
        found.append(one)
    kept: list[Loop] = []
    for loop in sorted(found, key=lambda loop: -loop.score):
        if all(abs(loop.first - k.first) + abs(loop.last - k.last) > 0.04 * rate for k in kept):
            kept.append(loop)
    return [loop for loop in kept if loop.score > 0.3][:MOST]


def _coarse(mono: NDArray[np.float64], rate: float) -> tuple[NDArray[np.float64], float]:
    slow = max(1, int(rate / COARSE))
    whole = len(mono) // slow
    return mono[: whole * slow].reshape(whole, slow).mean(axis=1), rate / slow


def _long(mono: NDArray[np.float64], rate: float, hertz: float | None) -> list[Loop]:
    coarse, slow = _coarse(mono, rate)
    window = int(min(max(0.03 * slow, 4 * slow / hertz if hertz else 0), 0.25 * len(coarse)))
    if window < 16:
        return []
    squares = np.concatenate([[0.0], np.cumsum(coarse**2)])
    power = squares[window:] - squares[:-window]
    top = float(power.max())
    there = np.flatnonzero(power > 1e-3 * top)
    if len(there) < 4 * window:
        return []
    begin, end = int(there[0]), int(there[-1])
    begin += int(0.08 * (end - begin))  # the strike is not gone round in
    full = 1 << (len(coarse) - 1).bit_length()
    spectrum = np.fft.rfft(coarse, full)
    found = []
    for anchor in np.linspace(begin, end - 0.15 * (end - begin), ANCHORS).astype(int):
        piece = coarse[anchor : anchor + window]
        cross = np.fft.irfft(spectrum * np.conj(np.fft.rfft(piece, full)), full)[: len(power)]
        alike = cross / np.sqrt(np.maximum(power * max(float(np.square(piece).sum()), 1e-12), 1e-18))
        level = np.sqrt(np.minimum(power, power[anchor]) / np.maximum(np.maximum(power, power[anchor]), 1e-18))
        score = np.maximum(alike, 0.0) ** 2 * np.sqrt(level)
        score[: anchor + max(int(0.08 * slow), window)] = 0.0
        # Longer ones are less of a machine: up to a second they gain a little.
        lags = np.arange(len(score)) - anchor
        score *= 0.85 + 0.15 * np.minimum(np.maximum(lags, 0) / slow, 1.0)
        for last in np.argsort(-score)[:1]:
            if score[last] > 0.2:
                found.append(_refined(mono, rate, hertz, anchor * rate / slow, float(last) * rate / slow))
    return found


def _refined(mono: NDArray[np.float64], rate: float, hertz: float | None, first: float, last: float) -> Loop:
    """The nearest rise through zero, and the end at which the wave is most like there, to a part of a frame."""
    reach = int(rate / hertz) if hertz else 200
    at = int(first)
    near = mono[at : at + reach + 1]
    rises = np.flatnonzero((near[:-1] <= 0) & (near[1:] > 0))
    start = at + int(rises[0]) if len(rises) else at
    guess = last + (start - first)
    size = int(max(2 * reach, 512))
    low = int(max(guess - max(reach // 2, 24), start + 16))
    high = int(min(guess + max(reach // 2, 24), len(mono) - size - 1))
    piece = mono[start : start + size]
    if high <= low or len(piece) < size:
        return Loop(float(start), min(guess, len(mono) - 1.0), 0.0, 0.0)
    rows = np.lib.stride_tricks.sliding_window_view(mono[low : high + size], size)
    power = np.square(rows).sum(axis=1)
    alike = rows @ piece / np.sqrt(np.maximum(power * np.square(piece).sum(), 1e-18))
    k = int(np.argmax(alike))
    part = 0.0
    if 0 < k < len(alike) - 1:
        bottom = alike[k - 1] - 2 * alike[k] + alike[k + 1]
        part = float(0.5 * (alike[k - 1] - alike[k + 1]) / bottom) if bottom < -1e-12 else 0.0
    end = low + k + part
    level = float(np.sqrt(min(power[k], np.square(piece).sum()) / max(power[k], float(np.square(piece).sum()), 1e-18)))
    one, two = (np.abs(np.fft.rfft(x * np.hanning(size))) for x in (piece, rows[k]))
    spectrum = float((one * two).sum() / np.sqrt(max(float((one**2).sum() * (two**2).sum()), 1e-18)))
    long = min((end - start) / rate, 1.0)
    score = max(float(alike[k]), 0.0) ** 2 * level * spectrum * (0.85 + 0.15 * long)
    return Loop(
        float(start), float(end), (end - start) * hertz / rate if hertz else 0.0, float(np.clip(score, 0.0, 1.0))
    )


def _one_turn(mono: NDArray[np.float64], rate: float, hertz: float) -> Loop | None:
    """One cycle that goes round by itself, at the steadiest place: where it is most like the cycle after it."""
    turn = rate / hertz
    size = int(np.ceil(turn))
    places = np.linspace(0.15 * len(mono), 0.85 * len(mono) - 3 * size, 40).astype(int)
    best: Loop | None = None
    for at in places:
        if at < 0 or at + 3 * size > len(mono):
            continue
        near = mono[at : at + size + 1]
        rises = np.flatnonzero((near[:-1] <= 0) & (near[1:] > 0))
        start = at + int(rises[0]) if len(rises) else at
        n = np.arange(start + size + 2)
        one = mono[start : start + size]
        two = (
            np.interp(start + turn + np.arange(size), n[start:], mono[start : len(n)])
            if start + 2 * size + 3 > len(mono)
            else np.interp(
                start + turn + np.arange(size),
                np.arange(start, start + 2 * size + 3),
                mono[start : start + 2 * size + 3],
            )
        )
        power = float(np.square(one).sum() * np.square(two).sum())
        if power <= 0.0:
            continue
        alike = max(float((one * two).sum() / np.sqrt(power)), 0.0)
        level = float(
            np.sqrt(min(np.square(one).sum(), np.square(two).sum()) / max(np.square(one).sum(), np.square(two).sum()))
        )
        score = 0.95 * alike**2 * level
        if best is None or score > best.score:
            best = Loop(float(start), start + turn, 1.0, score)
    return best


def seam(sound: NDArray[np.float32], loop: tuple[float, float], fade: float, wide: int) -> NDArray[np.float32]:
    """What is heard around the seam of a forward loop, float32 (2·wide,): its end, faded into what comes before its start.

    `fade` is in frames. The seam is in the middle.
    """
    mono = sound.mean(axis=0)
    n = np.arange(len(mono))
    first, last = loop
    before = np.interp(last - wide + np.arange(wide), n, mono)
    if fade >= 1.0:
        part = np.clip((np.arange(wide) - (wide - fade)) / fade, 0.0, 1.0)
        other = np.interp(first - wide + np.arange(wide), n, mono)
        before = before * (1 - part) + other * part
    after = np.interp(first + np.arange(wide), n, mono)
    return np.concatenate([before, after]).astype(np.float32)
