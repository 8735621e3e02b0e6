"""How many workers a machine has room for."""

from __future__ import annotations

import os
from dataclasses import dataclass

import psutil

WORKER_BYTES = 330 << 20  # of a worker that has no picture yet
PIXEL_BYTES = 36  # that a picture with several lights needs while it is made and written, a pixel
SHARE = 0.8  # of the memory that is free, which a run may take


@dataclass(frozen=True)
class Room:
    """Workers, the threads in each, and the memory in bytes that each needs for the largest picture."""

    workers: int
    threads: int
    memory: int

    @property
    def says(self) -> str:
        each = f"about {self.memory / 1e9:.1f} GB of memory"
        if self.workers == 1:
            return f"1 worker of {_threads(self.threads)}, {each}"
        return f"{self.workers} workers of {_threads(self.threads)} each, {each} a worker"


def _threads(count: int) -> str:
    return "1 thread" if count == 1 else f"{count} threads"


def cores() -> int:
    """Processors that this process may use."""
    return len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1


def room_for(pixels: int, tasks: int, wanted: int | None = None, threads: int | None = None) -> Room:
    """Room for pictures of up to this many pixels: as many workers as are `wanted`, or else as processors, memory and the number
    of tasks allow."""
    memory = WORKER_BYTES + PIXEL_BYTES * pixels
    fitting = int(psutil.virtual_memory().available * SHARE // memory)
    workers = wanted or max(1, min(cores(), tasks, fitting))
    return Room(workers, threads or max(1, cores() // workers), memory)
