"""How long each kernel takes to compile, into an empty cache: python -m tests.bench_kernels, or make bench-kernels.

Seconds of a processor. What one kernel compiles for others is counted with it, so the order is that of `precompile`.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from collections import defaultdict
from typing import Any

from numba.core import event

FIRST_BOUND, ALL_BOUND = 25, 100
EMPTY = "AURELON_EMPTY_KERNEL_CACHE"  # set in the process that measures
Listener: Any = event.Listener  # Numba has no types


class Compiling(Listener):  # type: ignore[misc]
    """Adds up what the kernels that are called from Python take, each with all that it calls."""

    def __init__(self) -> None:
        self.seconds: dict[str, float] = defaultdict(float)
        self._began: list[float] = []

    def on_start(self, event: Any) -> None:
        self._began.append(time.process_time())

    def on_end(self, event: Any) -> None:
        seconds = time.process_time() - self._began.pop()
        if not self._began:
            function = event.data["dispatcher"].py_func
            self.seconds[f"{function.__module__.removeprefix('aurelon.core.')}.{function.__name__}"] += seconds


def main() -> int:
    if EMPTY in os.environ:
        measure()
        return 0
    # Numba reads where its cache is when it is imported.
    with tempfile.TemporaryDirectory() as folder:
        environment = os.environ | {EMPTY: "yes", "NUMBA_CACHE_DIR": folder}
        return subprocess.run([sys.executable, "-m", "tests.bench_kernels"], env=environment).returncode


def measure() -> None:
    started = time.process_time()
    from aurelon.core.precompile import FIRST, steps

    compiling = Compiling()
    register: Any = event.register
    register("numba:compile", compiling)
    print(f"{'step':<60} {'seconds':>8}")
    for step in steps():
        before = time.process_time()
        step.work()
        print(f"{step.name:<60} {time.process_time() - before:>8.1f}", flush=True)
        if step.name == FIRST:
            first = time.process_time() - started
    whole = time.process_time() - started
    print(f"\n{'kernel':<60} {'seconds':>8}")
    for name, seconds in sorted(compiling.seconds.items(), key=lambda one: -one[1]):
        print(f"{name:<60} {seconds:>8.1f}")
    print()
    for what, seconds, bound in (("the first minute", first, FIRST_BOUND), ("all", whole, ALL_BOUND)):
        print(f"{what:<60} {seconds:>8.1f}   at most {bound}   {'' if seconds <= bound else 'MISSED'}")
    print(f"{'  of which compiling':<60} {sum(compiling.seconds.values()):>8.1f}")


if __name__ == "__main__":
    sys.exit(main())
