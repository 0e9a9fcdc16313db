"""What a player does that can move a sound: declared once, read by the tray, the threads and the engine."""

from __future__ import annotations

from typing import NamedTuple


class PlayerSource(NamedTuple):
    """Something that the player does.

    Attributes
    ----------
    name : str
    both_ways : bool
        It goes from −1 to 1; everything else goes from 0 to 1.
    per_note : bool
        It is done to each note by itself.
    goes_by : str
        The parameter of the patch by which it goes, where there is one.
    """

    name: str
    both_ways: bool = False
    per_note: bool = True
    goes_by: str = ""


PLAYER_SOURCES = {
    "k": PlayerSource("Key", both_ways=True, goes_by="key_centre"),
    "v": PlayerSource("Velocity"),
    "rv": PlayerSource("Release velocity"),
    "w": PlayerSource("Mod wheel", per_note=False),
    "p": PlayerSource("Pressure"),
    "sl": PlayerSource("Slide"),
    "bd": PlayerSource("Bend", both_ways=True, per_note=False, goes_by="bend"),
    "pd": PlayerSource("Pedal", per_note=False),
    "ag": PlayerSource("Age", goes_by="age"),
    "nn": PlayerSource("Note number", goes_by="note_cycle"),
    "ch": PlayerSource("Chance of the note", goes_by="seed"),
}
