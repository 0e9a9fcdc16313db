"""Four voices side by side: what goes into the lanes comes out again, and nothing is made on the way."""

from __future__ import annotations

import numpy as np
import pytest
from numba.core.errors import NumbaError

from felt_dial.sound.compiling.kernel import Stage, kernel
from felt_dial.sound.simd.arithmetic import power_of_two, tangent
from felt_dial.sound.simd.lanes import (
    lane_array,
    lane_room,
    rings_in,
    rings_out,
    stands,
    take_voices,
    voices_in,
    voices_out,
)
from felt_dial.sound.simd.memory import load, look_up, look_up_there, put_places, read_eight, read_eight_between, store
from felt_dial.sound.simd.types import any_above, bits_of, float_of, pick, root, sides, whole

STAGE = Stage(48000, 64, 8)


def voices() -> np.ndarray:
    return np.random.default_rng(5).uniform(-1, 1, (8, 2, 64)).astype(np.float32)


@pytest.mark.parametrize("count", [1, 2, 3, 4])
def test_voices_come_out_as_they_went_in(count: int) -> None:
    audio, lanes = voices(), lane_room(STAGE, 1, 1)
    who, dials, tile = lanes.who, lanes.dials, lanes.tile
    rows = np.array([6, 1, 3, 0, 5][:count], np.int32)
    first = take_voices(audio, rows, np.full(8, -1, np.int32), 0, who, dials[0])
    voices_in(audio, who, first, 4, 16, tile)
    for lane in range(8):
        row = rows[min(lane // 2, count - 1)]
        assert (tile[:, lane] == audio[row, lane % 2]).all()
    before = audio.copy()
    tile *= 2.0
    voices_out(tile, who, first, 4, 16, audio)
    assert (audio[rows] == 2 * before[rows]).all()
    others = [row for row in range(8) if row not in rows]
    assert (audio[others] == before[others]).all()


def test_a_voice_that_has_not_begun_is_left_alone() -> None:
    audio, lanes = voices(), lane_room(STAGE, 1, 1)
    who, dials, tile = lanes.who, lanes.dials, lanes.tile
    before, start = audio.copy(), np.array([-1, 2, 0, 3, 0, 0, 0, 0], np.int32)
    first = take_voices(audio, np.arange(4, dtype=np.int32), start, 0, who, dials[0])
    assert first == 0
    assert dials[0, :, 2].tolist() == [1, 1, 0, 1, 1], "it lets go of what was in the tick in which it begins"
    voices_in(audio, who, first, 4, 16, tile)
    tile[:] = 9.0
    voices_out(tile, who, first, 4, 16, audio)
    assert (audio[0] == 9).all() and (audio[2] == 9).all()
    assert (audio[1, :, :32] == before[1, :, :32]).all() and (audio[1, :, 32:] == 9).all()
    assert (audio[3, :, :48] == before[3, :, :48]).all() and (audio[3, :, 48:] == 9).all()


@kernel
def _sums(a, b, found):
    x, y = load(a, 0), load(b, 0)
    store(found, 0, x + y * 2.0 - 1.0)
    store(found, 1, min(max(x, y), 0.5) / (1.0 + abs(-x)))
    store(found, 2, pick(x, y, whole(4.0 * x), root(abs(y))))
    z = x
    z += y
    z *= 3.0
    store(found, 3, z)
    return any_above(x, 0.99), any_above(x, -2.0)


def test_lanes_count_like_numpy() -> None:
    a, b = np.random.default_rng(7).uniform(-1, 0.98, (2, 1, 8))
    found = np.zeros((4, 8))
    assert _sums(a, b, found) == (False, True)
    assert found[0] == pytest.approx(a[0] + 2 * b[0] - 1, abs=1e-14)
    assert found[1] == pytest.approx(np.minimum(np.maximum(a[0], b[0]), 0.5) / (1 + np.abs(a[0])), abs=1e-14)
    assert found[2] == pytest.approx(np.where(a[0] > b[0], np.floor(4 * a[0]), np.sqrt(np.abs(b[0]))), abs=1e-14)
    assert found[3] == pytest.approx(3 * (a[0] + b[0]), abs=1e-14)


@kernel
def _looked(table, at, found):
    x, y, z = look_up(table, load(at, 0))
    store(found, 0, x)
    store(found, 1, y)
    store(found, 2, z)


def test_a_table_is_read_at_a_place_of_each_lane() -> None:
    table = np.random.default_rng(9).uniform(-1, 1, (40, 4))
    at, found = np.array([[3.0, 39.0, 0.0, 17.0, 17.0, 5.0, 28.0, 11.0]]), np.zeros((3, 8))
    _looked(table, at, found)
    assert (found == table[at[0].astype(int), :3].T).all()


@kernel
def _looked_there(table, at, room, found):
    for n in range(at.shape[0]):
        put_places(room, n, load(at, n))
    for n in range(at.shape[0]):
        for k, column in enumerate(look_up_there(table, room, n)):
            store(found, 3 * n + k, column)


def test_places_put_by_are_looked_up_later() -> None:
    random = np.random.default_rng(10)
    table, at = random.uniform(-1, 1, (40, 4)), random.integers(0, 40, (5, 8)) + 0.75
    found = np.zeros((15, 8))
    _looked_there(table, at, lane_array(5), found)
    assert (found.reshape(5, 3, 8) == table[at.astype(int), :3].transpose(0, 2, 1)).all()


@kernel
def _summed(x):
    return sides(load(x, 0))


def test_even_and_odd_lanes_are_summed_apart() -> None:
    x = np.arange(8.0)[None] ** 2
    assert _summed(x) == (0.0 + 4 + 16 + 36, 1.0 + 9 + 25 + 49)


@kernel
def _powers(x, found):
    for n in range(x.shape[0]):
        store(found, n, power_of_two(load(x, n)))


@kernel
def _tangents(x, found):
    for n in range(x.shape[0]):
        store(found, n, tangent(load(x, n)))


def test_powers_and_tangents_are_those_of_the_library() -> None:
    x = np.linspace(-40.0, 40.0, 8000).reshape(-1, 8)
    found = np.zeros_like(x)
    _powers(x, found)
    assert found == pytest.approx(np.exp2(x), rel=1e-10)
    x = np.arange(-24.0, 24.0).reshape(-1, 8)
    found = np.zeros_like(x)
    _powers(x, found)
    assert (found == np.exp2(x)).all(), "whole octaves are exact"
    x = np.pi * np.geomspace(1e-5, 0.49, 8000).reshape(-1, 8)
    found = np.zeros_like(x)
    _tangents(x, found)
    assert found == pytest.approx(np.tan(x), rel=1e-7)


def test_rows_of_lanes_begin_at_lines_of_the_cache() -> None:
    for shape in ((1,), (3, 5), (17,)):
        lanes = lane_array(*shape)
        assert lanes.shape == (*shape, 8) and lanes.ctypes.data % 64 == 0 and not lanes.any()


def test_what_stands_still_is_known_and_what_moves_too() -> None:
    """Four voices of a dial over 17 ticks; one value of one voice is enough, and one before the first tick is not."""
    who = np.zeros((3, 8), np.int64)
    who[0, :4] = (5, 0, 3, 3)
    values = np.repeat(np.random.default_rng(12).uniform(-1, 1, (6, 1)), 17, axis=1).astype(np.float32)
    assert stands(values, who, 0)
    for row, tick in ((5, 16), (0, 1), (3, 9)):
        moved = values.copy()
        moved[row, tick] += 1e-6
        assert not stands(moved, who, 0)
        assert stands(moved, who, tick + 1) if tick < 16 else not stands(moved, who, 15)
    values[1, 8] = 2.0
    assert stands(values, who, 0), "a voice that is not one of the four"


def test_rings_give_what_went_into_them_across_their_ends() -> None:
    """Eight rings of 64, written and read in pieces: a delay of whole frames, and half way between two of them."""
    size, again, delays = 64, 24, np.array([9, 12, 17, 23, 31, 40, 47, 9])
    rings, begins = np.zeros((8, size + again), np.float32), np.arange(8) * (size + again)
    places, tile, taps = np.zeros(8, np.int64), lane_array(24), np.zeros((8, 4), np.float32)
    taps[:, 2], taps[7, 1:3] = 1.0, 0.5
    random = np.random.default_rng(13)
    sound, heard, now = random.uniform(-1, 1, (400, 8)).astype(np.float32), np.zeros((400, 8)), 0
    while now < 384:
        count = min(int(random.integers(1, 9)), 384 - now)
        rings_in(rings, begins, (now - delays - 2) % size, count, taps, places, tile)
        heard[now : now + count] = tile[:count]
        tile[:count] = sound[now : now + count]
        rings_out(tile, rings, begins, np.full(8, now % size), count, places, size, again)
        now += count
    for lane, delay in enumerate(delays[:7]):
        assert (heard[delay:384, lane] == sound[: 384 - delay, lane]).all()
    assert heard[10:384, 7] == pytest.approx(0.5 * (sound[:374, 7] + sound[1:375, 7]), abs=1e-6)


@kernel
def _read(samples, share, index, part, line, other):
    read_eight(samples, 3, index, part, line, 0)
    read_eight_between(samples, 3, 50, share, index, part, other, 0)


def test_samples_are_read_between_places_and_between_tables() -> None:
    random = np.random.default_rng(11)
    samples, share = random.uniform(-1, 1, 100).astype(np.float32), random.uniform(0, 1, 8).astype(np.float32)
    index, part = random.integers(0, 45, 8).astype(np.uint32), random.uniform(0, 1, 8).astype(np.float32)
    line, other = np.zeros(8, np.float32), np.zeros(8, np.float32)
    _read(samples, share, index, part, line, other)

    def at(offset: int) -> np.ndarray:
        return samples[offset + index] * (1 - part) + samples[offset + index + 1] * part

    assert line == pytest.approx(at(3), abs=1e-6)
    assert other == pytest.approx(at(3) * (1 - share) + at(50) * share, abs=1e-6)


@kernel
def _sorted(x, y):
    return bits_of(abs(x)) < bits_of(abs(y)), float_of(bits_of(x))


@pytest.mark.parametrize(("x", "y"), [(0.0, 1e-30), (-0.5, 0.75), (-3.0, np.inf), (np.inf, np.nan)])
def test_sizes_compare_by_their_bits(x: float, y: float) -> None:
    """IEEE 754 binary32: what is not negative is ordered like its bits, NaN above infinity."""
    smaller, same = _sorted(np.float32(x), np.float32(y))
    assert smaller and same == np.float32(x)


def test_a_kernel_that_would_make_an_array_does_not_compile() -> None:
    @kernel
    def makes(count):
        return np.zeros(count).sum()

    with pytest.raises(NumbaError, match="zeros"):
        makes(4)
