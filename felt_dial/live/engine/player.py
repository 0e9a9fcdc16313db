"""Player and transport: a phrase becomes events of the block that is about to sound."""

from __future__ import annotations

from bisect import bisect_left

from felt_dial.patch.phrase import Beat, Phrase
from felt_dial.sound.playing.events import OFF, ON, Event, in_order


class Player:
    """Plays one phrase at the tempo of the moment; notes begin and end on their frame."""

    def __init__(self, rate: float) -> None:
        self.rate = rate
        self.phrase: Phrase | None = None
        self.loop = True
        self.position = 0.0
        self._sounding: list[tuple[float, int]] = []
        self._notes: list[Beat] = []
        self._starts: list[float] = []

    def play(self, phrase: Phrase, loop: bool, at: float = 0.0) -> None:
        """Begins a phrase from a beat of it at the next block."""
        self.phrase, self.loop, self.position = phrase, loop, at % phrase.beats
        self._notes = sorted(phrase.notes)
        self._starts = [note.at for note in self._notes]

    def stop(self) -> list[Event]:
        """Ends it and lets go of its notes."""
        self.phrase = None
        ends = [Event(0, OFF, key) for _, key in self._sounding]
        self._sounding = []
        return ends

    def block(self, frames: int, tempo: float) -> list[Event]:
        """Events of the next `frames` frames, in order."""
        if self.phrase is None:
            return []
        beats = frames / self.rate * tempo / 60.0
        events: list[Event] = []
        start = self.position

        def frame(at: float) -> int:
            return round((at - start) / beats * frames)

        for turn in (0, 1) if self.loop else (0,):
            ahead = turn * self.phrase.beats
            first = bisect_left(self._starts, start - ahead - beats)
            last = bisect_left(self._starts, start - ahead + 2 * beats)
            for note in self._notes[first:last]:
                at = note.at + ahead
                if 0 <= frame(at) < frames:
                    self._sounding.append((at + note.length, note.key))
                    events.append(Event(frame(at), ON, note.key, note.velocity / 127))
        for off, key in [pair for pair in self._sounding if frame(pair[0]) < frames]:
            events.append(Event(max(frame(off), 0), OFF, key))
            self._sounding.remove((off, key))
        self.position = start + beats
        if frame(self.phrase.beats) < frames:
            if self.loop:
                self.position -= self.phrase.beats
                self._sounding = [(off - self.phrase.beats, key) for off, key in self._sounding]
            elif not self._sounding:
                self.phrase = None
        return in_order(events)
