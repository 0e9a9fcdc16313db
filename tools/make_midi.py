"""Writes the performance of the simulated controller as a Standard MIDI File: `python tools/make_midi.py`."""

from __future__ import annotations

from pathlib import Path

import mido

from felt_dial.live.midi.controller import gesture

TARGET = Path(__file__).parent.parent / "felt_dial" / "data" / "midi" / "three-fingers.mid"
TICKS = 960
"""Ticks to a quarter note at 120 beats per minute: half a millisecond each."""


def main() -> None:
    file = mido.MidiFile(ticks_per_beat=TICKS)
    track = mido.MidiTrack()
    file.tracks.append(track)
    track.append(mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(120)))
    before = 0
    for seconds, message in gesture():
        now = round(seconds * 2 * TICKS)
        track.append(message.copy(time=now - before))
        before = now
    TARGET.parent.mkdir(parents=True, exist_ok=True)
    file.save(TARGET)
    print(TARGET)


if __name__ == "__main__":
    main()
