"""The pattern player: what a patch makes of held keys before they reach its voices."""

from __future__ import annotations

from felt_dial.patch.drawn import Column, Drawn, Rows
from felt_dial.patch.module import Module
from felt_dial.patch.params import LOG, Choice, Param, Switch
from felt_dial.patch.parts import fixed_param
from felt_dial.patch.units import COUNT, OCTAVES, PERCENT, RATE, SEMITONES, Beats

LANES = (
    Column("octave", -3.0, 3.0, 0.0, whole=True),
    Column("semitone", -12.0, 12.0, 0.0, whole=True),
    Column("velocity", 0.0, 1.0, 1.0),
    Column("length", 0.05, 1.0, 0.75),
    Column("tie", 0.0, 1.0, 0.0, whole=True),
    Column("probability", 0.0, 1.0, 1.0),
    Column("skip", 0.0, 1.0, 0.0, whole=True),
)
OCTAVE, SEMITONE, VELOCITY, LENGTH, TIE, PROBABILITY, SKIP = range(7)
PLAIN: Rows = tuple((0.0, 0.0, 1.0 if n % 4 == 0 else 0.8, 0.75, 0.0, 1.0, 0.0) for n in range(8))


class Pattern(Module, title="Pattern"):
    """Plays held keys one after another, in an order and a rhythm."""

    on = Switch("Plays", False, says="Held keys are played in a pattern; off they sound as they are played.")
    order = Choice(
        "Order",
        "up",
        {
            "up": "Up",
            "down": "Down",
            "bounce": "There and back",
            "played": "As played",
            "random": "By chance",
            "chord": "Chord",
        },
        says="Which of the held keys comes next; a chord plays all of them at every step.",
    )
    octaves = fixed_param("Over", 1, (1, 4), COUNT, "Over how many octaves the order goes.", whole=True)
    rate = Param(
        "Step", Beats(0.25), (0.1, 50.0), RATE, taper=LOG, beats=True, movable=False, says="How long a step lasts."
    )
    swing = fixed_param("Swing", 0.0, (0.0, 0.5), PERCENT, "Every second step comes later.")
    start = Choice(
        "Begins",
        "key",
        {"key": "With the key", "free": "With the beat"},
        says="The first key begins the pattern, or it runs along and keys come in at the next step.",
    )
    hold = Switch("Hold", False, says="The pattern goes on after the keys come up, until others are played.")
    vary_octave = fixed_param(
        "Vary octave", 0, (0, 2), OCTAVES, "By how many octaves chance shifts a step.", whole=True
    )
    vary_pitch = fixed_param(
        "Vary pitch", 0, (0, 12), SEMITONES, "By how many semitones chance shifts a step.", whole=True
    )
    vary_velocity = fixed_param("Vary velocity", 0.0, (0.0, 1.0), PERCENT, "How much softer chance makes a step.")
    vary_length = fixed_param("Vary length", 0.0, (0.0, 1.0), PERCENT, "How much shorter chance makes a step.")
    redraw = Choice(
        "New chances",
        "never",
        {"never": "Never", "steps": "After steps", "bars": "After bars"},
        says="When chance draws anew; never keeps the same variation for ever.",
    )
    redraw_after = fixed_param(
        "After", 4, (1, 64), COUNT, "After how many steps or bars chance draws anew.", whole=True
    )
    seed = fixed_param("Seed", 1, (1, 999), COUNT, "Another number, other chances.", whole=True)
    steps = Drawn("Steps", PLAIN, LANES, most=32, says="The steps: shifts, velocity, length, tie, probability, skip.")
