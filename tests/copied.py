"""The `aurelon` command for tests, copied from a process that has everything imported: a start costs a tenth of what it costs from
nothing."""

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
from unittest import mock

from PIL import Image

from aurelon.confined import forkserver
from aurelon.store import Store
from aurelon.web import seed

PATIENCE = 300.0  # seconds that a command may take


def can_copy() -> bool:
    """Whether there is a process to copy from: in the workers of `tests.run`."""
    return isinstance(forkserver.context(), ForkServerContext)


@cache
def small_demo() -> Path:
    """The demo's folder with its plates at half their size, made once for this process: pages and jobs say the same of those."""
    folder = Path(tempfile.mkdtemp())
    atexit.register(shutil.rmtree, folder)
    for one in seed.DEMO.iterdir():
        if one.name != "plates":
            (folder / one.name).symlink_to(one)
    (folder / "plates").mkdir()
    for plate in (seed.DEMO / "plates").iterdir():
        with Image.open(plate) as picture:
            picture.reduce(2).save(folder / "plates" / plate.name, quality=95)
    return folder


@cache
def demo_data(*, small: bool) -> Path:
    """A data folder with the demo plates, or with those at half their size, made once for all services of this process."""
    folder = Path(tempfile.mkdtemp())
    atexit.register(shutil.rmtree, folder)
    store = Store(folder / "aurelon.sqlite")
    with mock.patch.object(seed, "DEMO", small_demo() if small else seed.DEMO):
        seed.seed_demo(store)
    store.close()
    return folder


def _run(words: Sequence[str], out: str = os.devnull, errors: str = os.devnull, folder: str | None = None) -> None:
    # What this process was copied from makes its decoders and workers too.
    made_from._forkserver.ensure_running = ensure_running  # type: ignore[method-assign]
    for stream, path in ((1, out), (2, errors)):
        os.dup2(os.open(path, os.O_WRONLY), stream)
    if folder:
        os.chdir(folder)
    if words[:1] in (["run"], ["serve"]):
        forkserver.begin()
    from aurelon.cli import main

    code = main([*words])
    sys.stdout.flush()
    sys.stderr.flush()
    sys.exit(code)


def run_command(*words: str | Path, folder: Path | None = None) -> subprocess.CompletedProcess[str]:
    """Runs the `aurelon` command in a folder to its end, and gives its exit code and what it printed."""
    texts = [str(word) for word in words]
    if not can_copy():
        command = [sys.executable, "-m", "aurelon", *texts]
        return subprocess.run(command, capture_output=True, text=True, timeout=PATIENCE, cwd=folder)
    with tempfile.NamedTemporaryFile("r") as out, tempfile.NamedTemporaryFile("r") as errors:
        process = Copied(texts, out.name, errors.name, str(folder) if folder else None)
        try:
            code = process.wait(PATIENCE)
        except subprocess.TimeoutExpired:
            process.kill()
            raise
        return subprocess.CompletedProcess(texts, code, out.read(), errors.read())


class Copied:
    """The `aurelon` command in a process that was copied, with what tests use of `subprocess.Popen`."""

    def __init__(self, words: Sequence[str], *streams_and_folder: str | None) -> None:
        self._process = forkserver.context().Process(target=_run, args=(words, *streams_and_folder))  # type: ignore[attr-defined]
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
