"""The engine of an existing cluster, by dask.distributed (the extra `cluster`)."""

from __future__ import annotations

import importlib
import os
from collections.abc import Mapping
from concurrent.futures import CancelledError, Future
from functools import partial
from threading import Lock
from typing import Any

from aurelon.core import AurelonError
from aurelon.runs.contents import Contents
from aurelon.runs.tasks import EngineLost, Made, OtherBuild, Task, WorkerLost, build
from aurelon.runs.worker import make, use_threads

TIMEOUT = 10  # seconds in which a scheduler must answer
AHEAD = 1  # tasks that wait at each worker's thread, so that none is idle while the next one comes
THREADS = "AURELON_THREADS"  # in a worker's environment: threads for each picture, one where it is not set


def _made_there(task: Task, files: Mapping[str, bytes]) -> Made:
    use_threads(int(os.environ.get(THREADS, "1")))
    return make(task, files.__getitem__)


class Cluster:
    """The workers of the cluster whose scheduler is at `address`, those that join later too. A file goes to it once, by content.

    Raises EngineLost where no scheduler answers, OtherBuild where a worker has another Aurelon, AurelonError where the extra is not
    installed.
    """

    def __init__(self, address: str) -> None:
        try:
            distributed: Any = importlib.import_module("distributed")
        except ImportError as error:
            raise AurelonError("a cluster needs more than is installed; add it with: pip install 'aurelon[cluster]'") from error
        self._address = address
        try:
            self._client: Any = distributed.Client(address, timeout=TIMEOUT, set_as_default=False)
            builds: dict[str, str] = self._client.run(build)
        except (OSError, TimeoutError, ValueError, TypeError) as error:
            raise EngineLost(f"no cluster answers at {address}; is its scheduler running, and is that its address?") from error
        except ImportError as error:
            raise OtherBuild(f"a worker of {address} has no Aurelon; install the same version on each machine") from error
        self._refused: set[str] = set()
        if others := {worker: other for worker, other in builds.items() if other != build()}:
            self._client.close()
            worker, other = next(iter(others.items()))
            raise OtherBuild(
                f"the worker {worker} has another Aurelon ({other}) than this one ({build()}); install the same on both"
            )
        self._sent: dict[str, Any] = {}
        self._lock = Lock()
        self._number = 0

    @property
    def room(self) -> int:
        threads = sum(self._client.nthreads().values()) if self._client.status == "running" else 0
        return max(1, threads * (1 + AHEAD))

    @property
    def says(self) -> str:
        workers = self._client.nthreads()
        hosts = {address.rpartition(":")[0] for address in workers}
        many = f"{len(workers)} workers" if len(workers) != 1 else "1 worker"
        return f"{many} of the cluster at {self._address}" + (f", on {len(hosts)} machines" if len(hosts) > 1 else "")

    def submit(self, task: Task, contents: Contents) -> Future[Made]:
        given: Future[Made] = Future()
        try:
            files = {name: self._at_hand(name, contents) for name in task.contents}
            with self._lock:
                self._number += 1
                key = f"aurelon-{task.key[:24]}-{self._number}"
            inner = self._client.submit(_made_there, task, files, key=key, pure=False, retries=0)
        except (OSError, CancelledError, RuntimeError) as error:
            given.set_exception(self._lost(error))
            return given
        inner.add_done_callback(partial(self._pass_on, given, task))
        return given

    def close(self) -> None:
        self._sent.clear()
        self._client.close(timeout=TIMEOUT)

    def _at_hand(self, name: str, contents: Contents) -> Any:
        """The file as the cluster holds it, sent when it is first needed and after the worker that held it is gone."""
        with self._lock:
            held = self._sent.get(name)
            if held is None or held.status not in ("finished", "pending"):
                data = contents.path(name).read_bytes()
                held = self._client.scatter({f"aurelon-{name}-{self._number}": data}, direct=False)[
                    f"aurelon-{name}-{self._number}"
                ]
                self._sent[name] = held
            return held

    def _pass_on(self, given: Future[Made], task: Task, inner: Any) -> None:
        # Only the plate: the rig and its files serve every task.
        if task.strip is None:
            with self._lock:
                self._sent.pop(task.plate, None)
        try:
            made = inner.result()
        except CancelledError as error:
            given.set_exception(self._lost(error))
        except AurelonError as error:
            given.set_exception(error)
        except Exception as error:
            given.set_exception(self._told(error))
        else:
            given.set_result(made)
        inner.release()

    def _told(self, error: Exception) -> Exception:
        name = type(error).__name__
        if name in ("KilledWorker", "FutureCancelledError", "CommClosedError", "FutureCancelled"):
            return self._lost(error)
        return error

    def _lost(self, error: BaseException) -> AurelonError:
        if self._client.status != "running":
            return EngineLost(f"the cluster at {self._address} is gone; what is made stays, and --resume goes on from there")
        return WorkerLost(f"its worker ended before it was done ({type(error).__name__})")
