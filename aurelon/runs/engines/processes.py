"""The engine of one machine: processes beside each other."""

from __future__ import annotations

import os
import traceback
from concurrent.futures import Future
from functools import partial
from pathlib import Path
from typing import Any

from pebble import ProcessExpired, ProcessFuture, ProcessPool

from aurelon.confined import forkserver
from aurelon.core import AurelonError, PlateError
from aurelon.core.imaging.colour_config import name_of_chosen
from aurelon.core.imaging.memory import working_bytes
from aurelon.runs.contents import Contents
from aurelon.runs.room import Room
from aurelon.runs.tasks import Outcome, Task, WorkerLost
from aurelon.runs.worker import begin, make

LEAST_MEMORY = 128 << 20  # bytes that the renderings of a worker keep; with less, what lights share would be made again and again
ENDING = 5  # seconds in which workers that have nothing to do must end


def _made_here(task: Task, paths: dict[str, str]) -> Outcome:
    def content(name: str) -> bytes:
        try:
            return Path(paths[name]).read_bytes()
        except OSError as error:
            raise PlateError(f"{task.name} cannot be read any more ({error.strerror})") from error

    try:
        return make(task, content, lambda name: Path(paths[name]).open("rb"))
    except AurelonError:
        raise
    except Exception as error:
        # An error that cannot be read on the other side would end the thread there that hands out results.
        raise RuntimeError("".join(traceback.format_exception(error))) from None


class Processes:
    """So many worker processes, each with its share of the processors. A worker that dies costs the one task that it had."""

    def __init__(self, room: Room) -> None:
        self._room = room
        self._given: list[Future[Outcome]] = []
        memory = max(LEAST_MEMORY, working_bytes() // room.workers)
        self._pool: Any = ProcessPool(
            room.workers,
            initializer=begin,
            initargs=(room.threads, os.getpid(), memory, name_of_chosen()),
            context=forkserver.context(),
        )

    def ready(self, timeout: float | None) -> bool:
        return True

    @property
    def workers(self) -> int:
        return self._room.workers

    @property
    def room(self) -> int:
        # One more than there are workers, so that none waits for its next.
        return self.workers + 1

    @property
    def says(self) -> str:
        return self._room.says

    def submit(self, task: Task, contents: Contents) -> Future[Outcome]:
        paths = {name: str(contents.path(name)) for name in task.contents}
        inner: ProcessFuture[Outcome] = self._pool.schedule(_made_here, args=(task, paths))
        given: Future[Outcome] = Future()
        self._given = [future for future in self._given if not future.done()] + [given]
        inner.add_done_callback(partial(_pass_on, given))
        return given

    def close(self) -> None:
        if all(future.done() for future in self._given):
            self._pool.close()
            try:
                self._pool.join(ENDING)
                return
            except TimeoutError:
                pass  # one of them does not end by itself
        self._pool.stop()
        self._pool.join()


def _pass_on(given: Future[Outcome], inner: ProcessFuture[Outcome]) -> None:
    if inner.cancelled():  # the engine is closed
        given.cancel()
        return
    error = inner.exception()
    if isinstance(error, ProcessExpired):
        given.set_exception(WorkerLost("the process that made it ended before it was done; perhaps there was too little memory"))
    elif error is not None:
        given.set_exception(error)
    else:
        given.set_result(inner.result())
