"""The engine of an existing cluster. Its client works in a confined process: a cluster's protocol runs code by design, and what a
cluster that has gone bad sends must reach neither this process nor the artist's files."""

from __future__ import annotations

import time
from concurrent.futures import Future
from pathlib import Path
from threading import Event, Lock, Thread

from aurelon.confined.process import ConfinedProcess, NeedsMemory, ProcessLost, Refused, TookTooLong
from aurelon.core import AurelonError
from aurelon.runs.contents import Contents
from aurelon.runs.engines.cluster_client import CONNECTING, Answer, Progress, operations
from aurelon.runs.engines.clusters import ClusterAddress
from aurelon.runs.tasks import EngineLost, OtherBuild, Outcome, Task, WorkerLost

AHEAD = 1  # tasks that wait at each worker's thread, so that none is idle while the next one comes
ASK_EVERY = 0.1  # seconds between questions what is done
PATIENCE = 15.0  # seconds in which the client must answer; more for what is sent
BYTES_A_SECOND = 1e6  # that a network carries at the least
KINDS: dict[str, type[AurelonError]] = {kind.__name__: kind for kind in (WorkerLost, EngineLost, OtherBuild)}


class Cluster:
    """The workers of the cluster at `where`, those that join later too. A file goes to it once, by content.

    A worker that joins with another Aurelon gets nothing to do. `ready` raises EngineLost where no scheduler answers, OtherBuild
    where a worker that is there has another Aurelon, AurelonError where the extra is not installed.
    """

    def __init__(self, where: ClusterAddress) -> None:
        certificates = where.certificates
        pem = () if certificates is None else (certificates.authority, certificates.certificate, certificates.key)
        self._address = where.address
        self._process = ConfinedProcess(operations, network=True, readable=tuple(map(Path, pem)))
        self._lock = Lock()
        self._given: dict[int, Future[Outcome]] = {}
        self._sent: set[str] = set()
        self._number = 0
        self._closed = Event()
        self._progress = Progress(0, 0, 0)
        self._connected: Future[None] = Future()
        self._thread = Thread(target=self._watch, args=(tuple(map(str, pem)),), name="cluster", daemon=True)
        self._thread.start()

    def ready(self, timeout: float | None) -> bool:
        try:
            self._connected.result(timeout)
        except TimeoutError:
            return False
        return True

    @property
    def workers(self) -> int:
        return self._progress.threads

    @property
    def room(self) -> int:
        return max(1, self.workers * (1 + AHEAD))

    @property
    def says(self) -> str:
        many = f"{self._progress.workers} workers" if self._progress.workers != 1 else "1 worker"
        on = f", on {self._progress.machines} machines" if self._progress.machines > 1 else ""
        return f"{many} of the cluster at {self._address}{on}"

    def submit(self, task: Task, contents: Contents) -> Future[Outcome]:
        given: Future[Outcome] = Future()
        files = {name: contents.path(name).read_bytes() for name in task.contents if name not in self._sent}
        with self._lock:
            self._number += 1
            number = self._number
            self._given[number] = given
        try:
            self._asked("submit", sum(map(len, files.values())) / BYTES_A_SECOND, number, task, files)
            self._sent.update(files)
            # Only the plate of one picture is let go: a reel, the rig and its files serve every task.
            if task.strip is None and task.frames is None:
                self._sent.discard(task.plate)
        except AurelonError as error:
            self._settle(number, error)
        return given

    def close(self) -> None:
        """Ends the client at once; the cluster drops the work of a client that has gone."""
        self._closed.set()
        self._process.close()
        self._thread.join(PATIENCE)

    def _watch(self, certificates: tuple[str, ...]) -> None:
        """Connects, then settles what is done, until the engine is closed or the cluster is lost."""
        try:
            self._progress = self._asked("connect", CONNECTING, self._address, certificates)
        except AurelonError as error:
            self._connected.set_exception(error)
            return
        self._connected.set_result(None)
        while not self._closed.wait(ASK_EVERY):
            try:
                self._progress = progress = self._asked("results", 0.0)
            except AurelonError as error:
                for number in list(self._given):
                    self._settle(number, error)
                return
            for answer in progress.answers:
                self._settle(answer.number, _outcome(answer))

    def _settle(self, number: int, outcome: Outcome | AurelonError | MemoryError) -> None:
        with self._lock:
            given = self._given.pop(number, None)
        if given is None or given.done():
            return
        if isinstance(outcome, Outcome):
            given.set_result(outcome)
        else:
            given.set_exception(outcome)

    def _asked(self, operation: str, more: float, *arguments: object) -> Progress:
        """What the client answers. Raises EngineLost where it does not, and what it raises."""
        began = time.monotonic()
        try:
            progress: Progress = self._process.ask(operation, *arguments, patience=PATIENCE + more)
            return progress
        except Refused as error:
            raise KINDS.get(error.kind, AurelonError)(str(error)) from error
        except (TookTooLong, ProcessLost, NeedsMemory) as error:
            if operation == "connect":
                raise EngineLost(
                    f"no cluster answers at {self._address} (waited {time.monotonic() - began:.0f} s); is its scheduler running, "
                    "and is that its address?"
                ) from error
            raise EngineLost(f"the cluster at {self._address} is gone; finished pictures stay") from error


def _outcome(answer: Answer) -> Outcome | AurelonError | MemoryError:
    if answer.result is not None:
        return answer.result
    if answer.kind == MemoryError.__name__:
        return MemoryError()
    return KINDS.get(answer.kind, AurelonError)(answer.why)
