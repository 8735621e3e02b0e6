"""Puts each fault into the code, in a process of its own, and runs its tests: `seen` where one fails."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import time
from collections.abc import Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor, as_completed
from dataclasses import dataclass
from pathlib import Path
from queue import SimpleQueue
from threading import Timer

from tests.faults.fault import Fault

ROOT = Path(__file__).resolve().parents[2]
PATIENCE = 240.0  # seconds; a fault by which a test never ends is seen
# Third-party packages are imported once; each fault has a copy of that process, in which nothing of ours is imported yet.
WORKER = """
import json, os, sys, unittest
import numba, numpy, cv2, scipy.interpolate, scipy.ndimage, pydantic, PIL.Image, peewee, fastapi, imagecodecs, tifffile
from tests.faults.site import sitecustomize
cv2.setNumThreads(1)
for line in sys.stdin:
    task = json.loads(line)
    child = os.fork()
    if child == 0:
        os.environ["AURELON_FAULT"] = json.dumps(task["fault"])
        sitecustomize.install(**task["fault"])
        null = os.open(os.devnull, os.O_WRONLY)
        os.dup2(null, 1), os.dup2(null, 2)
        os.setpgid(0, 0)
        try:
            suite = unittest.defaultTestLoader.loadTestsFromNames(task["tests"])
            good = unittest.TextTestRunner(open(os.devnull, "w"), failfast=True).run(suite).wasSuccessful()
        except BaseException:
            good = False
        os._exit(0 if good else 1)
    print(child, flush=True)
    _, status = os.waitpid(child, 0)
    print(os.waitstatus_to_exitcode(status), flush=True)
"""


@dataclass(frozen=True)
class Verdict:
    """Whether a test saw a fault, and how long it took."""

    fault: Fault
    seen: bool
    seconds: float


class Worker:
    """A process whose copies take one fault each."""

    def __init__(self) -> None:
        paths = os.pathsep.join([str(Path(__file__).parent / "site"), str(ROOT)])
        environment = os.environ | {"PYTHONPATH": paths, "OMP_WAIT_POLICY": "passive", "PYTHONWARNINGS": "ignore"}
        environment.pop("AURELON_FAULT", None)
        command = [sys.executable, "-c", WORKER]
        pipe = subprocess.PIPE
        self._process = subprocess.Popen(
            command, stdin=pipe, stdout=pipe, stderr=subprocess.DEVNULL, env=environment, cwd=ROOT, text=True
        )

    def look(self, fault: Fault) -> Verdict:
        assert self._process.stdin is not None
        assert self._process.stdout is not None
        began = time.monotonic()
        task = {"fault": {"path": str(ROOT / fault.file), "before": fault.before, "after": fault.after}, "tests": fault.tests}
        self._process.stdin.write(json.dumps(task) + "\n")
        self._process.stdin.flush()
        child = int(self._process.stdout.readline())
        watch = Timer(PATIENCE, os.killpg, (child, signal.SIGKILL))
        watch.start()
        try:
            code = int(self._process.stdout.readline())
        finally:
            watch.cancel()
        return Verdict(fault, code != 0, time.monotonic() - began)

    def close(self) -> None:
        self._process.communicate()


def verdicts(faults: Iterable[Fault], workers: int = 2) -> Iterator[Verdict]:
    """What became of each fault, as it is known."""
    queue: SimpleQueue[Worker] = SimpleQueue()
    started = [Worker() for _ in range(workers)]
    for worker in started:
        queue.put(worker)

    def look(fault: Fault) -> Verdict:
        worker = queue.get()
        try:
            return worker.look(fault)
        finally:
            queue.put(worker)

    try:
        with ThreadPoolExecutor(workers) as threads:
            for done in as_completed([threads.submit(look, fault) for fault in faults]):
                yield done.result()
    finally:
        for worker in started:
            worker.close()
