"""Eight numbers at once, for kernels in which the compiler does not see that it could.

Loops over the patches of a group are short, and the compiler rather writes those out one number at a time. Here it is
told: `Lanes` are eight float32 values that are loaded, reckoned with and stored together, inside compiled functions
only. They are added, subtracted and multiplied with each other; a single number is spread over them first.
"""

from __future__ import annotations

import operator
from collections.abc import Callable, Sequence
from typing import Any

from llvmlite import ir
from numba import njit
from numba.core import types
from numba.core.datamodel import models
from numba.core.extending import intrinsic, overload, register_model

LANES = 8
_VALUES = ir.VectorType(ir.FloatType(), LANES)
_QUAD = ir.VectorType(ir.FloatType(), 4)
_FAST = ("fast",)


class Lanes(types.Type):
    """The type of eight numbers inside compiled functions."""

    def __init__(self) -> None:
        super().__init__(name="Lanes")


_lanes = Lanes()


@register_model(Lanes)
class _LanesModel(models.PrimitiveModel):
    def __init__(self, manager: Any, kind: Any) -> None:
        super().__init__(manager, kind, _VALUES)


def _pointer(context: Any, builder: Any, kind: Any, array: Any, at: Any, to: Any) -> Any:
    data = context.make_array(kind)(context, builder, array).data
    return builder.bitcast(builder.gep(data, [at]), to.as_pointer())


def _shuffled(builder: Any, a: Any, b: Any, order: Sequence[int]) -> Any:
    mask = ir.Constant(ir.VectorType(ir.IntType(32), len(order)), [ir.Constant(ir.IntType(32), i) for i in order])
    return builder.shuffle_vector(a, b, mask)


def _spread(builder: Any, value: Any) -> Any:
    one = builder.insert_element(ir.Constant(_VALUES, ir.Undefined), value, ir.Constant(ir.IntType(32), 0))
    return _shuffled(builder, one, one, [0] * LANES)


@intrinsic
def load(typing: Any, array: Any, at: Any) -> Any:
    """The eight values of a flat array from ``at`` on."""

    def build(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        return builder.load(_pointer(context, builder, signature.args[0], *args, _VALUES), align=4)

    return _lanes(array, types.intp), build


@intrinsic
def store(typing: Any, array: Any, at: Any, values: Any) -> Any:
    """Put eight values into a flat array from ``at`` on."""

    def build(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        builder.store(args[2], _pointer(context, builder, signature.args[0], *args[:2], _VALUES), align=4)
        return context.get_dummy_value()

    return types.void(array, types.intp, _lanes), build


@intrinsic
def spread(typing: Any, value: Any) -> Any:
    """One number, eight times."""

    def build(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        return _spread(builder, args[0])

    return _lanes(types.float32), build


@intrinsic
def alike(typing: Any, array: Any, at: Any) -> Any:
    """The value of a flat array at ``at``, which must not be negative, eight times."""

    def build(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        data = context.make_array(signature.args[0])(context, builder, args[0]).data
        return _spread(builder, builder.load(builder.gep(data, [args[1]])))

    return _lanes(array, types.intp), build


@intrinsic
def total(typing: Any, values: Any) -> Any:
    """The sum of the eight."""

    def build(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        v = args[0]
        half = LANES
        while half > 1:
            half //= 2
            low, high = (_shuffled(builder, v, v, range(k, k + half)) for k in (0, half))
            v = builder.fadd(low, high, flags=_FAST)
        return builder.extract_element(v, ir.Constant(ir.IntType(32), 0))

    return types.float32(_lanes), build


@intrinsic
def store_totals(typing: Any, array: Any, at: Any, a: Any, b: Any, c: Any, d: Any) -> Any:
    """Put the sums of four times eight values into a flat array from ``at`` on."""

    def build(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        def folded(v: Any, w: Any) -> Any:
            even, odd = (_shuffled(builder, v, w, [i + k for i in (0, 2, 8, 10, 4, 6, 12, 14)]) for k in (0, 1))
            return builder.fadd(even, odd, flags=_FAST)

        v = folded(folded(*args[2:4]), folded(*args[4:6]))
        low, high = (_shuffled(builder, v, v, range(k, k + 4)) for k in (0, 4))
        where = _pointer(context, builder, signature.args[0], *args[:2], _QUAD)
        builder.store(builder.fadd(low, high, flags=_FAST), where, align=4)
        return context.get_dummy_value()

    return types.void(array, types.intp, *[_lanes] * 4), build


def _operation(name: str) -> Callable[..., Any]:
    @intrinsic
    def apply(typing: Any, a: Any, b: Any) -> Any:
        def build(context: Any, builder: Any, signature: Any, args: Any) -> Any:
            return getattr(builder, name)(*args, flags=_FAST)

        return _lanes(_lanes, _lanes), build

    return apply


def _later(by: int) -> Callable[..., Any]:
    @intrinsic
    def apply(typing: Any, a: Any, b: Any) -> Any:
        def build(context: Any, builder: Any, signature: Any, args: Any) -> Any:
            return _shuffled(builder, *args, range(by, by + LANES))

        return _lanes(_lanes, _lanes), build

    return apply


# of eight values and the eight that follow them: those that begin one, two and four places later
one_on, two_on, four_on = _later(1), _later(2), _later(4)
_add, _subtract, _multiply = _operation("fadd"), _operation("fsub"), _operation("fmul")


@overload(operator.add)
@overload(operator.iadd)
def _added(a, b):
    return (lambda a, b: _add(a, b)) if a == b == _lanes else None


@overload(operator.sub)
@overload(operator.isub)
def _subtracted(a, b):
    return (lambda a, b: _subtract(a, b)) if a == b == _lanes else None


@overload(operator.mul)
def _multiplied(a, b):
    if a == b == _lanes:
        return lambda a, b: _multiply(a, b)
    if a == types.float32 and b == _lanes:
        return lambda a, b: _multiply(spread(a), b)
    return None


def _corner(builder: Any, context: Any, kind: Any, corners: Any, m: Any, i: int, by: Any) -> Any:
    data = context.make_array(kind)(context, builder, corners).data
    at = builder.add(m, ir.Constant(m.type, i))
    return builder.add(builder.load(builder.gep(data, [at])), by)


@intrinsic
def columns(typing: Any, plane: Any, corners: Any, m: Any, by: Any) -> Any:
    """Rows of four px at eight places, ``by`` values after ``corners[m : m + 8]``: four columns of eight."""

    def build(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        plane_kind, corner_kind = signature.args[:2]
        rows = []
        for i in range(LANES):
            at = _corner(builder, context, corner_kind, args[1], args[2], i, args[3])
            rows.append(builder.load(_pointer(context, builder, plane_kind, args[0], at, _QUAD), align=4))
        pairs = [_shuffled(builder, rows[i], rows[i + 4], range(8)) for i in range(4)]
        found = _turned(builder, pairs)
        return context.make_tuple(builder, signature.return_type, found)

    return types.UniTuple(_lanes, 4)(plane, corners, types.intp, types.intp), build


@intrinsic
def add_columns(typing: Any, plane: Any, corners: Any, m: Any, by: Any, a: Any, b: Any, c: Any, d: Any) -> Any:
    """The inverse of `columns`, added to what is there."""

    def build(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        plane_kind, corner_kind = signature.args[:2]
        pairs = _turned(builder, args[4:])
        for i in range(LANES):
            at = _corner(builder, context, corner_kind, args[1], args[2], i, args[3])
            where = _pointer(context, builder, plane_kind, args[0], at, _QUAD)
            first = 4 * (i // 4)
            row = _shuffled(builder, pairs[i % 4], pairs[i % 4], range(first, first + 4))
            builder.store(builder.fadd(builder.load(where, align=4), row, flags=_FAST), where, align=4)
        return context.get_dummy_value()

    return types.void(plane, corners, types.intp, types.intp, *[_lanes] * 4), build


def _turned(builder: Any, rows: Sequence[Any]) -> list[Any]:
    """Four rows of twice four values, both fours turned into columns."""
    a, b, c, d = rows
    low, high = (0, 8, 1, 9, 4, 12, 5, 13), (2, 10, 3, 11, 6, 14, 7, 15)
    ab, cd = [[_shuffled(builder, x, y, order) for order in (low, high)] for x, y in ((a, b), (c, d))]
    first, second = (0, 1, 8, 9, 4, 5, 12, 13), (2, 3, 10, 11, 6, 7, 14, 15)
    return [_shuffled(builder, ab[k], cd[k], order) for k in (0, 1) for order in (first, second)]


@njit(inline="always")
def up(n, step):
    """``n``, or the next multiple of ``step``."""
    return (n + step - 1) // step * step
