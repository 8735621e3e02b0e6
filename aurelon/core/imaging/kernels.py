"""How kernels are compiled and run. `kernel` is called from Python and goes over its rows on all threads; `inlined` becomes part of
the kernels that call it.

A kernel ends with a loop over `prange(rows)`, whose turns do not depend on each other. It is compiled once, as a plain function
that does some of the turns and lets other threads run meanwhile; threads of this process take blocks of turns until none is left.
(Numba's own `parallel` compiles the same loop three times over, which is most of what compiling took.)

Numbers may be reordered, and a division by zero is not looked for: to look would keep a compiler from taking numbers side by
side. What could be divided by zero is held away from it where it stands. Arrays that a kernel is given do not overlap, unless one
is the other.
"""

from __future__ import annotations

import ast
import inspect
import os
import textwrap
import threading
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager, suppress
from functools import cached_property, partial, update_wrapper
from itertools import count
from pathlib import Path
from types import FunctionType
from typing import Any, Protocol, TypeVar, cast

import numba
from filelock import FileLock
from numba import njit
from numba.core.compiler import Compiler

from aurelon.core.imaging.kernel_cache import KernelCache, report_once

Function = TypeVar("Function", bound=Callable[..., Any])
A_BLOCK = 4e-3  # seconds that a block of turns takes, so that a thread with harder rows holds up no other
FEWEST = 4  # blocks for each thread
WORTH_IT = 2e-4  # seconds that a loop must take for other threads to be woken
ALL = (1 << 62) - 1  # turns, more than any loop has


class Decorator(Protocol):
    """Has a function compiled; it is called as before."""

    def __call__(self, function: Function, /) -> Function: ...


_njit: Any = njit  # its published types leave out the wrappers
# Nothing calls them or kernels from C, so no entry point for that is compiled. That for Python stays: a call without it would end
# the process.
inlined = cast(Decorator, _njit(fastmath=True, error_model="numpy", no_cfunc_wrapper=True))


def in_python(function: Function) -> Function:
    """The plain Python of an inlined function, for callers that are not kernels. Called directly, it would be compiled anew in
    every process, since only kernels are kept."""
    return cast(Function, cast(Any, function).py_func)


def kept(function: Callable[..., Any], **options: Any) -> Any:
    """The function compiled by Numba and kept beside its code or in the home folder; where neither can be written to it is compiled
    at every start, with a warning."""
    result = _njit(**options, no_cfunc_wrapper=True)(function)
    try:
        result._cache = KernelCache(function)
    except RuntimeError:
        without_a_cache()
    return result


def without_a_cache() -> None:
    """Says once that compiled code cannot be kept."""
    folder = Path(__file__).parent
    report_once(f"kernels cannot be kept; allow writing to {folder} or the home folder, or every start takes a minute")


@contextmanager
def compiling_once(place: str | None, function: Callable[..., Any]) -> Iterator[None]:
    """While a function is compiled or taken from the cache at `place`, if there is one: another process that wants the same
    meanwhile waits, and takes that then."""
    lock = FileLock(Path(place or "") / f"{function.__module__}.{function.__name__}.lock")
    # A full disk is reported where the kernel cannot be kept.
    with suppress(OSError):
        if place and os.access(place, os.W_OK):
            lock.acquire()
    try:
        yield
    finally:
        lock.release()


def whole_kernel(function: Function) -> Function:
    """A kernel that runs on the thread that calls it, whatever it does."""
    return cast(Function, kept(function, nogil=True))


class _Threads:
    """The threads that take blocks beside the one that calls."""

    def __init__(self) -> None:
        self.count = vars(numba.config)["NUMBA_NUM_THREADS"]
        self._pool: ThreadPoolExecutor | None = None

    def pool(self) -> ThreadPoolExecutor:
        if self._pool is None:
            self._pool = ThreadPoolExecutor(max(1, vars(numba.config)["NUMBA_NUM_THREADS"] - 1), "kernels")
        return self._pool

    def forget(self) -> None:
        """In a forked process, into which no thread was copied."""
        self._pool = None


_threads = _Threads()
os.register_at_fork(after_in_child=_threads.forget)


def use_threads(many: int) -> None:
    """Sets how many of Numba's threads the kernels of this process use."""
    _threads.count = min(many, vars(numba.config)["NUMBA_NUM_THREADS"])
    numba.set_num_threads(_threads.count)


_here = threading.local()


@contextmanager
def undivided() -> Iterator[None]:
    """Within it, this thread takes no other beside it: where pictures are drawn side by side, to divide each costs more than it
    saves."""
    _here.undivided = True
    try:
        yield
    finally:
        _here.undivided = False


class ApartCompiler(Compiler):
    """Compiles for arrays that do not overlap: without that, half of the loops are not taken side by side."""

    def __init__(self, typing: Any, target: Any, library: Any, args: Any, return_type: Any, flags: Any, names: Any) -> None:
        flags.noalias = True
        super().__init__(typing, target, library, args, return_type, flags, names)


class Kernel:
    """A compiled loop. `compiled(first, last, ...)` does some of its turns and answers how many there are in all."""

    def __init__(self, function: Callable[..., Any], *, strict: bool) -> None:
        self.py_func = function
        self._strict = strict
        self._a_turn = 0.0  # seconds, as far as is known
        update_wrapper(self, function)

    @cached_property
    def compiled(self) -> Any:
        """Numba's dispatcher of it, made when it is first called: to read the source of every kernel takes half a second."""
        options: dict[str, Any] = {} if self._strict else {"fastmath": True, "error_model": "numpy"}
        result = kept(_over_some(self.py_func), nogil=True, pipeline_class=ApartCompiler, **options)
        result.compile = partial(self._compile_once, result, result.compile)
        return result

    def _compile_once(self, dispatcher: Any, compile_or_load: Callable[[Any], Any], signature: Any) -> Any:
        """Compiles for new types of arguments, or takes what is kept."""
        with compiling_once(dispatcher.stats.cache_path, self.py_func):
            return compile_or_load(signature)

    def __call__(self, *arguments: Any) -> None:
        compiled, many = self.compiled, 1 if getattr(_here, "undivided", False) else _threads.count
        turns = compiled(0, 0, *arguments)
        if many < 2 or turns < 2 or turns * self._a_turn < WORTH_IT:
            began = time.perf_counter()
            compiled(0, ALL, *arguments)
            self._a_turn = (time.perf_counter() - began) / max(turns, 1)
            return
        size = max(1, min(round(A_BLOCK / max(self._a_turn, 1e-9)), -(-turns // (FEWEST * many))))
        blocks = count(0, size)

        def take_blocks() -> None:
            while (first := next(blocks)) < turns:
                compiled(first, first + size, *arguments)

        began = time.perf_counter()
        beside = [_threads.pool().submit(take_blocks) for _ in range(min(many, -(-turns // size)) - 1)]
        take_blocks()
        for one in beside:
            if not one.cancel():  # a thread that is busy with another picture is not waited for
                one.result()
        self._a_turn = many * (time.perf_counter() - began) / turns


def kernel(function: Function) -> Function:
    """See above."""
    return cast(Function, Kernel(function, strict=False))


def strict_kernel(function: Function) -> Function:
    """The same for kernels whose sums must keep their order, or that look for NaN and infinity."""
    return cast(Function, Kernel(function, strict=True))


def _parsed(function: Callable[..., Any]) -> ast.FunctionDef:
    (definition,) = ast.parse(textwrap.dedent(inspect.getsource(function))).body
    assert isinstance(definition, ast.FunctionDef)
    return definition


def _over_some(function: Callable[..., Any]) -> Callable[..., Any]:
    """The function with `first` and `last` before its parameters, which does the turns between them and gives the number of all."""
    definition = _parsed(function)
    loop = definition.body[-1]
    if not (isinstance(loop, ast.For) and isinstance(loop.iter, ast.Call) and ast.unparse(loop.iter.func) == "prange"):
        raise TypeError(f"the kernel {function.__name__} does not end with a loop over prange(...)")
    (turns,) = loop.iter.args
    definition.decorator_list = []
    definition.args.args[:0] = [ast.arg("first_turn"), ast.arg("last_turn")]
    for argument in definition.args.args:
        argument.annotation = None
    definition.returns = None
    loop.iter = ast.parse("range(first_turn, min(last_turn, all_turns))", mode="eval").body
    counted = ast.Assign([ast.Name("all_turns", ast.Store())], turns)
    definition.body[-1:] = [counted, loop, ast.Return(ast.Name("all_turns", ast.Load()))]
    module = ast.fix_missing_locations(ast.Module([definition], []))
    ast.increment_lineno(module, function.__code__.co_firstlineno - 1)
    code = compile(module, function.__code__.co_filename, "exec")
    (inner,) = (one for one in code.co_consts if inspect.iscode(one))
    result = FunctionType(inner, function.__globals__, function.__name__)
    result.__module__, result.__qualname__ = function.__module__, function.__qualname__
    return result
