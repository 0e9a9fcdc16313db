"""Small kernels of the way through a block: what is copied, added and decided between the modules."""

from __future__ import annotations

import numpy as np

from felt_dial.sound.compiling.kernel import kernel
from felt_dial.sound.compiling.plan import ITEMS, WORDS
from felt_dial.sound.control.core.records import GLOBAL
from felt_dial.sound.engine.kernels.mix import SILENCE, run_frequency, voices_finite

FAINT_IN_BUS = np.float32(1e-5)


@kernel
def run_zero(line):
    """Nothing in all of a line."""
    line[:] = 0.0


@kernel
def run_copy(source, target):
    """A sound (channel, frame) into another; what it has more is left out."""
    for channel in range(target.shape[0]):
        line, to = source[channel], target[channel]
        for n in range(np.uint64(to.shape[0])):
            to[n] = line[n]


@kernel
def run_copy_rows(source, target, rows):
    """Voices (row, channel, frame) into others; what they have more is left out."""
    for row in rows:
        run_copy(source[row], target[row])


@kernel
def run_add(target, source):
    """Adds a sound (channel, frame) to another."""
    for channel in range(target.shape[0]):
        line, to = source[channel], target[channel]
        for n in range(np.uint64(to.shape[0])):
            to[n] += line[n]


@kernel(fast=False)
def run_meet(sound, other, share):
    """A sound (channel, frame) becomes another one where its `share` (frame,) is 0, and stays where it is 1."""
    for channel in range(2):
        line, to = other[channel], sound[channel]
        for n in range(np.uint64(to.shape[0])):
            to[n] = line[n] + share[n] * (to[n] - line[n])


@kernel(fast=False)
def run_leave(sound, other, share):
    """A sound (channel, frame) stays where `share` (frame,) is 0, and becomes another one where it is 1."""
    for channel in range(2):
        line, to = other[channel], sound[channel]
        for n in range(np.uint64(to.shape[0])):
            to[n] += share[n] * (line[n] - to[n])


@kernel
def run_shift(inlet, spill):
    """What comes later than the block before, the last `spill` frames of an inlet (1, channel, frame), comes first now."""
    frames = inlet.shape[2]
    for channel in range(2):
        line = inlet[0, channel]
        for n in range(spill):
            line[n] = line[frames - spill + n]
        line[spill:] = np.float32(0.0)


@kernel
def same(answers, expected):
    """Whether all answers (question,) are what was expected."""
    for n in range(answers.shape[0]):
        if answers[n] != expected[n]:
            return 0
    return 1


@kernel
def is_on(control, dial):
    """Whether a switch of the whole patch is on as the block begins; control is (parameter, row, tick + 1)."""
    return 1 if control[dial, GLOBAL, 0] > 0.5 else 0


@kernel
def any_moves(dial, rows):
    """Whether a dial (row, tick + 1) is anything but 0 in one of the voices."""
    for row in rows:
        for t in range(dial.shape[1]):
            if dial[row, t] != 0.0:
                return 1
    return 0


@kernel
def run_sent(own, send, rows, level):
    """A level and that of a send, dB (row, tick + 1), together; −∞ where either is."""
    for row in rows:
        for t in range(own.shape[1]):
            silent = own[row, t] < SILENCE or send[row, t] < SILENCE
            level[row, t] = np.float32(2 * SILENCE) if silent else own[row, t] + send[row, t]


@kernel
def run_lots(lots, keys, seed):
    """What keeps the chances of layers apart, (layer,), and those of the same under another seed."""
    for n in range(lots.shape[0]):
        lots[n] = (np.int64(seed) << 4 | (keys[n] & 15)) << 31


@kernel
def run_guard(audio, rows, flags, flag, attention):
    """Voices that hold no numbers become nothing; that is said in a flag, and `attention` (1,) is called for."""
    if voices_finite(audio, rows):
        return
    for row in rows:
        audio[row] = np.float32(0.0)
    flags[flag] = 1
    attention[0] += 1


@kernel
def run_newest(newest, played, line, bend, span, reference, rows):
    """Pitch and frequency of the newest note, float32 (2, 1, tick + 1); `rows` lists it, or nothing."""
    run_frequency(played, line, bend, span, reference, rows)
    for row in rows:
        for t in range(line.shape[1]):
            newest[0, 0, t], newest[1, 0, t] = line[row, t], played[row, t]


@kernel
def run_grains(grains, most):
    """Counts grains of another block: those that are left sound on; see `Stage.grains`."""
    grains[0], grains[1], grains[2], grains[3], grains[4] = grains[2], most, 0.0, grains[4], 0.0
    grains[5] += 1.0


# --- buses ---------------------------------------------------------------------------------------


@kernel
def _list_where(chosen, room, words):
    """Lists rows, (row,) of bool, in `room`, and how many they are in its words."""
    count = 0
    for row in range(chosen.shape[0]):
        if chosen[row]:
            room[count] = row
            count += 1
    words[ITEMS] = words[WORDS] = count


@kernel
def run_bus_rows(feeds, parts, loud, sounding, place, room, words, before):
    """Lists the voices that sound in a bus: those of what goes into it, and those that ring on; says whether it has any.

    `parts` bool (layer or bus, row) says in which voices each of the layers, and then of the buses, sounds; that of this
    one, in `place`, is filled. `feeds` (layer or bus,) says which of them go into it, `loud` (row,) how loud the bus was,
    `before` are the words of the list of the block before: 1 is given where only then it had some, 2 where it has some.
    """
    own = parts[place]
    for row in range(own.shape[0]):
        own[row] = sounding[row] and loud[row] > FAINT_IN_BUS
    for part in range(feeds.shape[0]):
        if feeds[part]:
            for row in range(own.shape[0]):
                own[row] = own[row] or parts[part, row]
    _list_where(own, room, words)
    if words[ITEMS] > 0:
        return 2
    return 1 if before[ITEMS] > 0 else 0


@kernel
def run_list_before(room, words, room_before, words_before):
    """Keeps a list of rows as that of the block before."""
    count = words[ITEMS]
    for n in range(count):
        room_before[n] = room[n]
    words_before[ITEMS] = words_before[WORDS] = count


@kernel
def run_open_bus(inlet, before, spill):
    """Empties what was put into a bus, but for what comes later: the last `spill` frames."""
    frames = inlet.shape[2]
    for row in before:
        for channel in range(2):
            line = inlet[row, channel]
            for n in range(spill):
                line[n] = line[frames - spill + n]
            line[spill:] = np.float32(0.0)


@kernel
def run_settle_bus(inlet, audio, own, before, rows, rest, held, start, loud, fall):
    """Takes the voices of a bus from its inlet, and says how much is left of those that ring on, see `BusVoice`."""
    for row in before:
        if not own[row]:
            inlet[row] = np.float32(0.0)
    run_copy_rows(inlet, audio, rows)
    if rows.shape[0] == 0:
        held[:] = False
        return
    for row in range(held.shape[0]):
        rest[0, row] = rest[1, row]
        if start[row] >= 0:
            rest[0, row] = rest[1, row] = np.float32(1.0)
        elif held[row]:
            rest[1, row] = max(rest[1, row] - np.float32(fall), np.float32(0.0))
    loud[:] = np.float32(0.0)


@kernel
def run_keep_ringing(held, finished, loud, rest):
    """Lets voices go on that have ended but still sound in this bus."""
    for row in range(held.shape[0]):
        held[row] = finished[row] and loud[row] > FAINT_IN_BUS and rest[1, row] > 0.0
        finished[row] = finished[row] and not held[row]


@kernel
def run_zero_sound(sound):
    """Nothing in all of a sound (channel, frame)."""
    sound[:] = np.float32(0.0)
