"""Envelope: delay, attack, hold, decay, sustain, release, with a bend for each slope and a loop between two of them."""

from __future__ import annotations

import math

import numpy as np

from felt_dial.patch.module import Modulator
from felt_dial.patch.params import CUBIC, Choice, Param
from felt_dial.patch.units import BEND, COUNT, PERCENT, SECONDS
from felt_dial.sound.control.line import STEEPNESS, slope
from felt_dial.sound.kernel import kernel


def _time(label: str, default: float, longest: float, says: str) -> Param:
    return Param(label, default, (0.0, longest), SECONDS, taper=CUBIC, beats=True, says=says)


class Envelope(Modulator, kind="envelope"):
    """A shape that begins with the note, stays while the key is held, and ends after it."""

    tag, dye = "E", "madder"

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
        "By key", 0.0, (-1.0, 1.0), PERCENT,
        says="At +100 % all times halve with every octave above C4 and double below; at −100 % the other way.",
    )  # fmt: skip
    velocity_times = Param(
        "By velocity", 0.0, (-1.0, 1.0), PERCENT,
        says="At +100 % the hardest note plays all times at a quarter; at −100 % at four times.",
    )  # fmt: skip
    begins = Choice(
        "Begins", "zero", {"zero": "At nothing", "here": "Where it is"},
        says="In the mono modes a new note begins the attack at nothing, or where the note before has got to.",
    )  # fmt: skip
    loop_from = Choice(
        "Loops from", "off",
        {"off": "No loop", "start": "The start", "attack": "The attack", "peak": "The peak", "fall": "The decay"},
        says="Where it goes back to while the key is held; the attack then begins at the level of that moment.",
    )  # fmt: skip
    loop_to = Choice(
        "Loops at", "decay", {"peak": "The peak", "fall": "End of hold", "decay": "End of decay"},
        says="Where it goes back.",
    )  # fmt: skip
    loop_count = Param(
        "Loops", 0, (0, 32), COUNT, whole=True, movable=False, says="How often it goes back; 0 for as long as the key."
    )


ROW = {name: Envelope.row_of(name) for name in Envelope.params}
ATTACK, DECAY, SUSTAIN, RELEASE = (ROW[name] for name in ("attack", "decay", "sustain", "release"))
ATTACK_BEND, DECAY_BEND, RELEASE_BEND = (ROW[f"{name}_bend"] for name in ("attack", "decay", "release"))
KEY_TIMES, VELOCITY_TIMES, BEGINS = ROW["key_times"], ROW["velocity_times"], ROW["begins"]
LOOP_FROM, LOOP_TO, LOOP_COUNT = ROW["loop_from"], ROW["loop_to"], ROW["loop_count"]
STAGE, SINCE, LEVEL, FROM, TURNS = range(5)
IN_DELAY, IN_ATTACK, IN_HOLD, IN_DECAY, IN_SUSTAIN, IN_RELEASE, DONE = range(7)
_STAGES = np.array([ROW["delay"], ATTACK, ROW["hold"], DECAY, -1, RELEASE])
_BENDS = np.array([-1, ATTACK_BEND, -1, DECAY_BEND, -1, RELEASE_BEND])


def times_factor(key: float, velocity: float, key_times: float, velocity_times: float) -> float:
    """By how much a note's key (60 is C4) and velocity (0–1) stretch its times."""
    return float(2.0 ** (-key_times * (key - 60.0) / 12.0) * 4.0 ** (-velocity_times * velocity))


@kernel
def run_envelope(m, p, rows, info, control, moves, state, t0, t1, seconds):  # type: ignore[no-untyped-def]
    """Levels of one envelope, 0 to 1, from tick `t0` up to `t1`, into `moves[m]`, for every one of `rows`.

    `state[m, row]` is (stage, time in it, level, level it came from, loops made). Where `info[row]` has a `begin` the
    note begins there, at nothing or where the note before has got to; at `release` the release begins from the level
    of that moment. A note that no key holds (`through`) neither stays nor loops.
    """
    for row in rows:
        key, velocity, after = info[row].key, info[row].velocity, info[row].after
        begin, release, through = info[row].begin, info[row].release, info[row].through != 0
        if release == 0 and t0 <= 1 and info[row].first > 0:
            _release(state, m, row)
        bend, under = 0.0, 1.0
        for t in range(max(t0, info[row].first), t1):
            since = seconds
            if t == begin:
                since, came = 0.0, 0.0
                if after >= 0 and control[p + BEGINS, row, t] > 0.5:
                    came = state[m, after, LEVEL]
                state[m, row, STAGE], state[m, row, SINCE], state[m, row, TURNS] = IN_DELAY, 0.0, 0.0
                state[m, row, FROM] = state[m, row, LEVEL] = came
            stage = np.int64(state[m, row, STAGE])
            sustain = np.float64(control[p + SUSTAIN, row, t])
            if stage in (IN_SUSTAIN, DONE):
                level = sustain if stage == IN_SUSTAIN else 0.0
            else:
                since += state[m, row, SINCE]
                by_key, by_velocity = control[p + KEY_TIMES, row, t], control[p + VELOCITY_TIMES, row, t]
                factor = 1.0
                if by_key != 0.0 or by_velocity != 0.0:
                    factor = 2.0 ** (-by_key * (key - 60.0) / 12.0 - 2.0 * by_velocity * velocity)
                length, went_back = 0.0, False
                for _ in range(8):
                    if stage in (IN_SUSTAIN, DONE):
                        break
                    length = np.float64(control[p + _STAGES[stage], row, t]) * factor
                    if since < length:
                        break
                    since -= length
                    stage += 1
                    if stage != np.int64(control[p + LOOP_TO, row, t]) + IN_HOLD or through or went_back:
                        continue
                    back = np.int64(control[p + LOOP_FROM, row, t]) - 1
                    most = control[p + LOOP_COUNT, row, t]
                    if 0 <= back < stage and (most == 0.0 or state[m, row, TURNS] < most):
                        state[m, row, FROM] = sustain if stage == IN_SUSTAIN else 1.0
                        state[m, row, TURNS] += 1.0
                        stage, went_back = back, True
                part = since / length if length > 0.0 else 1.0
                begins = state[m, row, FROM]
                if stage == IN_DELAY:
                    level = begins
                elif stage == IN_HOLD:
                    level = 1.0
                elif stage == IN_SUSTAIN:
                    level = sustain
                elif stage == DONE:
                    level = 0.0
                else:
                    now = np.float64(control[p + _BENDS[stage], row, t])
                    if now != bend:
                        bend = now
                        under = 1.0 / (1.0 - math.exp(-STEEPNESS * bend)) if abs(bend) > 1e-5 else 1.0
                    if abs(bend) > 1e-5:
                        part = (1.0 - math.exp(-STEEPNESS * bend * part)) * under
                    if stage == IN_ATTACK:
                        level = begins + (1.0 - begins) * part
                    elif stage == IN_DECAY:
                        level = 1.0 - (1.0 - sustain) * part
                    else:
                        level = begins * (1.0 - part)
                state[m, row, STAGE], state[m, row, SINCE] = stage, since
            state[m, row, LEVEL] = level
            moves[m, row, t] = np.float32(level)
            if t == release or (through and stage == IN_SUSTAIN):
                _release(state, m, row)


@kernel(inline=True)
def _release(state, m, row):  # type: ignore[no-untyped-def]
    if state[m, row, STAGE] < IN_RELEASE:
        state[m, row, STAGE] = IN_RELEASE
        state[m, row, SINCE] = 0.0
        state[m, row, FROM] = state[m, row, LEVEL]


__all__ = ["DONE", "IN_SUSTAIN", "STAGE", "STEEPNESS", "Envelope", "slope", "times_factor"]
