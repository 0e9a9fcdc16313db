"""Envelope: delay, attack, hold, decay, sustain, release, with a bend for each slope and a loop between two of them."""

from __future__ import annotations

from felt_dial.patch.module import Modulator
from felt_dial.patch.params import CUBIC, Choice, Param
from felt_dial.patch.units import BEND, COUNT, PERCENT, SECONDS


def _time(label: str, default: float, longest: float, says: str) -> Param:
    return Param(label, default, (0.0, longest), SECONDS, taper=CUBIC, beats=True, says=says)


class Envelope(Modulator, kind="envelope"):
    """A shape that begins with the note, stays while the key is held, and ends after it."""

    picture, order = "envelope", 1

    tag, dye = "E", "madder"
    shapes_levels = True

    delay = _time("Delay", 0.0, 10.0, "Time before anything begins.")
    attack = _time("Attack", 0.005, 20.0, "Time from nothing to full.")
    hold = _time("Hold", 0.0, 10.0, "Time at full before it decays.")
    decay = _time("Decay", 0.3, 30.0, "Time from full down to the sustain.")
    sustain = Param("Sustain", 0.7, (0.0, 1.0), PERCENT, says="Where it stays while the key is held.")
    release = _time("Release", 0.25, 30.0, "Time from there to nothing after the key is let go.")
    attack_bend = Param("Attack bend", 0.0, (-1.0, 1.0), BEND, says="Above 0 the attack starts fast, below 0 slowly.")
    decay_bend = Param("Decay bend", 0.5, (-1.0, 1.0), BEND, says="Above 0 the decay starts fast, below 0 slowly.")
    release_bend = Param(
        "Release bend", 0.5, (-1.0, 1.0), BEND, says="Above 0 the release starts fast, below 0 slowly."
    )
    key_times = Param(
        "By key",
        0.0,
        (-1.0, 1.0),
        PERCENT,
        says="At +100 % all times halve with every octave above C4 and double below; at −100 % the other way.",
    )
    velocity_times = Param(
        "By velocity",
        0.0,
        (-1.0, 1.0),
        PERCENT,
        says="At +100 % the hardest note plays all times at a quarter; at −100 % at four times.",
    )
    begins = Choice(
        "Begins",
        "zero",
        {"zero": "At zero", "here": "Where it is"},
        says="In the mono modes a new note begins the attack at zero, or where the note before has got to.",
    )
    loop_from = Choice(
        "Loops from",
        "off",
        {"off": "No loop", "start": "The start", "attack": "The attack", "peak": "The peak", "fall": "The decay"},
        says="Where it goes back to while the key is held; the attack then begins at the level of that moment.",
    )
    loop_to = Choice(
        "Loops at",
        "decay",
        {"peak": "The peak", "fall": "End of hold", "decay": "End of decay"},
        says="Where it goes back.",
    )
    loop_count = Param(
        "Loops", 0, (0, 32), COUNT, whole=True, movable=False, says="How often it goes back; 0 for as long as the key."
    )

    def at_rest(self) -> dict[str, tuple[str, str]]:
        """Where it does not loop, nothing ends or counts a loop."""
        if self.get("loop_from") != "off":
            return {}
        return dict.fromkeys(("loop_to", "loop_count"), ("loop_from", "there is no loop"))


def times_factor(key: float, velocity: float, key_times: float, velocity_times: float) -> float:
    """By how much a note's key (60 is C4) and velocity (0–1) stretch its times."""
    return float(2.0 ** (-key_times * (key - 60.0) / 12.0) * 4.0 ** (-velocity_times * velocity))
