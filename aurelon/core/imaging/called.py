"""Loops that kernels call by their address. Each is compiled and kept by itself when it is first wanted, so that a table of them
costs what is used of it, and the kernel that calls them is compiled once for all of them.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property
from types import FunctionType
from typing import Any

from numba import types
from numba.core import cgutils
from numba.extending import intrinsic

from aurelon.core.imaging.kernels import ApartCompiler, compiling_once, kept

unpack_tuple: Any = cgutils.unpack_tuple  # Numba has no types
RUNS = 7  # arrays that a loop is given
# Of a loop: a number, a choice, and runs of float32. No run overlaps another, unless one is the other.
ARGUMENTS = (types.float32, types.boolean, *(RUNS * (types.Array(types.float32, 1, "C"),)))


class Called:
    """A loop that is compiled when its address is asked for. It is kept under `name`, beside the file of `owner`, with which it
    becomes stale."""

    def __init__(self, loop: Callable[..., None], name: str, owner: Callable[..., Any]) -> None:
        assert isinstance(loop, FunctionType)
        place = owner.__code__
        code = loop.__code__.replace(
            co_filename=place.co_filename, co_firstlineno=place.co_firstlineno, co_name=name, co_qualname=name
        )
        self.py_func = FunctionType(code, loop.__globals__, name, closure=loop.__closure__)
        self.py_func.__module__ = owner.__module__

    def compile(self) -> None:
        """Compiles it into the cache, or takes what is kept there."""
        _ = self.address

    @cached_property
    def address(self) -> int:
        """Where its machine code is in this process."""
        compiled = kept(self.py_func, nogil=True, pipeline_class=ApartCompiler, fastmath=True, error_model="numpy")
        with compiling_once(compiled.stats.cache_path, self.py_func):
            compiled.compile(ARGUMENTS)
        (result,) = compiled.overloads.values()
        self._compiled = compiled  # the code lives as long as it does
        return int(result.library.get_pointer_to_function(result.fndesc.llvm_func_name))


def _call(typing_context: Any, address: Any, number: Any, choice: Any, runs: Any) -> Any:
    """Calls the loop at an address with a number, a choice and a tuple of runs."""

    def make(context: Any, builder: Any, signature: Any, values: Any) -> Any:
        convention = context.call_conv
        kind = convention.get_function_type(types.none, ARGUMENTS)
        address, *others = values
        given = [*others[:2], *unpack_tuple(builder, others[2])]
        had = [*signature.args[1:3], *signature.args[3]]
        arguments = [context.cast(builder, *one) for one in zip(given, had, ARGUMENTS, strict=True)]
        convention.call_function(builder, builder.inttoptr(address, kind.as_pointer()), types.none, ARGUMENTS, arguments)
        return context.get_dummy_value()

    return types.void(types.int64, types.float32, types.boolean, runs), make


call: Any = intrinsic(_call)
