"""How lanes come from memory and go back to it: rows of eight, tables that are looked up, and lines that are turned."""

from __future__ import annotations

from typing import Any

import numpy as np
from llvmlite import ir
from numba import types
from numba.extending import overload

from felt_dial.sound.simd.types import (
    FAST,
    FLOATS,
    INDEX,
    LANES,
    VECTOR,
    LaneType,
    everywhere,
    intrinsic,
    lane_mask,
    lanes,
)


def _place(context: Any, builder: Any, kind: Any, array: Any, at: Any) -> Any:
    """A pointer to a number of an array, counted flat."""
    return builder.gep(context.make_array(kind)(context, builder, array).data, [at])


def _row(context: Any, builder: Any, kind: Any, array: Any, row: Any) -> Any:
    at = builder.mul(row, ir.Constant(row.type, LANES))
    return builder.bitcast(_place(context, builder, kind, array, at), VECTOR.as_pointer())


@intrinsic
def load(context: Any, array: Any, row: Any) -> Any:
    """Row `row` of a float64 array (row, 8)."""

    def lower(context: Any, builder: Any, sig: Any, args: Any) -> Any:
        return builder.load(_row(context, builder, sig.args[0], *args), align=8)

    return lanes(array, types.intp), lower


@intrinsic
def store(context: Any, array: Any, row: Any, value: Any) -> Any:
    """Writes lanes to row `row` of a float64 array (row, 8)."""

    def lower(context: Any, builder: Any, sig: Any, args: Any) -> Any:
        builder.store(args[2], _row(context, builder, sig.args[0], args[0], args[1]), align=8)
        return context.get_dummy_value()

    return types.void(array, types.intp, lanes), lower


def _columns(context: Any, builder: Any, kind: Any, table: Any, places: list[Any]) -> tuple[Any, Any, Any]:
    """The first three columns of eight rows of a float64 table (row, 4)."""
    four = ir.VectorType(ir.DoubleType(), 4)
    rows = []
    for place in places:
        row = builder.zext(place, ir.IntType(64))
        first = _place(context, builder, kind, table, builder.mul(row, ir.Constant(row.type, 4)))
        rows.append(builder.load(builder.bitcast(first, four.as_pointer()), align=8))
    halves = [builder.shuffle_vector(rows[k], rows[k + 4], lane_mask(list(range(LANES)))) for k in range(4)]
    low = [builder.shuffle_vector(halves[k], halves[k + 1], lane_mask([0, 8, 2, 10, 4, 12, 6, 14])) for k in (0, 2)]
    high = [builder.shuffle_vector(halves[k], halves[k + 1], lane_mask([1, 9, 3, 11, 5, 13, 7, 15])) for k in (0, 2)]
    even, odd = lane_mask([0, 1, 8, 9, 4, 5, 12, 13]), lane_mask([2, 3, 10, 11, 6, 7, 14, 15])
    return builder.shuffle_vector(*low, even), builder.shuffle_vector(*high, even), builder.shuffle_vector(*low, odd)


@intrinsic
def _look_up_lanes(context: Any, table: Any, at: Any) -> Any:
    def lower(context: Any, builder: Any, sig: Any, args: Any) -> Any:
        at = builder.fptosi(args[1], ir.VectorType(INDEX, LANES))
        places = [builder.extract_element(at, ir.Constant(INDEX, lane)) for lane in range(LANES)]
        return context.make_tuple(builder, sig.return_type, _columns(context, builder, sig.args[0], args[0], places))

    return types.UniTuple(lanes, 3)(table, at), lower


@intrinsic
def put_places(context: Any, room: Any, row: Any, at: Any) -> Any:
    """Puts lanes, made whole, into row `row` of a float64 array (row, 8), for `look_up_there`.

    Numbers in a register are slow to come out of it again one by one; a second loop reads them from memory.
    """

    def lower(context: Any, builder: Any, sig: Any, args: Any) -> Any:
        kind = ir.VectorType(INDEX, LANES)
        first = builder.bitcast(_row(context, builder, sig.args[0], args[0], args[1]), kind.as_pointer())
        builder.store(builder.fptosi(args[2], kind), first, align=8)
        return context.get_dummy_value()

    return types.void(room, types.intp, lanes), lower


@intrinsic
def look_up_there(context: Any, table: Any, room: Any, row: Any) -> Any:
    """`look_up` of the places that `put_places` put into row `row` of `room`."""

    def lower(context: Any, builder: Any, sig: Any, args: Any) -> Any:
        first = builder.bitcast(_row(context, builder, sig.args[1], args[1], args[2]), INDEX.as_pointer())
        places = [builder.load(builder.gep(first, [ir.Constant(INDEX, lane)])) for lane in range(LANES)]
        return context.make_tuple(builder, sig.return_type, _columns(context, builder, sig.args[0], args[0], places))

    return types.UniTuple(lanes, 3)(table, room, types.intp), lower


def look_up(table: Any, at: Any) -> Any:
    """The first three numbers of a row of a float64 table (row, 4): `at` is a whole number within it, or lanes of them."""
    row = table[int(at)]
    return row[0], row[1], row[2]


@overload(look_up, inline="always")
def _look_up(table, at):
    if isinstance(at, LaneType):
        return lambda table, at: _look_up_lanes(table, at)
    return lambda table, at: (table[np.int64(at), 0], table[np.int64(at), 1], table[np.int64(at), 2])


def _turned(builder: Any, rows: list[Any]) -> list[Any]:
    """Eight rows of eight as eight columns: halves, quarters and eighths change places."""
    for apart in (4, 2, 1):
        here = list(rows)
        for i in range(LANES):
            if i & apart == 0:
                low = [j if j & apart == 0 else LANES + j - apart for j in range(LANES)]
                high = [j + apart if j & apart == 0 else LANES + j for j in range(LANES)]
                rows[i] = builder.shuffle_vector(here[i], here[i + apart], lane_mask(low))
                rows[i + apart] = builder.shuffle_vector(here[i], here[i + apart], lane_mask(high))
    return rows


def _line(context: Any, builder: Any, kinds: Any, audio: Any, places: Any, lane: int, at: Any) -> Any:
    """A pointer to eight frames of the lane's line."""
    place = builder.load(_place(context, builder, kinds[1], places, ir.Constant(ir.IntType(64), lane)))
    return builder.bitcast(_place(context, builder, kinds[0], audio, builder.add(place, at)), FLOATS.as_pointer())


def _pairs(builder: Any, first: Any, places: list[Any]) -> tuple[Any, Any]:
    """Eight numbers from a float32 pointer on, and the eight that follow each: one read of two numbers per place."""
    two = ir.VectorType(ir.FloatType(), 2)
    read = [builder.load(builder.bitcast(builder.gep(first, [place]), two.as_pointer()), align=4) for place in places]
    fours = [builder.shuffle_vector(read[k], read[k + 1], lane_mask([0, 1, 2, 3])) for k in range(0, LANES, 2)]
    a = builder.shuffle_vector(fours[0], fours[2], lane_mask(list(range(LANES))))
    b = builder.shuffle_vector(fours[1], fours[3], lane_mask(list(range(LANES))))
    return (
        builder.shuffle_vector(a, b, lane_mask([0, 2, 8, 10, 4, 6, 12, 14])),
        builder.shuffle_vector(a, b, lane_mask([1, 3, 9, 11, 5, 7, 13, 15])),
    )


def _eight(context: Any, builder: Any, kind: Any, line: Any, k: Any) -> Any:
    return builder.bitcast(_place(context, builder, kind, line, k), FLOATS.as_pointer())


def _between(builder: Any, a: Any, b: Any, part: Any) -> Any:
    return builder.fadd(a, builder.fmul(part, builder.fsub(b, a, flags=FAST), flags=FAST), flags=FAST)


def _indexes(context: Any, builder: Any, kind: Any, index: Any, k: Any) -> list[Any]:
    """Eight places of a uint32 array, each read by itself: numbers in a register are slow to come out of it again."""
    first = _place(context, builder, kind, index, k)
    wide = ir.IntType(64)
    return [builder.zext(builder.load(builder.gep(first, [ir.Constant(wide, n)])), wide) for n in range(LANES)]


@intrinsic
def read_eight(context: Any, samples: Any, offset: Any, index: Any, part: Any, line: Any, k: Any) -> Any:
    """Eight frames of `line` from `k` on become `samples` at `offset` + `index`, and `part` of the way to the next."""

    def lower(context: Any, builder: Any, sig: Any, args: Any) -> Any:
        samples, offset, index, part, line, k = args
        places = _indexes(context, builder, sig.args[2], index, k)
        a, b = _pairs(builder, _place(context, builder, sig.args[0], samples, offset), places)
        along = builder.load(_eight(context, builder, sig.args[3], part, k), align=4)
        builder.store(_between(builder, a, b, along), _eight(context, builder, sig.args[4], line, k), align=4)
        return context.get_dummy_value()

    return types.void(samples, types.intp, index, part, line, types.intp), lower


@intrinsic
def read_eight_between(
    context: Any, samples: Any, offset: Any, other: Any, share: Any, index: Any, part: Any, line: Any, k: Any
) -> Any:
    """The same of two tables, `share` (frame,) of the way from the one at `offset` to the one at `other`."""

    def lower(context: Any, builder: Any, sig: Any, args: Any) -> Any:
        samples, offset, other, share, index, part, line, k = args
        places = _indexes(context, builder, sig.args[4], index, k)
        mixed = builder.load(_eight(context, builder, sig.args[3], share, k), align=4)
        a, b = _pairs(builder, _place(context, builder, sig.args[0], samples, offset), places)
        c, d = _pairs(builder, _place(context, builder, sig.args[0], samples, other), places)
        along = builder.load(_eight(context, builder, sig.args[5], part, k), align=4)
        found = _between(builder, _between(builder, a, c, mixed), _between(builder, b, d, mixed), along)
        builder.store(found, _eight(context, builder, sig.args[6], line, k), align=4)
        return context.get_dummy_value()

    return types.void(samples, types.intp, types.intp, share, index, part, line, types.intp), lower


@intrinsic
def tap_sum(context: Any, taps: Any, here: Any, other: Any, part: Any, sound: Any, at: Any) -> Any:
    """The sum of 32 float32 of `sound` from `at` on, times 32 taps `part` of the way from `here` to `other`."""

    def lower(context: Any, builder: Any, sig: Any, args: Any) -> Any:
        taps, here, other, part, sound, at = args

        def eight(kind: Any, array: Any, place: Any, first: int) -> Any:
            place = builder.add(place, ir.Constant(place.type, first))
            return builder.load(_eight(context, builder, kind, array, place), align=4)

        along = everywhere(builder, FLOATS, part)
        products = []
        for first in range(0, 32, LANES):
            a, b = eight(sig.args[0], taps, here, first), eight(sig.args[0], taps, other, first)
            heard = eight(sig.args[4], sound, at, first)
            products.append(builder.fmul(_between(builder, a, b, along), heard, flags=FAST))
        while len(products) > 1:
            products = [builder.fadd(*products[k : k + 2], flags=FAST) for k in range(0, len(products), 2)]
        total = products[0]
        for count in (4, 2, 1):
            halves = [builder.shuffle_vector(total, total, lane_mask(list(range(k, k + count)))) for k in (0, count)]
            total = builder.fadd(*halves, flags=FAST)
        return builder.extract_element(total, ir.Constant(INDEX, 0))

    return types.float32(taps, types.intp, types.intp, types.float32, sound, types.intp), lower


@intrinsic
def turn_in(context: Any, audio: Any, places: Any, at: Any, tile: Any, row: Any) -> Any:
    """Eight frames of eight lines of float32 into eight rows of `tile` (row, 8).

    `places` int64 (8,) says where each line begins in `audio`, counted flat; `at` is the frame.
    """

    def lower(context: Any, builder: Any, sig: Any, args: Any) -> Any:
        audio, places, at, tile, row = args
        lines = [
            builder.load(_line(context, builder, sig.args, audio, places, lane, at), align=4) for lane in range(LANES)
        ]
        for n, found in enumerate(_turned(builder, lines)):
            to = _row(context, builder, sig.args[3], tile, builder.add(row, ir.Constant(row.type, n)))
            builder.store(builder.fpext(found, VECTOR), to, align=8)
        return context.get_dummy_value()

    return types.void(audio, places, types.intp, tile, types.intp), lower


def _turn_in_sums(context: Any, builder: Any, sig: Any, args: Any, count: int) -> Any:
    """`turn_in` of sums of `count` frames that follow each other; `taps` float32 (8, count) of them per line."""
    audio, places, at, taps, tile, row = args
    lines = []
    for lane in range(LANES):
        total = None
        for tap in range(count):
            later = builder.add(at, ir.Constant(at.type, tap))
            here = builder.load(_line(context, builder, sig.args, audio, places, lane, later), align=4)
            weight = _place(context, builder, sig.args[3], taps, ir.Constant(at.type, count * lane + tap))
            part = builder.fmul(here, everywhere(builder, FLOATS, builder.load(weight)), flags=FAST)
            total = part if total is None else builder.fadd(total, part, flags=FAST)
        lines.append(total)
    for n, found in enumerate(_turned(builder, lines)):
        to = _row(context, builder, sig.args[4], tile, builder.add(row, ir.Constant(row.type, n)))
        builder.store(builder.fpext(found, VECTOR), to, align=8)
    return context.get_dummy_value()


@intrinsic
def turn_in_between(context: Any, audio: Any, places: Any, at: Any, taps: Any, tile: Any, row: Any) -> Any:
    """`turn_in` of frames between frames: sums of four that follow each other, `taps` float32 (8, 4) of them per line."""
    kinds = types.void(audio, places, types.intp, taps, tile, types.intp)
    return kinds, lambda context, builder, sig, args: _turn_in_sums(context, builder, sig, args, 4)


@intrinsic
def turn_in_among(context: Any, audio: Any, places: Any, at: Any, taps: Any, tile: Any, row: Any) -> Any:
    """The same by sums of eight, `taps` float32 (8, 8): highs pass as well."""
    kinds = types.void(audio, places, types.intp, taps, tile, types.intp)
    return kinds, lambda context, builder, sig, args: _turn_in_sums(context, builder, sig, args, 8)


@intrinsic
def turn_out(context: Any, audio: Any, places: Any, at: Any, tile: Any, row: Any) -> Any:
    """The way back of `turn_in`."""

    def lower(context: Any, builder: Any, sig: Any, args: Any) -> Any:
        audio, places, at, tile, row = args
        rows = []
        for n in range(LANES):
            place = _row(context, builder, sig.args[3], tile, builder.add(row, ir.Constant(row.type, n)))
            rows.append(builder.fptrunc(builder.load(place, align=8), FLOATS))
        for lane, found in enumerate(_turned(builder, rows)):
            builder.store(found, _line(context, builder, sig.args, audio, places, lane, at), align=4)
        return context.get_dummy_value()

    return types.void(audio, places, types.intp, tile, types.intp), lower
