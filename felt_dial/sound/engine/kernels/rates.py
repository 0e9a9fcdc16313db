"""Half-band filters and delays, compiled."""

from __future__ import annotations

import numpy as np

from felt_dial.sound.compiling.kernel import kernel


@kernel
def _filtered(line, taps, out):
    """Adds to `out` what taps make of a line that begins as many frames before it, less one.

    Tap after tap: so many frames are worked on at once.
    """
    for k in range(taps.shape[0]):
        tap, part = taps[k], line[k:]
        for n in range(np.uint64(out.shape[0])):
            out[n] += tap * part[n]


@kernel
def run_halve(audio, out, history, taps, middle):
    """Half the frames of `audio` (channel × 2·frame) into `out`.

    `history` (channel, 2, frame) holds the even and the odd frames apart, the last of before first; `taps` are those of a
    half-band that meet the even ones, `middle` is the one that meets the odd ones.
    """
    frames, late = out.shape[1], taps.shape[0] - 1
    for channel in range(2):
        even, odd = history[channel, 0], history[channel, 1]
        new_even, new_odd, sound, found = even[late:], odd[late:], audio[channel], out[channel]
        for n in range(np.uint64(frames)):
            new_even[n], new_odd[n] = sound[np.uint64(2) * n], sound[np.uint64(2) * n + np.uint64(1)]
        delayed = odd[late // 2 :]
        for n in range(np.uint64(frames)):
            found[n] = middle * delayed[n]
        _filtered(even, taps, found)
        for n in range(late):
            even[n], odd[n] = even[frames + n], odd[frames + n]


@kernel
def run_double(audio, out, history, even, taps, middle):
    """Twice the frames of `audio` (channel × frame) into `out`; `history` holds the last frames of before first.

    Every second tap of a half-band meets no frame; of the others, `taps` make the even frames, and the odd ones are the
    sound itself, late, times twice the `middle`. `even` (frame,) is room.
    """
    frames, late = audio.shape[1], taps.shape[0] - 1
    for channel in range(2):
        line, found, sound = history[channel], out[channel], audio[channel]
        new = line[late:]
        for n in range(np.uint64(frames)):
            new[n] = sound[n]
            even[n] = np.float32(0.0)
        _filtered(line, taps, even)
        delayed = line[late - late // 2 :]
        for n in range(np.uint64(frames)):
            found[np.uint64(2) * n] = np.float32(2.0) * even[n]
            found[np.uint64(2) * n + np.uint64(1)] = np.float32(2.0) * middle * delayed[n]
        for n in range(late):
            line[n] = line[frames + n]


@kernel
def run_pad(audio, line, state, wait):
    """Delays `audio` (channel × frame) in place by `wait` frames; another wait is crossfaded over the block.

    `line` float32 (channel, 2ⁿ); `state` holds where to write, and the wait of the block before.
    """
    mask = line.shape[1] - 1
    frames = audio.shape[1]
    at, was = state[0], state[1]
    for n in range(frames):
        share = np.float32((n + 1.0) / frames)
        for channel in range(2):
            line[channel, (at + n) & mask] = audio[channel, n]
            late = line[channel, (at + n - wait) & mask]
            if was != wait:
                before = line[channel, (at + n - was) & mask]
                late = before + share * (late - before)
            audio[channel, n] = late
    state[0], state[1] = (at + frames) & mask, wait
