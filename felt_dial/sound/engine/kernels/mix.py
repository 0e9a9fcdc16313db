"""Small kernels between the modules: pitch, level and pan, guards, half-band, loudness."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from felt_dial.patch.parts import Inlet, Layer
from felt_dial.sound.compiling.kernel import kernel
from felt_dial.sound.simd.types import bits_of, float_of
from felt_dial.sound.sizes import ABOVE, BRIGHT

OCTAVE, PITCH, FINE, HARMONIC, DIVISOR, FIXED, FREQUENCY = Layer.rows_of(
    "octave", "pitch", "fine", "harmonic", "divisor", "fixed", "frequency"
)
INDEX, RING = Inlet.row_of("index"), Inlet.row_of("ring")
SILENCE = -59.95
MOST = np.float32(1e12)
QUIET, SILENT, BROKEN = range(3)
"""Flags of a module: nothing has sounded in it yet; for how many frames it is silent; it gave no number."""
FAINT = 1e-7


@kernel
def run_line(line, pitch, before, goal, pace, turn, bent, bend, begin, active, follow):
    """Pitch of every note in semitones, glide and its own bend included, float32 (row, tick + 1).

    `pitch` moves by `pace` a tick towards `before` until tick `turn` and towards `goal` from there;
    `bent` follows `bend`, smoothed by `follow` a tick.
    """
    ticks = line.shape[1] - 1
    for row in active:
        first = max(begin[0, row], 0)
        if begin[0, row] >= 0:
            bent[row] = bend[row]
        for t in range(ticks + 1):
            if t > first:
                aim = goal[row] if t > turn[row] else before[row]
                way = aim - pitch[row]
                pitch[row] += min(max(way, -pace[row]), pace[row])
                bent[row] += (bend[row] - bent[row]) * follow
            line[row, t] = np.float32(pitch[row] + bent[row])


@kernel
def run_transpose(line, flat, semitones, cents, active):
    """Moves what notes play by the pitch of the whole patch, in semitones and cents; (row, tick + 1).

    `line` is what each note plays, `flat` becomes what layers play that follow no key: A4, moved alike.
    """
    for row in active:
        for t in range(line.shape[1]):
            shift = semitones[row, t] + np.float32(0.01) * cents[row, t]
            line[row, t] += shift
            flat[row, t] = np.float32(69.0) + shift


@kernel
def run_pitch(frequency, control, line, bend, span, reference, active):
    """Frequency (Hz) of a layer, float32 (row, tick + 1): key, octave, pitch, fine, ratio and bend, or fixed.

    `line` is what each note plays in semitones, `bend` float32 (row, tick + 1) from −1 to 1, `span`
    its reach in semitones, `reference` the frequency of A4.
    """
    for row in active:
        known, power = np.float64(-1e9), 1.0
        for t in range(frequency.shape[1]):
            if control[FIXED, row, t] > 0.5:
                frequency[row, t] = control[FREQUENCY, row, t]
                known = np.float64(-1e9)
                continue
            steps = np.float64(line[row, t]) - 69.0 + 12.0 * np.float64(control[OCTAVE, row, t])
            steps += np.float64(control[PITCH, row, t]) + 0.01 * np.float64(control[FINE, row, t])
            steps += np.float64(bend[row, t]) * np.float64(span)
            ratio = np.float64(control[HARMONIC, row, t]) / np.float64(control[DIVISOR, row, t])
            if steps != known:
                known, power = steps, 2.0 ** (steps / 12.0)
            frequency[row, t] = np.float32(min(max(reference * ratio * power, 1e-3), 1e5))


@kernel
def run_send(audio, contour, gain, weight, active, tick, send):
    """What a layer gives to those it modulates, float32 (row, frame): both sides' mean at its level over time."""
    ticks = contour.shape[1] - 1
    for row in active:
        for t in range(ticks):
            share = contour[row, t] * gain[row, t] * weight[row]
            grow = (contour[row, t + 1] * gain[row, t + 1] * weight[row] - share) / np.float32(tick)
            begin = t * tick
            left, right, to = audio[row, 0, begin:], audio[row, 1, begin:], send[row, begin:]
            for k in range(np.uint64(tick)):
                to[k] = np.float32(0.5) * (left[k] + right[k]) * (share + grow * np.float32(k))


@kernel
def run_turn(turn, send, control, weight, active, tick, fresh):
    """Adds `send` times its index to `turn`, float32 (row, frame), cycles; `fresh` begins from nothing.

    J. M. Chowning, JAES 21(7), 1973: the index is the peak deviation of the phase in radians.
    """
    cycles = np.float32(0.5 / math.pi)
    for row in active:
        if fresh:
            turn[row, :] = np.float32(0.0)
        if weight[row] == 0.0:
            continue
        for t in range(control.shape[2] - 1):
            index = control[INDEX, row, t] * cycles
            grow = (control[INDEX, row, t + 1] * cycles - index) / np.float32(tick)
            sent, to = send[row, t * tick :], turn[row, t * tick :]
            for k in range(np.uint64(tick)):
                to[k] += sent[k] * (index + grow * np.float32(k))


@kernel
def run_ring(audio, send, control, weight, active, tick):
    """Multiplies a layer by what another sends, as far as the inlet's ring says."""
    for row in active:
        if weight[row] == 0.0:
            continue
        for t in range(control.shape[2] - 1):
            ring = control[RING, row, t]
            if ring == 0.0 and control[RING, row, t + 1] == 0.0:
                continue
            grow = (control[RING, row, t + 1] - ring) / np.float32(tick)
            begin = t * tick
            left, right, sent = audio[row, 0, begin:], audio[row, 1, begin:], send[row, begin:]
            for k in range(np.uint64(tick)):
                share = np.float32(1.0) + (ring + grow * np.float32(k)) * (sent[k] - np.float32(1.0))
                left[k] *= share
                right[k] *= share


@kernel
def _gain(decibels):
    return 10.0 ** (decibels / 20.0) if decibels > SILENCE else 0.0


@kernel
def _sides(decibels, pan, scale):
    level = _gain(decibels) * scale
    return level * math.cos((pan + 1.0) * math.pi / 4), level * math.sin((pan + 1.0) * math.pi / 4)


@kernel
def run_mix(
    audio, contour, level, pan, gain, before, after, active, tick, was, now, scale, onward, sums, wait, peak, loudest
):
    """Adds voices to where they go, at their level over time, level and pan; `loudest` (1,) is raised to their largest sample.

    `onward` is float32 (row, channel, frame): the voices of a bus, or where `sums`, one sound in its row 0. `contour`,
    `level` (dB), `pan` and `gain` are (row, tick + 1). `was` → `now` is the share for on, mute and solo, ramped over
    the block as is how much each note has, `before` → `after` (row,). All comes `wait` frames later. `scale` makes the
    middle as loud as it shall be: panning by itself takes 3 dB from it. `peak` (row,) is raised to each voice's largest sample.
    """
    ticks = contour.shape[1] - 1
    top = np.int32(0)
    for row in active:
        high = np.int32(0)
        goal = 0 if sums else row
        to_left, to_right = _sides(np.float64(level[row, 0]), np.float64(pan[row, 0]), scale)
        part, grow = was * before[row], (now * after[row] - was * before[row]) / np.float32(ticks)
        share = contour[row, 0] * gain[row, 0] * part
        left, right = to_left * share, to_right * share
        for t in range(ticks):
            if level[row, t + 1] != level[row, t] or pan[row, t + 1] != pan[row, t]:
                to_left, to_right = _sides(np.float64(level[row, t + 1]), np.float64(pan[row, t + 1]), scale)
            share = contour[row, t + 1] * gain[row, t + 1] * (part + grow * np.float32(t + 1))
            next_left, next_right = to_left * share, to_right * share
            x, y = np.float32(left), np.float32(right)
            dx, dy = np.float32((next_left - left) / tick), np.float32((next_right - right) / tick)
            begin = t * tick
            one, two = audio[row, 0, begin:], audio[row, 1, begin:]
            to_one, to_two = onward[goal, 0, begin + wait :], onward[goal, 1, begin + wait :]
            for k in range(np.uint64(tick)):
                u, v = one[k] * (x + dx * np.float32(k)), two[k] * (y + dy * np.float32(k))
                to_one[k] += u
                to_two[k] += v
                high = np.int32(max(high, bits_of(abs(u)), bits_of(abs(v))))
            left, right = next_left, next_right
        peak[row] = max(peak[row], float_of(high))
        top = np.int32(max(top, high))
    loudest[0] = max(loudest[0], float_of(top))


@kernel
def run_swing(swing, send, octaves, weight, active, tick):
    """How many octaves a layer's sound `send` (row, frame) swings a cutoff, float32 (row, frame), into `swing`."""
    for row in active:
        if weight[row] == 0.0:
            swing[row, :] = np.float32(0.0)
            continue
        for t in range(octaves.shape[1] - 1):
            depth = octaves[row, t]
            grow = (octaves[row, t + 1] - depth) / np.float32(tick)
            sent, to = send[row, t * tick :], swing[row, t * tick :]
            for k in range(np.uint64(tick)):
                to[k] = sent[k] * (depth + grow * np.float32(k))


@kernel
def run_frequency(frequency, line, bend, span, reference, active):
    """Frequency (Hz) of every note as it is played, without the pitch of any layer; float32 (row, tick + 1)."""
    for row in active:
        for t in range(frequency.shape[1]):
            steps = np.float64(line[row, t]) - 69.0 + np.float64(bend[row, t]) * np.float64(span)
            frequency[row, t] = np.float32(min(max(reference * 2.0 ** (steps / 12.0), 1e-3), 1e5))


@kernel
def gate(on, wet, active):
    """0 where a module is off in all voices, 1 where it works in all fully, 2 for anything between; (row, tick + 1)."""
    most, least = np.float32(0.0), np.float32(1.0)
    for row in active:
        for t in range(on.shape[1]):
            share = on[row, t] * wet[row, t]
            most, least = max(most, share), min(least, share)
    if most <= 0.0:
        return 0
    return 1 if least >= 1.0 else 2


@kernel
def run_voice_blend(dry, wet, on, share, active, tick):
    """Voices of `wet` (row, channel, frame) become `dry` as far as `on` times `share` (row, tick + 1) is not 1."""
    for row in active:
        for t in range(on.shape[1] - 1):
            part = on[row, t] * share[row, t]
            grow = (on[row, t + 1] * share[row, t + 1] - part) / np.float32(tick)
            for channel in range(2):
                plain, to = dry[row, channel, t * tick :], wet[row, channel, t * tick :]
                for k in range(np.uint64(tick)):
                    to[k] = plain[k] + (part + grow * np.float32(k)) * (to[k] - plain[k])


@kernel
def run_wait(audio, line, active, start, tick, out):
    """Voices of `audio` (row, channel, frame) into `out`, which may be itself, later by half the frames that `line` has.

    `line` float32 (row, channel, 2 · frame) keeps the last of them. A voice that begins in this block, at tick `start`
    (row,), comes after silence.
    """
    late, frames = line.shape[2] // 2, audio.shape[2]
    for row in active:
        for channel in range(2):
            kept, come, gone = line[row, channel], audio[row, channel], out[row, channel]
            if start[row] >= 0:
                kept[:] = np.float32(0.0)
                come[: start[row] * tick] = np.float32(0.0)
            for k in range(late):
                kept[late + k] = come[frames - late + k]
            for n in range(frames - 1, late - 1, -1):
                gone[n] = come[n - late]
            for k in range(late):
                gone[k] = kept[k]
                kept[k] = kept[late + k]


@kernel
def run_remember(audio, line, active, start, tick):
    """Keeps the last frames of voices of `audio` (row, channel, frame) in `line`, as `run_wait` would, and lets them pass."""
    late, frames = line.shape[2] // 2, audio.shape[2]
    for row in active:
        begin = start[row] * tick
        for channel in range(2):
            for k in range(late):
                n = frames - late + k
                line[row, channel, k] = audio[row, channel, n] if n >= begin else np.float32(0.0)


@kernel(inline=True)
def _eased(n, frames):
    """How far frame `n` of a block is on a way that begins and ends level."""
    u = n * np.float32(1.0 / frames)
    return u * u * (np.float32(3.0) - np.float32(2.0) * u)


@kernel
def run_fade(was, now, active):
    """Voices of `was` (row, channel, frame) fade into those of `now` over the block, in `now`; without a corner."""
    frames = now.shape[2]
    for row in active:
        for channel in range(2):
            old, fresh = was[row, channel], now[row, channel]
            for n in range(np.uint64(frames)):
                fresh[n] = old[n] + _eased(np.float32(n), frames) * (fresh[n] - old[n])


@kernel
def run_rise(audio, active, start):
    """Lets voices of `audio` (row, channel, frame) rise from nothing over the block, but for those that begin in it."""
    frames = audio.shape[2]
    for row in active:
        if start[row] < 0:
            for channel in range(2):
                line = audio[row, channel]
                for n in range(np.uint64(frames)):
                    line[n] *= _eased(np.float32(n), frames)


@kernel
def _highest(line):
    """Bits of the largest sample of a line; of a NaN, if there is one."""
    top = np.int32(0)
    for n in range(np.uint64(line.shape[0])):
        top = np.int32(max(top, bits_of(abs(line[n]))))
    return top


@kernel
def _highest_of(audio, active):
    top = np.int32(0)
    for row in active:
        top = np.int32(max(top, _highest(audio[row, 0]), _highest(audio[row, 1])))
    return top


@kernel
def voices_peak(audio, active):
    """The largest sample of some voices."""
    return float_of(_highest_of(audio, active))


@kernel
def voices_finite(audio, active):
    """False where a voice holds a NaN or an infinity."""
    return _highest_of(audio, active) < bits_of(MOST)


@kernel
def sound_peak(audio):
    """The largest sample of a sound (channel, frame); −1 where it holds a NaN or an infinity."""
    top = np.int32(max(_highest(audio[0]), _highest(audio[1])))
    return float_of(top) if top < bits_of(MOST) else np.float32(-1.0)


@kernel
def run_blend(dry, wet, on, share, shared, tick):
    """`wet` becomes `dry` where `on` (tick + 1), times `share` where it is `shared`, is 0, and stays where it is 1."""
    for t in range(on.shape[0] - 1):
        part, after = on[t], on[t + 1]
        if shared:
            part *= share[t]
            after *= share[t + 1]
        grow = (after - part) / np.float32(tick)
        for channel in range(2):
            plain, to = dry[channel, t * tick :], wet[channel, t * tick :]
            for k in range(np.uint64(tick)):
                to[k] = plain[k] + (part + grow * np.float32(k)) * (to[k] - plain[k])


@kernel
def _loudness(sound, dark, low, side):
    """Power of one channel as it is heard, see `BRIGHT`."""
    total, below = 0.0, low[side]
    for n in range(np.uint64(sound.shape[1])):
        x = np.float64(sound[side, n])
        below += dark * (x - below)
        heard = x + BRIGHT * (x - below)
        total += heard * heard
    low[side] = below
    return total


@kernel
def run_kept(dry, wet, kept, loud, rate):
    """As far as `kept` (tick + 1,) says, makes `wet` (channel × frame) as loud as `dry`, by what both were in the last second.

    Not before a silence. `loud` is (before, after, gain, what is below 1.5 kHz of both sides before and after, seconds).
    After a silence the powers begin anew, and for 12 ms, in which much has not come through yet, the gain stays; a tail
    keeps its own.
    """
    frames = dry.shape[1]
    dark = 1.0 - math.exp(-2.0 * math.pi * ABOVE / rate)
    before = _loudness(dry, dark, loud[3:5], 0) + _loudness(dry, dark, loud[3:5], 1)
    after = _loudness(wet, dark, loud[5:7], 0) + _loudness(wet, dark, loud[5:7], 1)
    fade = math.exp(-frames / rate)
    loud[0], loud[1], loud[7] = fade * loud[0] + before, fade * loud[1] + after, fade * loud[7] + frames / rate
    same = loud[0] * 0.001 / loud[7] + 1e-12
    goal = min(math.sqrt((loud[0] + same) / (loud[1] + same)), 8.0)
    was = loud[2] if loud[2] > 0.0 else 1.0
    if before < 2e-9 * frames or loud[7] < 0.012:
        goal = was
    now = was + (goal - was) * (1.0 - math.exp(-frames / rate / 0.03))
    loud[2] = now
    if before < 2e-9 * frames:
        loud[0] = loud[1] = loud[7] = 0.0
        loud[2] = 0.0 if after < 2e-9 * frames else was
    part, whole = np.float64(kept[0]), np.float64(kept[kept.shape[0] - 1])
    was, now = 1.0 + part * (was - 1.0), 1.0 + whole * (now - 1.0)
    gain, grow = np.float32(was), np.float32((now - was) / frames)
    for channel in range(2):
        line = wet[channel]
        for n in range(np.uint64(frames)):
            line[n] *= gain + grow * np.float32(n)


@kernel
def effect_works(on, wet, kept):
    """What an effect does in a block: nothing (0), all of the sound (1), or a part of it (2); 4 more where it keeps its level.

    `on`, `wet` and `kept` are (tick + 1,).
    """
    end = on.shape[0] - 1
    if on[0] == 0.0 and on[end] == 0.0:
        return 0
    whole = on[0] == 1.0 and on[end] == 1.0 and wet[0] == 1.0 and wet[end] == 1.0
    keeps = kept[0] > 0.0 or kept[end] > 0.0
    return (1 if whole else 2) + (4 if keeps else 0)


@kernel
def run_in(sound, dry, peaks, flags, runs_on, alone):
    """Copies what goes into an effect (channel, frame) to `dry`; 0 where nothing has come in yet, so that it need not work.

    `peaks` (2,) is told its largest sample, `flags` (see `running_module`) that something sounds in it. `alone` is whether
    only what the effect adds is heard.
    """
    before = sound_peak(sound)
    if flags[QUIET] != 0 and before == 0.0 and not runs_on:
        if alone:
            sound[:] = np.float32(0.0)
        return 0
    for channel in range(2):
        line, to = sound[channel], dry[channel]
        for n in range(np.uint64(line.shape[0])):
            to[n] = line[n]
    peaks[0], flags[QUIET] = before, 0
    return 1


@kernel
def run_back(dry, sound, works, keeps, alone, on, wet, shared, kept, loud, rate, tick, peaks, flags, most, attention):
    """What a rack does after an effect: keeps its level, blends it, leaves `alone` what it adds.

    Where the effect gave no number, the sound is nothing. That is told in `flags`, and so is for how many frames it is
    silent; `attention` (1,) is called for where it gave none, or was silent for `most` frames.
    """
    peak = sound_peak(sound)
    if peak < 0.0:
        sound[:] = np.float32(0.0)
        flags[BROKEN] = 1
        attention[0] += 1
    else:
        if keeps:
            run_kept(dry, sound, kept, loud, rate)
        else:
            loud[:] = 0.0
            loud[2] = 1.0
        if works == 2:
            run_blend(dry, sound, on, wet, shared, tick)
        if alone:
            for channel in range(2):
                line, plain = sound[channel], dry[channel]
                for n in range(np.uint64(line.shape[0])):
                    line[n] -= plain[n]
        if keeps or works == 2 or alone:
            peak = sound_peak(sound)
            if peak < 0.0:
                flags[BROKEN] = 1
                attention[0] += 1
    peaks[1] = max(peak, np.float32(0.0))
    flags[SILENT] = flags[SILENT] + dry.shape[1] if peaks[0] == 0.0 and peak < FAINT else 0
    if flags[SILENT] > most:
        attention[0] += 1


@kernel
def run_output(audio, was, now, ceiling, peaks):
    """Applies the output gain `was` → `now` and holds the sound under `ceiling`; `peaks` (2,) are told those before that."""
    frames = audio.shape[1]
    gain, grow, most = np.float32(was), np.float32((now - was) / frames), np.float32(ceiling)
    for channel in range(2):
        line = audio[channel]
        for n in range(np.uint64(frames)):
            line[n] *= gain + grow * np.float32(n)
    peaks[0], peaks[1] = float_of(_highest(audio[0])), float_of(_highest(audio[1]))
    for channel in range(2):
        line = audio[channel]
        for n in range(np.uint64(frames)):
            line[n] = min(max(line[n], -most), most)


def k_weighting(rate: float) -> NDArray[np.float64]:
    """Two biquads (2, 5): b0 b1 b2 a1 a2 of the K weighting at any rate.

    ITU-R BS.1770-4, annex 1; analogue parameters fitted to its 48 kHz coefficients, as in common
    practice for other rates.
    """
    f0, gain, q = 1681.974450955533, 3.999843853973347, 0.7071752369554196
    k, vh = math.tan(math.pi * f0 / rate), 10 ** (gain / 20)
    vb = vh**0.4996667741545416
    a0 = 1 + k / q + k * k
    shelf = [
        (vh + vb * k / q + k * k) / a0,
        2 * (k * k - vh) / a0,
        (vh - vb * k / q + k * k) / a0,
        2 * (k * k - 1) / a0,
        (1 - k / q + k * k) / a0,
    ]
    f0, q = 38.13547087602444, 0.5003270373238773
    k = math.tan(math.pi * f0 / rate)
    a0 = 1 + k / q + k * k
    return np.array([shelf, [1.0, -2.0, 1.0, 2 * (k * k - 1) / a0, (1 - k / q + k * k) / a0]])


@kernel
def run_loudness(audio, weights, state):
    """Mean square of both channels after the K weighting, summed; `state` is float64 (channel, 2, 2)."""
    total = 0.0
    frames = audio.shape[1]
    for channel in range(2):
        for n in range(frames):
            x = np.float64(audio[channel, n])
            for s in range(2):
                y = weights[s, 0] * x + state[channel, s, 0]
                state[channel, s, 0] = weights[s, 1] * x - weights[s, 3] * y + state[channel, s, 1]
                state[channel, s, 1] = weights[s, 2] * x - weights[s, 4] * y
                x = y
            total += x * x
        for s in range(2):
            for k in range(2):
                if abs(state[channel, s, k]) < 1e-20:
                    state[channel, s, k] = 0.0
    return total / frames
