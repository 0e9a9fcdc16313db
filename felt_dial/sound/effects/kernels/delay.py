"""Delay, frame by frame: two lines, tone and diffusion in their loop."""

from __future__ import annotations

import math

import numpy as np

from felt_dial.sound.compiling.kernel import Stage, flushed, kernel, works_for
from felt_dial.sound.effects.delay import LONGEST, Delay

SMEARS = (0.0047, 0.0079, 0.0121, 0.0193)
"""Seconds of the all-passes that smear an echo."""
SMEAR = 0.62
WOW, WOW_RATE, FLUTTER, FLUTTER_RATE = 0.0025, 0.7, 0.0001, 6.3
"""Seconds and hertz of the slow and the quick wavering of worn tape, at its most."""
STEP_BACK = 0.05
"""Level of the sound at which ducked echoes are half gone."""


LEFT, RIGHT, FEEDBACK, TONE, PING_PONG, DIFFUSION, WOW_BY, DUCK, WET = Delay.rows_of(
    "left", "right", "feedback", "tone", "ping_pong", "diffusion", "wow", "duck", "wet"
)
SMEAR_AT, TURN, LOUD = range(3)
WRITE, TIME_LEFT, TIME_RIGHT, TONE_LEFT, TONE_RIGHT, LAST_LEFT, LAST_RIGHT = range(7)
OPEN = 19_900.0
GLIDE = 0.05


@kernel
def echo(line, at, time, mask):
    """The line `time` frames ago; cubic (Hermite) interpolation between frames."""
    whole = int(time)
    part = time - whole
    here = line[(at - whole) & mask]
    if part < 1e-6:
        return np.float64(here)
    before, next_, after = line[(at - whole + 1) & mask], line[(at - whole - 1) & mask], line[(at - whole - 2) & mask]
    c1 = 0.5 * (next_ - before)
    c2 = before - 2.5 * here + 2.0 * next_ - 0.5 * after
    c3 = 0.5 * (after - before) + 1.5 * (here - next_)
    return ((c3 * part + c2) * part + c1) * part + here


@kernel
def steady_echo(line, at, time, mask, before):
    """The line `time` frames ago, at least one, while that does not change; `before` is what came out a frame ago.

    An all-pass of first order (J.-P. Thiran, IEEE Trans. Circuit Theory 18(6), 1971): no echo is duller than the one before.
    """
    whole = int(time - 0.5)
    part = time - whole
    lean = (1.0 - part) / (1.0 + part)
    return line[(at - whole - 1) & mask] + lean * (line[(at - whole) & mask] - before)


@kernel
def _settle(goal, state, which):
    """The length to glide to, whole where it nearly is; one that is nearly reached is taken."""
    if abs(goal - round(goal)) < 0.01:
        goal = np.float64(round(goal))
    if state[which] == 0.0 or abs(goal - state[which]) < 0.01:
        state[which] = goal
    return goal


def prepare_delay(module: Delay, stage: Stage) -> tuple[np.ndarray, ...]:
    """State of a delay, as it begins."""
    size = 1 << math.ceil(math.log2(LONGEST * stage.rate + stage.frames + 8))
    smear = 1 << math.ceil(math.log2(max(SMEARS) * stage.rate + 8))
    return np.zeros((2, size), np.float32), np.zeros(8), np.zeros((2, len(SMEARS), smear), np.float32), np.zeros(3)


@kernel
def _shares(diffusion):
    """How much of the copy and of the cloud goes into the echo, which together are as loud as either."""
    same = 1.0 / math.sqrt((1.0 - diffusion) ** 2 + diffusion**2)
    return (1.0 - diffusion) * same, diffusion * same


@works_for(Delay, prepare_delay)
@kernel
def run_delay(audio, control, tick, rate, lines, state, smears, other):
    """Adds echoes to `audio` (float32, channel × frame) in place.

    A change of time glides like tape, so that it never clicks.
    """
    mask = lines.shape[1] - 1
    glide = 1.0 - math.exp(-1.0 / (GLIDE * rate))
    write = int(state[WRITE])
    around = smears.shape[2] - 1
    at = np.int64(other[SMEAR_AT])
    rise, fall = 1.0 - math.exp(-1.0 / (0.004 * rate)), 1.0 - math.exp(-1.0 / (0.25 * rate))
    for t in range(control.shape[1] - 1):
        cross = control[PING_PONG, t] > 0.5
        feedback = np.float64(control[FEEDBACK, t])
        grow = (np.float64(control[FEEDBACK, t + 1]) - feedback) / tick
        wet = np.float64(control[WET, t])
        wetter = (np.float64(control[WET, t + 1]) - wet) / tick
        tone = np.float64(control[TONE, t])
        dull = 1.0 if tone > OPEN else 1.0 - math.exp(-2.0 * math.pi * tone / rate)
        duck = np.float64(control[DUCK, t])
        wow = np.float64(control[WOW_BY, t])
        smeared = control[DIFFUSION, t] > 0.0 or control[DIFFUSION, t + 1] > 0.0
        clear, cloud = _shares(np.float64(control[DIFFUSION, t]))
        more_clear, more_cloud = _shares(np.float64(control[DIFFUSION, t + 1]))
        more_clear, more_cloud = (more_clear - clear) / tick, (more_cloud - cloud) / tick
        sway = 0.0
        if wow > 0.0:
            other[TURN] += tick / rate
            slow, quick = 2.0 * math.pi * WOW_RATE * other[TURN], 2.0 * math.pi * FLUTTER_RATE * other[TURN]
            sway = wow * rate * (WOW * (1.0 + math.sin(slow)) + FLUTTER * math.sin(quick))
        goal_left = _settle(np.float64(control[LEFT, t]) * rate + sway, state, TIME_LEFT)
        goal_right = _settle(np.float64(control[RIGHT, t]) * rate + sway, state, TIME_RIGHT)
        for n in range(t * tick, (t + 1) * tick):
            state[TIME_LEFT] += (goal_left - state[TIME_LEFT]) * glide
            state[TIME_RIGHT] += (goal_right - state[TIME_RIGHT]) * glide
            if sway == 0.0 and state[TIME_LEFT] == goal_left and state[TIME_RIGHT] == goal_right:
                left = steady_echo(lines[0], write, goal_left, mask, state[LAST_LEFT])
                right = steady_echo(lines[1], write, goal_right, mask, state[LAST_RIGHT])
            else:
                left = echo(lines[0], write, state[TIME_LEFT], mask)
                right = echo(lines[1], write, state[TIME_RIGHT], mask)
            state[LAST_LEFT], state[LAST_RIGHT] = flushed(left), flushed(right)
            state[TONE_LEFT] += dull * (left - state[TONE_LEFT])
            state[TONE_RIGHT] += dull * (right - state[TONE_RIGHT])
            x, y = np.float64(audio[0, n]), np.float64(audio[1, n])
            dry_left, dry_right = x, y
            step_back = 1.0
            if duck > 0.0:
                size = max(abs(x), abs(y))
                other[LOUD] += (size - other[LOUD]) * (rise if size > other[LOUD] else fall)
                step_back = 1.0 - duck * other[LOUD] / (other[LOUD] + STEP_BACK)
            if smeared:
                p, q = x, y
                for k in range(len(SMEARS)):
                    back = np.int64(SMEARS[k] * rate)
                    before, before_right = smears[0, k, (at - back) & around], smears[1, k, (at - back) & around]
                    v, w = p - SMEAR * before, q - SMEAR * before_right
                    smears[0, k, at & around] = np.float32(flushed(v))
                    smears[1, k, at & around] = np.float32(flushed(w))
                    p, q = before + SMEAR * v, before_right + SMEAR * w
                at += 1
                x, y = clear * x + cloud * p, clear * y + cloud * q
                clear += more_clear
                cloud += more_cloud
            if cross:
                into_left = 0.5 * (x + y) + feedback * state[TONE_RIGHT]
                into_right = feedback * state[TONE_LEFT]
            else:
                into_left = x + feedback * state[TONE_LEFT]
                into_right = y + feedback * state[TONE_RIGHT]
            if abs(into_left) < 1e-15:
                into_left = 0.0
            if abs(into_right) < 1e-15:
                into_right = 0.0
            lines[0, write] = np.float32(into_left)
            lines[1, write] = np.float32(into_right)
            audio[0, n] = np.float32(dry_left + wet * step_back * left)
            audio[1, n] = np.float32(dry_right + wet * step_back * right)
            write = (write + 1) & mask
            feedback += grow
            wet += wetter
    state[WRITE], other[SMEAR_AT] = write, at & around
    other[TURN] -= 1000.0 * math.floor(other[TURN] / 1000.0)
