"""How an envelope goes through its stages."""

from __future__ import annotations

import math

import numpy as np

from felt_dial.sound.compiling.kernel import inner, kernel
from felt_dial.sound.control.core.line import STEEPNESS
from felt_dial.sound.control.core.records import GLOBAL
from felt_dial.sound.control.envelope import Envelope
from felt_dial.sound.control.kernels.core.movers import moves

ROW = {name: Envelope.row_of(name) for name in Envelope.params}
ATTACK, DECAY, SUSTAIN, RELEASE = (ROW[name] for name in ("attack", "decay", "sustain", "release"))
ATTACK_BEND, DECAY_BEND, RELEASE_BEND = (ROW[f"{name}_bend"] for name in ("attack", "decay", "release"))
KEY_TIMES, VELOCITY_TIMES, BEGINS = ROW["key_times"], ROW["velocity_times"], ROW["begins"]
LOOP_FROM, LOOP_TO, LOOP_COUNT = ROW["loop_from"], ROW["loop_to"], ROW["loop_count"]
STAGE, SINCE, LEVEL, FROM, TURNS = range(5)
IN_DELAY, IN_ATTACK, IN_HOLD, IN_DECAY, IN_SUSTAIN, IN_RELEASE, DONE = range(7)
_STAGES = np.array([ROW["delay"], ATTACK, ROW["hold"], DECAY, -1, RELEASE])
_BENDS = np.array([-1, ATTACK_BEND, -1, DECAY_BEND, -1, RELEASE_BEND])


@moves(Envelope)
@inner
def run_envelope(m, rows, modulation, performance, span):
    """Levels of one envelope, 0 to 1, for some rows and the ticks of a span; for the patch itself nothing.

    `state[m, row]` is (stage, time in it, level, level it came from, loops made). Where `info[row]` has a `begin` the
    note begins there, at nothing or where the note before has got to; at `release` the release begins from the level
    of that moment. A note that no key holds (`through`) neither stays nor loops.
    """
    info, control, moving, state = modulation.info, modulation.control, modulation.moves[m], modulation.state
    p, t0, t1, seconds = modulation.movers[m].first, span.t0, span.t1, span.seconds
    if rows[0] == GLOBAL:
        for t in range(t0, t1):
            moving[GLOBAL, t] = np.float32(0.0)
        return

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
            moving[row, t] = np.float32(level)
            if t == release or (through and stage == IN_SUSTAIN):
                _release(state, m, row)


@kernel(inline=True)
def _release(state, m, row):
    if state[m, row, STAGE] < IN_RELEASE:
        state[m, row, STAGE] = IN_RELEASE
        state[m, row, SINCE] = 0.0
        state[m, row, FROM] = state[m, row, LEVEL]
