"""Taking down what is played: keys become the notes of a phrase, counted in beats, with a click to keep time by."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.phrase import MOST_BEATS, MOST_NOTES, SHORTEST, Beat
from felt_dial.sound.playing.events import OFF, ON, Event

EARLY = 0.5
"""Beats before the first one within which a key still belongs to it."""
CLICK, PITCHES, LEVEL = 0.03, (1800.0, 1200.0), 0.125
"""Seconds of a click, hertz of the first of a bar and of the others, and its highest sample: −18 dBFS."""
BAR = 4


class NoteRecorder:
    """Notes that are being taken down, after so many beats of counting in."""

    def __init__(self, rate: float, count_in: float = float(BAR), clicks: bool = True) -> None:
        self.rate, self.clicks = rate, clicks
        self.position = -count_in
        self.notes: list[Beat] = []
        self._down: dict[tuple[int, int], tuple[float, int]] = {}
        time = np.arange(int(CLICK * rate)) / rate
        shape = LEVEL * np.exp(-time / (CLICK / 5))
        self._sounds = [np.asarray(shape * np.sin(2 * np.pi * pitch * time), np.float32) for pitch in PITCHES]
        self._click, self._at = self._sounds[0], len(self._sounds[0])

    def block(self, events: Iterable[Event], tempo: float, out: NDArray[np.float32]) -> None:
        """Takes down the keys of a block, and adds the click to it."""
        frames = out.shape[1]
        beats = frames / self.rate * tempo / 60.0
        for event in events:
            place = int(event.key), event.channel
            if event.kind not in (ON, OFF):
                continue
            at = self.position + event.frame / frames * beats
            self._up(place, at)
            if event.kind == ON and at >= -EARLY and len(self.notes) < MOST_NOTES:
                self._down[place] = max(at, 0.0), max(1, min(round(127 * event.value), 127))
        if self.clicks:
            self._add_click(out, beats)
        self.position += beats

    def _up(self, place: tuple[int, int], at: float) -> None:
        if place in self._down:
            begun, velocity = self._down.pop(place)
            if begun < MOST_BEATS:
                self.notes.append(Beat(begun, max(min(at - begun, MOST_BEATS), SHORTEST), place[0], velocity))

    def _add_click(self, out: NDArray[np.float32], beats: float) -> None:
        frames = out.shape[1]
        self._sound_on(out, 0, frames)
        first = int(np.ceil(self.position - 1e-9))
        while first < self.position + beats - 1e-9:
            at = min(max(round((first - self.position) / beats * frames), 0), frames)
            self._click, self._at = self._sounds[first % BAR != 0], 0
            self._sound_on(out, at, frames)
            first += 1

    def _sound_on(self, out: NDArray[np.float32], first: int, last: int) -> None:
        part = self._click[self._at : self._at + last - first]
        out[:, first : first + len(part)] += part
        self._at += len(part)

    def finish(self) -> tuple[Beat, ...]:
        """Every note that was taken down; what is still held ends now."""
        for place in list(self._down):
            self._up(place, self.position)
        return tuple(sorted(self.notes))
