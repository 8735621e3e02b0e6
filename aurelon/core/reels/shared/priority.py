"""The priority of this process's threads."""

from __future__ import annotations

import os
from contextlib import suppress
from pathlib import Path

THREADS = Path("/proc/self/task")


def as_any_other() -> None:
    """Takes real-time priority from every thread of this process.

    Where it runs as root the AV1 encoder gives it to its own threads and to the one that calls it: nothing else on the machine
    would be done before it, and every program that is begun from here would inherit it.
    """
    if not THREADS.is_dir():
        return
    for thread in THREADS.iterdir():
        number = int(thread.name)
        with suppress(ProcessLookupError, PermissionError):
            if os.sched_getscheduler(number) in (os.SCHED_FIFO, os.SCHED_RR):
                os.sched_setscheduler(number, os.SCHED_OTHER, os.sched_param(0))
