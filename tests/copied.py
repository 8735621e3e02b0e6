"""Services for tests, copied from a process that has everything imported: a start costs a tenth of what it costs from nothing."""

from __future__ import annotations

import atexit
import os
import shutil
import signal
import subprocess
import sys
import tempfile
from collections.abc import Sequence
from functools import cache
from multiprocessing import forkserver as made_from
from multiprocessing.context import ForkServerContext
from multiprocessing.resource_tracker import ensure_running
from pathlib import Path

from aurelon.confined import forkserver
from aurelon.store import Store


def can_copy() -> bool:
    """Whether there is a process to copy from: in the workers of `tests.run`."""
    return isinstance(forkserver.context(), ForkServerContext)


@cache
def demo_data() -> Path:
    """A data folder with the demo plates, made once for all services of this process."""
    from aurelon.web.seed import seed_demo

    folder = Path(tempfile.mkdtemp())
    atexit.register(shutil.rmtree, folder)
    store = Store(folder / "aurelon.sqlite")
    seed_demo(store)
    store.close()
    return folder


def _run(words: Sequence[str]) -> None:
    # What this process was copied from makes its decoders too.
    made_from._forkserver.ensure_running = ensure_running  # type: ignore[method-assign]
    quiet = os.open(os.devnull, os.O_WRONLY)
    os.dup2(quiet, 1)
    os.dup2(quiet, 2)
    forkserver.begin()
    from aurelon.cli import main

    sys.exit(main([*words]))


class Copied:
    """The `aurelon` command in a process that was copied, with what tests use of `subprocess.Popen`."""

    def __init__(self, words: Sequence[str]) -> None:
        self._process = forkserver.context().Process(target=_run, args=(words,))  # type: ignore[attr-defined]
        self._process.start()
        self.pid: int = self._process.pid

    @property
    def returncode(self) -> int | None:
        return self.poll()

    def poll(self) -> int | None:
        code: int | None = self._process.exitcode
        return code

    def wait(self, timeout: float | None = None) -> int:
        self._process.join(timeout)
        code = self.poll()
        if code is None:
            raise subprocess.TimeoutExpired("aurelon", timeout or 0.0)
        return code

    def send_signal(self, how: int) -> None:
        if self.poll() is None:
            os.kill(self.pid, how)

    def terminate(self) -> None:
        self.send_signal(signal.SIGTERM)

    def kill(self) -> None:
        self.send_signal(signal.SIGKILL)
