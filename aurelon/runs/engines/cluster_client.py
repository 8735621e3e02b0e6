"""The client of a cluster of dask.distributed (the extra `cluster`), as it works in a confined process."""

from __future__ import annotations

import importlib
import logging
import os
from collections.abc import Callable, Mapping
from concurrent.futures import CancelledError
from contextlib import suppress
from dataclasses import dataclass
from functools import partial
from queue import Empty, SimpleQueue
from threading import Lock
from typing import Any

from aurelon.confined.wire import carried
from aurelon.core import AurelonError
from aurelon.core.codecs.shared.raster import Raster
from aurelon.core.imaging.rgb_space import Curve, RgbSpace
from aurelon.runs.tasks import EngineLost, OtherBuild, Outcome, Strip, Task, WorkerLost, build
from aurelon.runs.worker import make, use_threads

CONNECTING = 6.0  # seconds in which a scheduler must answer
THREADS = "AURELON_THREADS"  # in a worker's environment: threads for each picture, one where it is not set
LOST = ("KilledWorker", "FutureCancelledError", "CommClosedError", "FutureCancelled", "CancelledError")


@dataclass(frozen=True)
class Answer:
    """The result of a task, or the kind of its error by name and the sentence."""

    number: int
    result: Outcome | None = None
    kind: str = ""
    why: str = ""


@dataclass(frozen=True)
class Progress:
    """The workers that there are, with all their threads and machines, and what was done since the last question."""

    workers: int
    threads: int
    machines: int
    answers: tuple[Answer, ...] = ()


for _kind in (Answer, Progress, Task, Outcome, Strip, Raster, RgbSpace, Curve):
    carried(_kind)


def operations() -> Mapping[str, Callable[..., Any]]:
    """What the confined process offers. The library is loaded before the process is confined."""
    with suppress(ImportError):
        importlib.import_module("distributed")
    clients: list[ClusterClient] = []

    def connect(address: str, certificates: tuple[str, ...]) -> Progress:
        clients.append(ClusterClient(address, certificates))
        return clients[0].progress()

    def submit(number: int, task: Task, files: Mapping[str, bytes]) -> Progress:
        return clients[0].submit(number, task, files)

    def results() -> Progress:
        return clients[0].progress()

    return {operation.__name__: operation for operation in (connect, submit, results)}


def _made_there(task: Task, files: Mapping[str, bytes]) -> Outcome:
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


class ClusterClient:
    """A connection to the scheduler at `address`, with `certificates` (authority, certificate, key) encrypted."""

    def __init__(self, address: str, certificates: tuple[str, ...]) -> None:
        try:
            distributed: Any = importlib.import_module("distributed")
        except ImportError as error:
            raise AurelonError("a cluster needs more than is installed; add it with: pip install 'aurelon[cluster]'") from error
        self._address = address
        _hush()
        security = None
        if certificates:
            authority, certificate, key = certificates
            security = distributed.Security(
                tls_ca_file=authority, tls_client_cert=certificate, tls_client_key=key, require_encryption=True
            )
        try:
            self._client: Any = distributed.Client(address, timeout=CONNECTING, set_as_default=False, security=security)
            builds: dict[str, str] = self._client.run(build)
        except (OSError, TimeoutError, ValueError, TypeError) as error:
            raise EngineLost(f"no cluster answers at {address}; is its scheduler running, and is that its address?") from error
        except ImportError as error:
            raise OtherBuild(f"a worker of {address} has no Aurelon; install the same version on each machine") from error
        if others := {worker: other for worker, other in builds.items() if other != build()}:
            worker, other = next(iter(others.items()))
            raise OtherBuild(
                f"the worker {worker} has another Aurelon ({other}) than this one ({build()}); install the same on both"
            )
        self._refused: set[str] = set()
        self._files: dict[str, bytes] = {}
        self._held: dict[str, Any] = {}
        self._done: SimpleQueue[Answer] = SimpleQueue()
        self._lock = Lock()

    def progress(self) -> Progress:
        """How things stand. Raises EngineLost where the scheduler is gone."""
        threads = self._threads()
        answers = []
        with suppress(Empty):
            while True:
                answers.append(self._done.get_nowait())
        machines = len({address.rpartition(":")[0] for address in threads})
        return Progress(len(threads), sum(threads.values()), machines, tuple(answers))

    def submit(self, number: int, task: Task, files: Mapping[str, bytes]) -> Progress:
        """Has a task done; `files` are the contents that were not sent before. Raises EngineLost where no worker does it."""
        fit = [worker for worker in self._threads() if worker not in self._refused] if self._refused else None
        if fit == []:
            raise EngineLost(f"every worker of {self._address} has another Aurelon than this one; install the same on each")
        try:
            with self._lock:
                self._files.update(files)
                held = {name: self._at_hand(name, number) for name in task.contents}
            key = f"aurelon-{task.key[:24]}-{number}"
            inner = self._client.submit(_made_there, task, held, key=key, pure=False, retries=0, workers=fit)
        except (OSError, CancelledError, RuntimeError) as error:
            raise self._lost(error) from error
        inner.add_done_callback(partial(self._finish, number, task))
        return Progress(0, 0, 0)

    def _threads(self) -> dict[str, int]:
        try:
            found: dict[str, int] = dict(self._client.nthreads())
        except (OSError, TimeoutError) as error:
            raise self._gone() from error
        if self._client.status != "running":
            raise self._gone()
        return found

    def _at_hand(self, name: str, number: int) -> Any:
        """The file as the cluster holds it, sent when it is first needed and after the worker that held it is gone."""
        held = self._held.get(name)
        if held is None or held.status not in ("finished", "pending"):
            key = f"aurelon-{name}-{number}"
            held = self._held[name] = self._client.scatter({key: self._files[name]}, direct=False)[key]
        return held

    def _finish(self, number: int, task: Task, inner: Any) -> None:
        if task.strip is None and task.frames is None:  # the plate of one picture serves no other task
            with self._lock:
                self._held.pop(task.plate, None)
                self._files.pop(task.plate, None)
        self._done.put(self._answer(number, inner))
        inner.release()

    def _answer(self, number: int, inner: Any) -> Answer:
        try:
            return Answer(number, inner.result())
        except OtherBuild as error:
            self._refused.add(str(error))
            return Answer(number, kind=WorkerLost.__name__, why=f"the worker {error} has another Aurelon")
        except AurelonError as error:
            return Answer(number, kind=type(error).__name__, why=str(error))
        except MemoryError:
            return Answer(number, kind=MemoryError.__name__)
        except (Exception, CancelledError) as error:
            if type(error).__name__ in LOST:
                lost = self._lost(error)
                return Answer(number, kind=type(lost).__name__, why=str(lost))
            fault = f"a fault in Aurelon stopped it ({type(error).__name__}: {error}); please report it"
            return Answer(number, kind=AurelonError.__name__, why=fault)

    def _gone(self) -> EngineLost:
        return EngineLost(f"the cluster at {self._address} is gone; finished pictures stay")

    def _lost(self, error: BaseException) -> AurelonError:
        if self._client.status != "running":
            return self._gone()
        return WorkerLost(f"its worker ended before it was done ({type(error).__name__})")
