"""One kind of background job, for whatever takes longer than an answer may: exports, cuts, sheets, thumbnails.

A job runs in a lane with others of its sort, so that a long export holds up no cut. It tells its share done, gives
items as they come, ends with a result, and can be cancelled at any time. One that does not end by itself when it is cancelled is
given up: its lane is free for the next, and what it may still make is thrown away.
"""

from __future__ import annotations

import logging
import shutil
import time
import uuid
from collections import Counter, deque
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from threading import Condition, Event, Lock, Thread, Timer
from typing import Any, BinaryIO, Literal

from aurelon.core import AurelonError
from aurelon.core.errors import Cancelled
from aurelon.runs.scratch import scratch_folder
from aurelon.store import DataFileError, unwritten

State = Literal["waiting", "working", "done", "failed", "cancelled"]
Lane = Literal["export", "bench", "beside", "thumbnail"]
LANES: Mapping[Lane, int] = {"export": 1, "bench": 2, "beside": 1, "thumbnail": 1}  # jobs of a lane that run at once
KEPT = 40  # finished jobs, with their files, that are kept until the service stops
GRACE = 2.0  # seconds in which a cancelled job is to end by itself
SOONEST = 0.02  # share from which the time left can be told
log = logging.getLogger(__name__)


class UnknownJob(AurelonError):
    """There is no job of that id."""


@dataclass(frozen=True)
class FileResult:
    """A file that a job made: the name it is saved under, its media type, and what writes it."""

    name: str
    media_type: str
    write: Callable[[BinaryIO], object]


@dataclass
class Job:
    """A piece of work. `share` runs from 0 to 1, `items` are what it has given so far, `error` says why it failed."""

    id: str
    lane: Lane
    state: State = "waiting"
    share: float = 0.0
    error: str | None = None
    items: list[Any] = field(default_factory=list)
    file: Path | None = None
    file_name: str | None = None
    media_type: str | None = None
    size: int = 0
    started: float = 0.0
    left: bool = False  # its place in the lane is free again
    stop: Event = field(default_factory=Event)
    news: Condition = field(default_factory=Condition)

    @property
    def over(self) -> bool:
        return self.state in ("done", "failed", "cancelled")

    @property
    def seconds_left(self) -> float | None:
        if self.state != "working" or self.share < SOONEST:
            return None
        return (time.monotonic() - self.started) * (1 - self.share) / self.share


class Control:
    """What the work of a job is given, to say how far it is and to learn whether it is still wanted."""

    def __init__(self, job: Job) -> None:
        self._job = job

    def cancelled(self) -> bool:
        return self._job.stop.is_set()

    def progress(self, share: float) -> None:
        with self._job.news:
            self._job.share = share
            self._job.news.notify_all()

    def go_on(self) -> None:
        """Raises Cancelled when the job is no longer wanted."""
        if self.cancelled():
            raise Cancelled

    def give(self, item: Any) -> None:
        """Gives one of the things that the job makes, as soon as it is made. Raises Cancelled after the job was cancelled."""
        self.go_on()
        with self._job.news:
            self._job.items.append(item)
            self._job.news.notify_all()


Work = Callable[[Control], FileResult | None]


class Jobs:
    """Runs jobs off the threads that answer requests, and keeps their results for a while."""

    def __init__(self) -> None:
        self._folder = scratch_folder("jobs")
        self._waiting: dict[Lane, deque[tuple[Job, Work]]] = {lane: deque() for lane in LANES}
        self._going: Counter[Lane] = Counter()
        self._jobs: dict[str, Job] = {}
        self._lock = Lock()

    def close(self) -> None:
        """Cancels every job. Returns as soon as they have ended, or are given up."""
        for job in list(self._jobs.values()):
            self.cancel(job)
        for job in list(self._jobs.values()):
            with job.news:
                job.news.wait_for(partial(getattr, job, "over"), 2 * GRACE)
        shutil.rmtree(self._folder, ignore_errors=True)

    def start(self, lane: Lane, work: Work) -> Job:
        """Has `work` done in a lane as soon as there is room."""
        job = Job(uuid.uuid4().hex, lane)
        with self._lock:
            self._jobs[job.id] = job
            self._forget_old()
            self._waiting[lane].append((job, work))
            self._fill(lane)
        return job

    def _fill(self, lane: Lane) -> None:
        """Begins the jobs that there is room for. Under the lock."""
        while self._waiting[lane] and self._going[lane] < LANES[lane]:
            job, work = self._waiting[lane].popleft()
            if job.over:
                continue
            self._going[lane] += 1
            Thread(target=self._run, args=(job, work), name=lane, daemon=True).start()

    def _leave(self, job: Job) -> None:
        """Frees a job's place in its lane, once."""
        with self._lock:
            if not job.left:
                job.left = True
                self._going[job.lane] -= 1
                self._fill(job.lane)

    def _give_up(self, job: Job) -> None:
        """Waits no longer for a cancelled job that has not ended by itself."""
        if not job.over:
            self._end(job, "cancelled")
            self._leave(job)

    def get(self, job_id: str) -> Job:
        """A job by its id. Raises UnknownJob where it is no longer kept."""
        job = self._jobs.get(job_id)
        if job is None:
            raise UnknownJob("this job has expired; start it again")
        return job

    def cancel(self, job: Job) -> None:
        job.stop.set()
        if job.state == "waiting":
            self._end(job, "cancelled")
        elif not job.over:
            timer = Timer(GRACE, self._give_up, (job,))
            timer.daemon = True
            timer.start()

    def wait(self, job: Job) -> Job:
        """Waits until a job is over. Raises AurelonError with what it failed by."""
        with job.news:
            job.news.wait_for(lambda: job.over)
        if job.error is not None:
            raise AurelonError(job.error)
        return job

    def follow(self, job: Job) -> Iterator[tuple[int, Job]]:
        """Yields the job, with the number of items known before, whenever there is news of it, until it is over."""
        known, last_sent = 0, (-1.0, "", 0)
        while True:
            with job.news:
                while not job.over and last_sent == (job.share, job.state, len(job.items)):
                    job.news.wait()
                last_sent = (job.share, job.state, len(job.items))
                before, known, over = known, len(job.items), job.over
            yield before, job
            if over:
                return

    def _end(self, job: Job, state: State, error: str | None = None) -> None:
        with job.news:
            if not job.over:
                job.state, job.error = state, error
                job.news.notify_all()

    def _run(self, job: Job, work: Work) -> None:
        try:
            self._work(job, work)
        finally:
            self._leave(job)

    def _work(self, job: Job, work: Work) -> None:
        with job.news:
            if job.over:
                return
            job.state, job.started = "working", time.monotonic()
        try:
            result = work(Control(job))
            if result is not None:
                path = self._folder / job.id
                with path.open("wb") as file:
                    result.write(file)
                if job.over:  # it was given up
                    path.unlink(missing_ok=True)
                    return
                job.file, job.file_name, job.media_type, job.size = path, result.name, result.media_type, path.stat().st_size
            job.share = 1.0
            self._end(job, "done")
        except Cancelled:
            self._end(job, "cancelled")
        except AurelonError as error:
            self._end(job, "failed", str(error))
        except OSError as error:
            sentence = f"the file could not be written ({error.strerror or error}); make room for it in {self._folder}"
            self._end(job, "failed", sentence)
        except DataFileError as error:
            log.error("a job could not be kept: %s", error)
            self._end(job, "failed", unwritten(error))
        except MemoryError:
            self._end(job, "failed", "there is not enough memory for a picture of this size; choose a smaller one")
        except Exception as error:  # a fault of ours: the person is told, and the log has the trace
            log.exception("a job failed")
            self._end(job, "failed", f"it stopped on a fault in Aurelon ({error}); please report it")

    def _forget_old(self) -> None:
        over = [job for job in self._jobs.values() if job.over]
        for job in over[:-KEPT]:
            if job.file is not None:
                job.file.unlink(missing_ok=True)
            del self._jobs[job.id]
