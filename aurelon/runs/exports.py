"""Exports as background jobs with progress, time left and cancel."""

from __future__ import annotations

import shutil
import tempfile
import time
import uuid
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path
from threading import Event
from typing import Literal

from aurelon.core import AurelonError, Plate, Rig
from aurelon.core.errors import Cancelled
from aurelon.core.export.picture import ExportOptions, export

State = Literal["waiting", "working", "done", "failed", "cancelled"]
KEPT = 20  # finished exports whose files are kept until the service stops


@dataclass
class ExportJob:
    """One export. `share` runs from 0 to 1; `error` says why it failed."""

    id: str
    plate_id: int
    file_name: str
    media_type: str
    state: State = "waiting"
    share: float = 0.0
    error: str | None = None
    size: int = 0
    begun: float = 0.0
    path: Path | None = None
    stop: Event = field(default_factory=Event)

    @property
    def seconds_left(self) -> float | None:
        if self.state != "working" or self.share < 0.02:
            return None
        return (time.monotonic() - self.begun) * (1 - self.share) / self.share


class ExportRunner:
    """Runs exports one after another, off the threads that answer requests."""

    def __init__(self) -> None:
        self._folder = Path(tempfile.mkdtemp(prefix="aurelon-exports-"))
        self._pool = ThreadPoolExecutor(1, "export")
        self._jobs: dict[str, ExportJob] = {}

    def close(self) -> None:
        for job in self._jobs.values():
            job.stop.set()
        self._pool.shutdown(wait=True)
        shutil.rmtree(self._folder)

    def start(
        self, plate_id: int, open_it: Callable[[], Plate], rig: Rig, options: ExportOptions, file_name: str, media: str
    ) -> ExportJob:
        job = ExportJob(uuid.uuid4().hex, plate_id, file_name, media)
        self._jobs[job.id] = job
        self._pool.submit(self._work, job, open_it, rig, options)
        return job

    def job(self, job_id: str) -> ExportJob | None:
        return self._jobs.get(job_id)

    def cancel(self, job: ExportJob) -> None:
        job.stop.set()
        if job.state == "waiting":
            job.state = "cancelled"

    def _work(self, job: ExportJob, open_it: Callable[[], Plate], rig: Rig, options: ExportOptions) -> None:
        if job.stop.is_set():
            return
        job.state, job.begun = "working", time.monotonic()

        def progress(share: float) -> None:
            job.share = share

        try:
            data = export(open_it(), rig, options, progress=progress, cancelled=job.stop.is_set)
            path = self._folder / job.id
            path.write_bytes(data)
            job.path, job.size, job.state = path, len(data), "done"
            self._forget_old()
        except Cancelled:
            job.state = "cancelled"
        except (AurelonError, OSError, MemoryError) as error:
            job.state, job.error = "failed", str(error) or "there is not enough memory for a picture of this size"
        except Exception as error:
            # A fault of ours: the person is told, and the log has the trace.
            job.state, job.error = "failed", f"the export stopped on a fault of Aurelon's own ({error})"
            raise

    def _forget_old(self) -> None:
        done = [job for job in self._jobs.values() if job.path is not None]
        for job in done[:-KEPT]:
            if job.path is not None:
                job.path.unlink(missing_ok=True)
            del self._jobs[job.id]
