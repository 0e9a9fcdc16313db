"""Lanes: eight numbers side by side that a processor works on at once, as one value in a kernel.

Numba knows one number at a time; here it learns the type, its arithmetic, and how eight numbers are read and written.
LLVM makes of it what the processor has: one register of eight, two of four, or four of two.
"""

from __future__ import annotations

import math
import operator
from typing import Any

import numpy as np
from llvmlite import ir
from numba import extending, types
from numba.core import cgutils
from numba.core.typing.templates import AbstractTemplate, infer_global, signature
from numba.extending import lower_builtin, models, overload, register_model

intrinsic: Any = extending.intrinsic
LANES = 8
VECTOR = ir.VectorType(ir.DoubleType(), LANES)
FLOATS = ir.VectorType(ir.FloatType(), LANES)
INDEX = ir.IntType(32)
FAST = ("nnan", "ninf", "nsz", "arcp", "contract")
"""What LLVM may take for granted; sums stay in the order in which they are written, which is chosen for speed."""


class LaneType(types.Type):
    """The type of eight float64 side by side."""

    def __init__(self) -> None:
        super().__init__(name="Lanes")


lanes = LaneType()


@register_model(LaneType)
class _LaneModel(models.PrimitiveModel):
    def __init__(self, manager: Any, kind: Any) -> None:
        super().__init__(manager, kind, VECTOR)


def lane_mask(places: list[int]) -> ir.Constant:
    """Which numbers of two vectors make the one that is shuffled of them."""
    return ir.Constant(ir.VectorType(INDEX, len(places)), places)


def everywhere(builder: Any, kind: Any, number: Any) -> Any:
    """A number in every place of a vector."""
    none = ir.Constant(kind, ir.Undefined)
    return builder.shuffle_vector(
        builder.insert_element(none, number, ir.Constant(INDEX, 0)), none, lane_mask([0] * LANES)
    )


def _wide(context: Any, builder: Any, kind: Any, value: Any) -> Any:
    """A value as lanes: a number stands in each."""
    if isinstance(kind, LaneType):
        return value
    return everywhere(builder, VECTOR, context.cast(builder, value, kind, types.float64))


def _declare(function: Any, count: int, lower: Any) -> None:
    """Lets a function take lanes, and numbers beside them."""

    class Typing(AbstractTemplate):
        def generic(self, args: Any, kws: Any) -> Any:
            wide = [isinstance(kind, LaneType) for kind in args]
            fits = all(is_wide or isinstance(kind, types.Number) for is_wide, kind in zip(wide, args, strict=True))
            return signature(lanes, *args) if len(args) == count and any(wide) and fits else None

    infer_global(function)(Typing)

    def lowered(context: Any, builder: Any, sig: Any, args: Any) -> Any:
        return lower(
            builder, *(_wide(context, builder, kind, value) for kind, value in zip(sig.args, args, strict=True))
        )

    shapes = [(LaneType,)] if count == 1 else [(LaneType, LaneType), (LaneType, types.Number), (types.Number, LaneType)]
    for shape in shapes:
        lower_builtin(function, *shape)(lowered)


def _lesser(builder: Any, a: Any, b: Any) -> Any:
    return builder.select(builder.fcmp_ordered("<", a, b, flags=FAST), a, b)


def _greater(builder: Any, a: Any, b: Any) -> Any:
    return builder.select(builder.fcmp_ordered(">", a, b, flags=FAST), a, b)


def _called(name: str) -> Any:
    def lower(builder: Any, a: Any) -> Any:
        of = ir.FunctionType(VECTOR, [VECTOR])
        return builder.call(cgutils.get_or_insert_function(builder.module, of, f"llvm.{name}.v{LANES}f64"), [a])

    return lower


for _operations, _instruction in (
    ((operator.add, operator.iadd), "fadd"),
    ((operator.sub, operator.isub), "fsub"),
    ((operator.mul, operator.imul), "fmul"),
    ((operator.truediv, operator.itruediv), "fdiv"),
):
    for _operation in _operations:
        _declare(_operation, 2, lambda builder, a, b, name=_instruction: getattr(builder, name)(a, b, flags=FAST))
_declare(operator.neg, 1, lambda builder, a: builder.fneg(a, flags=FAST))
_declare(min, 2, _lesser)
_declare(max, 2, _greater)
_declare(abs, 1, _called("fabs"))


@intrinsic
def _whole_lanes(context: Any, x: Any) -> Any:
    return lanes(x), lambda context, builder, sig, args: _called("floor")(builder, args[0])


@intrinsic
def _root_lanes(context: Any, x: Any) -> Any:
    return lanes(x), lambda context, builder, sig, args: _called("sqrt")(builder, args[0])


def whole(x: Any) -> Any:
    """The next whole number below, as a float; of a number or of lanes."""
    return math.floor(x)


def root(x: Any) -> Any:
    """The square root of a number or of lanes."""
    return math.sqrt(x)


@overload(whole, inline="always")
def _whole(x):
    return (lambda x: _whole_lanes(x)) if isinstance(x, LaneType) else (lambda x: np.floor(x))


@overload(root, inline="always")
def _root(x):
    return (lambda x: _root_lanes(x)) if isinstance(x, LaneType) else (lambda x: math.sqrt(x))


@intrinsic
def _pick_lanes(context: Any, a: Any, b: Any, then: Any, other: Any) -> Any:
    def lower(context: Any, builder: Any, sig: Any, args: Any) -> Any:
        a, b, then, other = (_wide(context, builder, kind, value) for kind, value in zip(sig.args, args, strict=True))
        return builder.select(builder.fcmp_ordered(">", a, b, flags=FAST), then, other)

    return lanes(a, b, then, other), lower


def pick(a: Any, b: Any, then: Any, other: Any) -> Any:
    """`then` where `a` is greater than `b`, and `other` elsewhere; of numbers or of lanes."""
    return then if a > b else other


@overload(pick, inline="always")
def _pick(a, b, then, other):
    if any(isinstance(kind, LaneType) for kind in (a, b, then, other)):
        return lambda a, b, then, other: _pick_lanes(a, b, then, other)
    return lambda a, b, then, other: then if a > b else other


@intrinsic
def any_above(context: Any, a: Any, b: Any) -> Any:
    """True where `a` is greater than `b` in some lane."""

    def lower(context: Any, builder: Any, sig: Any, args: Any) -> Any:
        a, b = (_wide(context, builder, kind, value) for kind, value in zip(sig.args, args, strict=True))
        found = builder.bitcast(builder.fcmp_ordered(">", a, b, flags=FAST), ir.IntType(LANES))
        return builder.icmp_unsigned("!=", found, ir.Constant(ir.IntType(LANES), 0))

    return types.boolean(a, b), lower


@intrinsic
def sides(context: Any, x: Any) -> Any:
    """The sums of the lanes 0, 2, 4, 6 and of 1, 3, 5, 7."""

    def lower(context: Any, builder: Any, sig: Any, args: Any) -> Any:
        total = args[0]
        for count in (4, 2):
            halves = [builder.shuffle_vector(total, total, lane_mask(list(range(k, k + count)))) for k in (0, count)]
            total = builder.fadd(*halves, flags=FAST)
        found = [builder.extract_element(total, ir.Constant(INDEX, k)) for k in (0, 1)]
        return context.make_tuple(builder, sig.return_type, found)

    return types.UniTuple(types.float64, 2)(lanes), lower


@intrinsic
def quotient(context: Any, a: Any, b: Any) -> Any:
    """Lanes divided by lanes to the accuracy of float32, in half the time."""

    def lower(context: Any, builder: Any, sig: Any, args: Any) -> Any:
        a, b = (builder.fptrunc(value, FLOATS) for value in args)
        return builder.fpext(builder.fdiv(a, b, flags=FAST), VECTOR)

    return lanes(lanes, lanes), lower


@intrinsic
def bits_of(context: Any, x: Any) -> Any:
    """The bits of a float32 as a whole number: what is not negative compares by them, NaN above all, and many at once."""
    return types.int32(types.float32), lambda context, builder, sig, args: builder.bitcast(args[0], INDEX)


@intrinsic
def float_of(context: Any, bits: Any) -> Any:
    """The way back of `bits_of`."""
    return types.float32(types.int32), lambda context, builder, sig, args: builder.bitcast(args[0], ir.FloatType())


@intrinsic
def scaled(context: Any, x: Any, turns: Any) -> Any:
    """Lanes, none of them 0, times two to the power of lanes that are whole: both stay within what float64 can hold."""

    def lower(context: Any, builder: Any, sig: Any, args: Any) -> Any:
        wide = ir.VectorType(ir.IntType(64), LANES)
        power = builder.shl(builder.fptosi(args[1], wide), ir.Constant(wide, [52] * LANES))
        return builder.bitcast(builder.add(builder.bitcast(args[0], wide), power), VECTOR)

    return lanes(lanes, lanes), lower
