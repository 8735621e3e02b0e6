"""Drives a run: gives its pictures to an engine, and has each kept as it comes."""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import FIRST_COMPLETED, Future, wait
from dataclasses import dataclass, field, replace
from typing import Any, Literal, Protocol

from aurelon.core import AurelonError
from aurelon.core.export.picture import PictureExport, joined
from aurelon.runs.contents import Contents
from aurelon.runs.engines import Engine
from aurelon.runs.tasks import EngineLost, Outcome, Task, WorkerLost

TRIES = 3  # of a picture whose worker was lost
LARGE = 100_000_000  # pixels from which a picture goes in strips over the workers
LOOK_EVERY = 0.2  # seconds between looks at whether the run is still wanted


# Go on; finish what is on its way and begin no more; let all of it go.
Wish = Literal["go", "finish", "stop"]


@dataclass
class Item:
    """A picture of a run: its task, and `pixels`, by which it may be cut in strips. `mark` is the caller's own."""

    task: Task
    pixels: int = 0
    mark: Any = None
    tries: int = 0
    strips: dict[int, Outcome] = field(default_factory=dict)


class Keeping(Protocol):
    """Where what is made goes. `keep` must have it safe when it returns; `fail` is told why a picture could not be made. Both
    may raise AurelonError, which ends the run."""

    def started(self, item: Item) -> None: ...
    def keep(self, item: Item, result: Outcome) -> None: ...
    def fail(self, item: Item, why: str) -> None: ...


def drive(items: Iterable[Item | None], engine: Engine, contents: Contents, keeping: Keeping, wish: Callable[[], Wish]) -> None:
    """Has every item made. Those to come are taken from `items` only when there is room for them, for as long as
    `wish()` is to go on; None means that none is ready yet.

    Raises EngineLost when nothing can be made any more; what was made until then is kept.
    """
    coming: Iterator[Item | None] = iter(items)
    again: deque[Item] = deque()
    going: dict[Future[Outcome], tuple[Item, Task, int]] = {}
    left: dict[int, int] = {}  # strips that are still to come, by the item's id
    over = False
    while not engine.ready(LOOK_EVERY):
        if wish() != "go":
            return
    while True:
        while (again or not over) and wish() == "go" and len(going) < engine.room:
            try:
                item = again.popleft() if again else next(coming)
            except StopIteration:
                over = True
                break
            if item is None:
                break
            keeping.started(item)
            tasks = _tasks_of(item, engine.workers)
            left[id(item)] = len(tasks)
            going |= {engine.submit(task, contents): (item, task, item.tries) for task in tasks}
        if wish() == "stop":
            return
        if not going:
            if over or wish() != "go":
                return
            continue
        finished, _ = wait(going, timeout=LOOK_EVERY, return_when=FIRST_COMPLETED)
        for future in finished:
            item, task, tries = going.pop(future)
            if tries != item.tries or id(item) not in left:
                continue  # another strip of it was lost or has failed
            result = _settle(item, task, future, keeping, again)
            if result is None:
                del left[id(item)]
                continue
            left[id(item)] -= 1
            if task.strip is not None:
                item.strips[task.strip[0]] = result
            if left[id(item)] == 0:
                del left[id(item)]
                keeping.keep(item, _whole(item) if task.strip is not None else result)


def _settle(item: Item, task: Task, future: Future[Outcome], keeping: Keeping, again: deque[Item]) -> Outcome | None:
    """What came of a task; None where nothing did, which has been dealt with."""
    try:
        return future.result()
    except EngineLost:
        raise
    except WorkerLost as error:
        item.tries += 1
        item.strips.clear()
        if item.tries < TRIES:
            again.append(item)
        else:
            keeping.fail(item, f"{task.name}: {error}")
    except AurelonError as error:
        keeping.fail(item, _naming(task, str(error)))
    except MemoryError:
        keeping.fail(item, f"{task.name}: there is not enough memory for a picture of this size; use fewer workers")
    except Exception as error:  # a fault of ours costs one picture
        fault = f"{type(error).__name__}: {error}"
        keeping.fail(item, f"{task.name}: it stopped on a fault in Aurelon ({fault}); please report it")
    return None


def _naming(task: Task, sentence: str) -> str:
    return sentence if task.name in sentence else f"{task.name}: {sentence}"


def _tasks_of(item: Item, workers: int) -> list[Task]:
    if item.pixels < LARGE or workers < 2 or not item.task.cuttable:
        return [item.task]
    return [replace(item.task, strip=(number, workers)) for number in range(workers)]


def _whole(item: Item) -> Outcome:
    started = time.perf_counter()
    parts = [item.strips.pop(number) for number in sorted(item.strips)]
    strips = [part.strip for part in parts if part.strip is not None]
    data = joined([strip.raster for strip in strips], PictureExport.model_validate_json(strips[0].options))
    seconds = sum(part.seconds for part in parts) + time.perf_counter() - started
    return replace(parts[0], data=data, strip=None, seconds=seconds)
