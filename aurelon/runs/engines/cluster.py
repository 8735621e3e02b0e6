"""The engine of an existing cluster, by dask.distributed (the extra `cluster`)."""

from __future__ import annotations

import importlib
import logging
import os
import re
import time
from collections.abc import Mapping
from concurrent.futures import CancelledError, Future
from contextlib import suppress
from functools import partial
from threading import Lock
from typing import Any

from aurelon.core import AurelonError
from aurelon.runs.contents import Contents
from aurelon.runs.tasks import EngineLost, Made, OtherBuild, Task, WorkerLost, build
from aurelon.runs.worker import make, use_threads

ADDRESS = re.compile(r"(tcp|tls)://[\w.\-\[\]:]+:\d{1,5}")
TIMEOUT = 6  # seconds in which a scheduler must answer
ASK_EVERY = 0.5  # seconds between questions which workers there are
AHEAD = 1  # tasks that wait at each worker's thread, so that none is idle while the next one comes
THREADS = "AURELON_THREADS"  # in a worker's environment: threads for each picture, one where it is not set


def _made_there(task: Task, files: Mapping[str, bytes]) -> Made:
    if task.build != build():
        worker: Any = importlib.import_module("distributed").get_worker()
        raise OtherBuild(worker.address)
    use_threads(int(os.environ.get(THREADS, "1")))
    return make(task, files.__getitem__)


def _hush() -> None:
    """What the library has to log of lost connections is for its own developers; a run says it in a sentence."""
    for name in list(logging.root.manager.loggerDict):
        if name.partition(".")[0] in ("distributed", "tornado"):
            logging.getLogger(name).handlers = [logging.NullHandler()]


class Cluster:
    """The workers of the cluster whose scheduler is at `address`, those that join later too. A file goes to it once, by content.

    A worker that joins with another Aurelon gets nothing to do. Raises EngineLost where no scheduler answers, OtherBuild where a
    worker that is there has another Aurelon, AurelonError where the extra is not installed.
    """

    def __init__(self, address: str) -> None:
        try:
            distributed: Any = importlib.import_module("distributed")
        except ImportError as error:
            raise AurelonError("a cluster needs more than is installed; add it with: pip install 'aurelon[cluster]'") from error
        if not ADDRESS.fullmatch(address):
            raise EngineLost(f"'{address}' is no address of a cluster; use one such as tcp://HOST:8786")
        self._address = address
        _hush()
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
        self._known: Mapping[str, int] = {}
        self._asked = 0.0
        self._lock = Lock()
        self._number = 0

    @property
    def workers(self) -> int:
        return sum(self._threads().values())

    @property
    def room(self) -> int:
        return max(1, self.workers * (1 + AHEAD))

    @property
    def says(self) -> str:
        workers = self._threads()
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
            fit = [worker for worker in self._threads() if worker not in self._refused] if self._refused else None
            if fit == []:
                raise EngineLost(f"every worker of {self._address} has another Aurelon than this one; install the same on each")
            inner = self._client.submit(_made_there, task, files, key=key, pure=False, retries=0, workers=fit)
        except EngineLost as error:
            given.set_exception(error)
            return given
        except (OSError, CancelledError, RuntimeError) as error:
            given.set_exception(self._lost(error))
            return given
        inner.add_done_callback(partial(self._pass_on, given, task))
        return given

    def close(self) -> None:
        self._sent.clear()
        with suppress(OSError, TimeoutError):  # the cluster may be gone
            self._client.close(timeout=TIMEOUT)

    def _threads(self) -> Mapping[str, int]:
        """The threads of each worker that is there, asked for anew after a while. Raises EngineLost where nobody answers."""
        now = time.monotonic()
        if now - self._asked > ASK_EVERY:
            try:
                self._known = self._client.nthreads()
            except (OSError, TimeoutError) as error:
                raise self._gone() from error
            self._asked = now
        return self._known

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
        # Only the plate of one picture: a reel, the rig and its files serve every task.
        if task.strip is None and task.frames is None:
            with self._lock:
                self._sent.pop(task.plate, None)
        try:
            made = inner.result()
        except CancelledError as error:
            given.set_exception(self._lost(error))
        except OtherBuild as error:
            self._refused.add(str(error))
            given.set_exception(WorkerLost(f"the worker {error} has another Aurelon"))
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

    def _gone(self) -> EngineLost:
        return EngineLost(f"the cluster at {self._address} is gone; what is made stays")

    def _lost(self, error: BaseException) -> AurelonError:
        if self._client.status != "running":
            return self._gone()
        return WorkerLost(f"its worker ended before it was done ({type(error).__name__})")
