"""How kernels are compiled: `kernel` is called from Python and goes over its rows on all threads; `inlined` becomes part of
the kernels that call it.

Numbers may be reordered, and a division by zero is not looked for: to look would keep a compiler from taking numbers side by
side. What could be divided by zero is held away from it where it stands.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Protocol, TypeVar, cast

from numba import njit

Function = TypeVar("Function", bound=Callable[..., Any])


class Decorator(Protocol):
    """Has a function compiled; it is called as before."""

    def __call__(self, function: Function, /) -> Function: ...


inlined = cast(Decorator, njit(fastmath=True, error_model="numpy"))
kernel = cast(Decorator, njit(parallel=True, cache=True, fastmath=True, error_model="numpy"))
