"""Kernels that are compiled in the background after a first start, and how long a kind of light waits for its own."""

from __future__ import annotations

import subprocess
import sys
import time
from threading import Lock

from aurelon.core.imaging.stale_kernels import ALL, precompiled
from aurelon.core.precompile import FIRST, FIRST_KINDS, steps

LOOK_EVERY = 0.2  # seconds


class Preparing:
    """A process of low priority that compiles what is not kept yet, and never outlives this one. Where it is not started, or has
    ended, nothing is waited for: each process compiles the kernels that it needs."""

    def __init__(self) -> None:
        self._process: subprocess.Popen[str] | None = None
        self._lock = Lock()
        self._at = 0.0  # when the step that is compiled now was begun, as far as is known
        self._left = 0

    def start(self) -> None:
        if ALL in precompiled():
            return
        command = [sys.executable, "-m", "aurelon.core.precompile", "--while-stdin-is-open"]
        # The pipe closes with this process, however that ends.
        quiet = subprocess.DEVNULL
        self._process = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=quiet, stderr=quiet, text=True)
        self._at = time.monotonic()

    def close(self) -> None:
        """Ends it. What it has compiled is kept."""
        if self._process is not None:
            self._process.kill()
            self._process.wait()

    def seconds_left(self) -> dict[str, float]:
        """For each step, as a kind of light, whose kernels are still to come: about how many seconds until they are there."""
        if self._process is None or self._process.poll() is not None:
            return {}
        done = precompiled()
        if ALL in done:
            return {}
        waiting = [step for step in steps() if step.name not in done]
        with self._lock:
            if len(waiting) != self._left:
                self._left, self._at = len(waiting), time.monotonic()
            gone = time.monotonic() - self._at
        left, total = {}, 0.0
        for step in waiting:
            total += step.seconds
            left[step.name] = max(1.0, total - gone)
        for kind in FIRST_KINDS:
            left.pop(kind, None)
            if FIRST in left:
                left[kind] = left[FIRST]
        return left

    def want(self, kind: str) -> None:
        """Has a kind compiled next."""
        if self._process is None or self._process.stdin is None or kind not in self.seconds_left():
            return
        try:
            self._process.stdin.write(f"{kind}\n")
            self._process.stdin.flush()
        except BrokenPipeError:
            return  # it has just ended, and nothing is waited for any more

    def is_ready(self, kind: str) -> bool:
        return kind not in self.seconds_left()
