"""Eight or sixteen numbers at once, for kernels in which the compiler does not see that it could.

Loops over the patches of a group are short, and the compiler rather writes those out one number at a time. Here it is
told: `Lanes` are float32 values that are loaded, reckoned with and stored together, inside compiled functions only.
They are added, subtracted and multiplied with each other and multiplied by a single number. Eight suit every processor;
long rows are gone through sixteen at a time, which the compiler turns into twice eight where there is no more.
"""

from __future__ import annotations

import operator
from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
from llvmlite import ir
from numba.core import extending, types
from numba.core.datamodel import models

from dustpan.core.kernels import part

LANES, LONG = 8, 16
ZERO = np.float32(0)
_QUAD = ir.VectorType(ir.FloatType(), 4)
_FAST = ("fast",)
_emitted: Any = extending.intrinsic


class Lanes(types.Type):
    """The type of so many numbers inside compiled functions."""

    def __init__(self, count: int) -> None:
        self.count = count
        self.values = ir.VectorType(ir.FloatType(), count)
        super().__init__(name=f"Lanes({count})")


_lanes, _long = Lanes(LANES), Lanes(LONG)


@extending.register_model(Lanes)
class _LanesModel(models.PrimitiveModel):
    def __init__(self, manager: Any, kind: Any) -> None:
        super().__init__(manager, kind, kind.values)


def _pointer(context: Any, builder: Any, kind: Any, place: Sequence[Any], to: Any) -> Any:
    array, at = place
    data = context.make_array(kind)(context, builder, array).data
    return builder.bitcast(builder.gep(data, [at]), to.as_pointer())


def _shuffled(builder: Any, a: Any, b: Any, order: Sequence[int]) -> Any:
    mask = ir.Constant(ir.VectorType(ir.IntType(32), len(order)), [ir.Constant(ir.IntType(32), i) for i in order])
    return builder.shuffle_vector(a, b, mask)


def _spread(builder: Any, kind: Lanes, value: Any) -> Any:
    one = builder.insert_element(ir.Constant(kind.values, ir.Undefined), value, ir.Constant(ir.IntType(32), 0))
    return _shuffled(builder, one, one, [0] * kind.count)


def _load(kind: Lanes) -> Callable[..., Any]:
    @_emitted
    def load(typing: Any, array: Any, at: Any) -> Any:
        def build(context: Any, builder: Any, signature: Any, args: Any) -> Any:
            return builder.load(_pointer(context, builder, signature.args[0], args, kind.values), align=4)

        return kind(array, types.intp), build

    return load


def _spread_over(kind: Lanes) -> Callable[..., Any]:
    @_emitted
    def spread(typing: Any, value: Any) -> Any:
        def build(context: Any, builder: Any, signature: Any, args: Any) -> Any:
            return _spread(builder, kind, args[0])

        return kind(types.float32), build

    return spread


# the values of a flat array from a place on, which must not be negative
load, load_long = _load(_lanes), _load(_long)
# one number again and again
spread, spread_long = _spread_over(_lanes), _spread_over(_long)


@_emitted
def store(typing: Any, array: Any, at: Any, values: Any) -> Any:
    """Put values into a flat array from ``at`` on, which must not be negative."""

    def build(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        where = _pointer(context, builder, signature.args[0], args[:2], signature.args[2].values)
        builder.store(args[2], where, align=4)
        return context.get_dummy_value()

    return types.void(array, types.intp, values), build


@_emitted
def alike(typing: Any, array: Any, at: Any) -> Any:
    """The value of a flat array at ``at``, which must not be negative, eight times."""

    def build(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        data = context.make_array(signature.args[0])(context, builder, args[0]).data
        return _spread(builder, _lanes, builder.load(builder.gep(data, [args[1]])))

    return _lanes(array, types.intp), build


@_emitted
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


@_emitted
def store_totals(typing: Any, array: Any, at: Any, a: Any, b: Any, c: Any, d: Any) -> Any:
    """Put the sums of four times eight values into a flat array from ``at`` on."""

    def build(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        def folded(v: Any, w: Any) -> Any:
            even, odd = (_shuffled(builder, v, w, [i + k for i in (0, 2, 8, 10, 4, 6, 12, 14)]) for k in (0, 1))
            return builder.fadd(even, odd, flags=_FAST)

        v = folded(folded(*args[2:4]), folded(*args[4:6]))
        low, high = (_shuffled(builder, v, v, range(k, k + 4)) for k in (0, 4))
        where = _pointer(context, builder, signature.args[0], args[:2], _QUAD)
        builder.store(builder.fadd(low, high, flags=_FAST), where, align=4)
        return context.get_dummy_value()

    return types.void(array, types.intp, *[_lanes] * 4), build


def _operation(name: str) -> Callable[..., Any]:
    @_emitted
    def apply(typing: Any, a: Any, b: Any) -> Any:
        def build(context: Any, builder: Any, signature: Any, args: Any) -> Any:
            return getattr(builder, name)(*args, flags=_FAST)

        return a(a, b), build

    return apply


def _later(by: int) -> Callable[..., Any]:
    @_emitted
    def apply(typing: Any, a: Any, b: Any) -> Any:
        def build(context: Any, builder: Any, signature: Any, args: Any) -> Any:
            return _shuffled(builder, args[0], args[1], range(by, by + signature.args[0].count))

        return a(a, b), build

    return apply


# of lanes and those that follow them: the values that begin one, two and four places later
one_on, two_on, four_on = _later(1), _later(2), _later(4)
_add, _subtract, _multiply = _operation("fadd"), _operation("fsub"), _operation("fmul")


def _both(a: Any, b: Any) -> bool:
    return isinstance(a, Lanes) and a == b


@extending.overload(operator.add)
@extending.overload(operator.iadd)
def _added(a, b):
    return (lambda a, b: _add(a, b)) if _both(a, b) else None


@extending.overload(operator.sub)
@extending.overload(operator.isub)
def _subtracted(a, b):
    return (lambda a, b: _subtract(a, b)) if _both(a, b) else None


@extending.overload(operator.mul)
def _multiplied(a, b):
    if _both(a, b):
        return lambda a, b: _multiply(a, b)
    if a == types.float32 and b == _lanes:
        return lambda a, b: _multiply(spread(a), b)
    return None


def _corner(builder: Any, context: Any, kind: Any, corners: Any, m: Any, i: int, by: Any) -> Any:
    data = context.make_array(kind)(context, builder, corners).data
    at = builder.add(m, ir.Constant(m.type, i))
    return builder.add(builder.load(builder.gep(data, [at])), by)


@_emitted
def columns(typing: Any, plane: Any, corners: Any, m: Any, by: Any) -> Any:
    """Rows of four px at eight places, ``by`` values after ``corners[m : m + 8]``: four columns of eight."""

    def build(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        plane_kind, corner_kind = signature.args[:2]
        rows = []
        for i in range(LANES):
            at = _corner(builder, context, corner_kind, args[1], args[2], i, args[3])
            rows.append(builder.load(_pointer(context, builder, plane_kind, (args[0], at), _QUAD), align=4))
        pairs = [_shuffled(builder, rows[i], rows[i + 4], range(8)) for i in range(4)]
        found = _turned(builder, pairs)
        return context.make_tuple(builder, signature.return_type, found)

    return types.UniTuple(_lanes, 4)(plane, corners, types.intp, types.intp), build


@_emitted
def add_columns(typing: Any, plane: Any, corners: Any, m: Any, by: Any, a: Any, b: Any, c: Any, d: Any) -> Any:
    """The inverse of `columns`, added to what is there."""

    def build(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        plane_kind, corner_kind = signature.args[:2]
        pairs = _turned(builder, args[4:])
        for i in range(LANES):
            at = _corner(builder, context, corner_kind, args[1], args[2], i, args[3])
            where = _pointer(context, builder, plane_kind, (args[0], at), _QUAD)
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


@part(inline=True)
def up(n, step):
    """``n``, or the next multiple of ``step``."""
    return (n + step - 1) // step * step
