"""Four numbers at once, for kernels that read places scattered over a picture of four channels.

A compiler puts loops over neighbouring pixels side by side by itself; the four channels of one pixel, read from somewhere,
it takes one after another. Here a pixel is one vector of LLVM's: read, weighed, added and written in one go each.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, cast

import numpy as np
from llvmlite import ir
from numba import types
from numba.core import cgutils
from numba.extending import intrinsic, models, register_model

from aurelon.core.imaging.arrays import Floats

WIDE = ir.VectorType(ir.FloatType(), 4)
FAST = ("fast",)


class FourType(types.Type):
    """The type of four numbers in single precision."""

    def __init__(self) -> None:
        super().__init__(name="Four")


FOUR = FourType()


@register_model(FourType)
class FourModel(models.PrimitiveModel):
    """One vector register."""

    def __init__(self, manager: Any, kind: Any) -> None:
        super().__init__(manager, kind, WIDE)


def _pointer(context: Any, builder: Any, array_type: Any, array: Any, index: Any) -> Any:
    place = builder.gep(cgutils.create_struct_proxy(array_type)(context, builder, array).data, [index])
    return builder.bitcast(place, WIDE.as_pointer())


def _spread(builder: Any, number: Any) -> Any:
    """A number four times."""
    first = builder.insert_element(ir.Constant(WIDE, ir.Undefined), number, ir.Constant(ir.IntType(32), 0))
    return builder.shuffle_vector(first, ir.Constant(WIDE, ir.Undefined), ir.Constant(ir.VectorType(ir.IntType(32), 4), [0] * 4))


def _load(typing_context: Any, array: Any, index: Any) -> Any:
    """The four numbers of a flat float32 array from an index on."""

    def make(context: Any, builder: Any, signature: Any, values: Any) -> Any:
        at = context.cast(builder, values[1], signature.args[1], types.uint64)
        return builder.load(_pointer(context, builder, signature.args[0], values[0], at), align=4)

    return FOUR(array, index), make


def _store(typing_context: Any, array: Any, index: Any, value: Any) -> Any:
    """Writes four numbers into a flat float32 array from an index on."""

    def make(context: Any, builder: Any, signature: Any, values: Any) -> Any:
        at = context.cast(builder, values[1], signature.args[1], types.uint64)
        builder.store(values[2], _pointer(context, builder, signature.args[0], values[0], at), align=4)
        return context.get_dummy_value()

    return types.void(array, index, value), make


def _spread_out(typing_context: Any, number: Any) -> Any:
    """One number four times."""

    def make(context: Any, builder: Any, signature: Any, values: Any) -> Any:
        return _spread(builder, values[0])

    return FOUR(types.float32), make


def _four(typing_context: Any, a: Any, b: Any, c: Any, d: Any) -> Any:
    """Four numbers as one."""

    def make(context: Any, builder: Any, signature: Any, values: Any) -> Any:
        result = ir.Constant(WIDE, ir.Undefined)
        for k, value in enumerate(values):
            result = builder.insert_element(result, value, ir.Constant(ir.IntType(32), k))
        return result

    return FOUR(types.float32, types.float32, types.float32, types.float32), make


def _scaled(typing_context: Any, value: Any, by: Any) -> Any:
    """Four numbers, each times one number."""

    def make(context: Any, builder: Any, signature: Any, values: Any) -> Any:
        return builder.fmul(values[0], _spread(builder, values[1]), flags=FAST)

    return FOUR(FOUR, types.float32), make


def _times(typing_context: Any, a: Any, b: Any) -> Any:
    """Four products."""

    def make(context: Any, builder: Any, signature: Any, values: Any) -> Any:
        return builder.fmul(values[0], values[1], flags=FAST)

    return FOUR(FOUR, FOUR), make


def _plus(typing_context: Any, a: Any, b: Any) -> Any:
    """Four sums."""

    def make(context: Any, builder: Any, signature: Any, values: Any) -> Any:
        return builder.fadd(values[0], values[1], flags=FAST)

    return FOUR(FOUR, FOUR), make


def _with_last(typing_context: Any, value: Any, number: Any) -> Any:
    """Four numbers with another fourth."""

    def make(context: Any, builder: Any, signature: Any, values: Any) -> Any:
        return builder.insert_element(values[0], values[1], ir.Constant(ir.IntType(32), 3))

    return FOUR(FOUR, types.float32), make


def _at_least(typing_context: Any, value: Any, low: Any) -> Any:
    """Four numbers, each at least one."""

    def make(context: Any, builder: Any, signature: Any, values: Any) -> Any:
        floor = _spread(builder, values[1])
        return builder.select(builder.fcmp_ordered(">", values[0], floor, flags=FAST), values[0], floor)

    return FOUR(FOUR, types.float32), make


def _part(typing_context: Any, value: Any, index: Any) -> Any:
    """One of four numbers."""

    def make(context: Any, builder: Any, signature: Any, values: Any) -> Any:
        return builder.extract_element(values[0], context.cast(builder, values[1], signature.args[1], types.int32))

    return types.float32(FOUR, index), make


# As a kernel calls them.
load = cast("Callable[[Floats, Any], FourType]", intrinsic(_load))
store = cast("Callable[[Floats, Any, FourType], None]", intrinsic(_store))
four = cast("Callable[[np.float32, np.float32, np.float32, np.float32], FourType]", intrinsic(_four))
spread = cast("Callable[[np.float32], FourType]", intrinsic(_spread_out))
scaled = cast("Callable[[FourType, np.float32], FourType]", intrinsic(_scaled))
times = cast("Callable[[FourType, FourType], FourType]", intrinsic(_times))
plus = cast("Callable[[FourType, FourType], FourType]", intrinsic(_plus))
at_least = cast("Callable[[FourType, np.float32], FourType]", intrinsic(_at_least))
part = cast("Callable[[FourType, int], np.float32]", intrinsic(_part))
with_last = cast("Callable[[FourType, np.float32], FourType]", intrinsic(_with_last))
