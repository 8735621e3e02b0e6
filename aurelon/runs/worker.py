"""Makes the picture of a task: the one function that every engine has done, wherever it has it done."""

from __future__ import annotations

import io
import json
import os
import signal
import time
from collections.abc import Callable
from functools import partial
from pathlib import PurePath
from threading import Lock, Thread
from typing import Any, BinaryIO

import cv2
import psutil
from pydantic import TypeAdapter
from threadpoolctl import threadpool_limits

from aurelon.core import PlateError, Reel, Renderer, parse_rig, read_plate, read_reel
from aurelon.core.analysis.placed_anew import placed_anew
from aurelon.core.codecs import codecs
from aurelon.core.export import AnyExport, format_for, targets
from aurelon.core.export.picture import PictureExport, strip_of
from aurelon.core.export.reels import ReelExport, segment_of
from aurelon.core.graph.renderer import never
from aurelon.core.imaging import kernels
from aurelon.core.imaging.colour_config import choose
from aurelon.core.imaging.memory import bound_working
from aurelon.core.plate import Plate
from aurelon.core.reels.writers import reel_format
from aurelon.runs.tasks import OtherBuild, Outcome, Strip, Task, build

LOOK_EVERY = 0.5  # seconds between a worker's looks at whether its owner is still there
Content = Callable[[str], bytes]
Opened = Callable[[str], BinaryIO]
_EXPORTS = TypeAdapter[Any](AnyExport)
_last: list[tuple[str, Renderer]] = []
_last_reel: list[tuple[str, Reel]] = []
_lock = Lock()


def use_threads(count: int) -> None:
    """Sets the number of threads of this process, so that processes beside each other share the processors."""
    kernels.use_threads(count)
    cv2.setNumThreads(count)
    threadpool_limits(count, "blas")


def begin(threads: int, owner: int, memory: int, colours: str) -> None:
    """What a worker does first. Its colours are managed by the configuration `colours`, or by none. Its renderings keep up to
    `memory` bytes. It ends itself once the process that runs it ends, even by a kill."""
    bound_working(memory)
    choose(colours)
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # the run is told, and ends its workers itself
    use_threads(threads)

    def watch() -> None:
        while psutil.pid_exists(owner):
            time.sleep(LOOK_EVERY)
        os._exit(1)

    Thread(target=watch, daemon=True).start()


def make(task: Task, content: Content, opened: Opened | None = None) -> Outcome:
    """What comes of a task. `content` gives a file by its SHA-256, `opened` the same as one that is read where it lies. Raises
    AurelonError in one sentence for what cannot be made."""
    started = time.perf_counter()
    if task.build != build():
        raise OtherBuild(f"a worker on {os.uname().nodename} has another Aurelon ({build()}) than this one ({task.build})")
    rig = parse_rig(content(task.rig))
    if task.frames is not None:
        reel = _reel(task, content, opened or (lambda name: io.BytesIO(content(name))))
        wanted = json.loads(task.export)
        if wanted.get("target") == "reel":
            asked = ReelExport.model_validate(wanted)
            data = segment_of(reel, rig, asked, *task.frames)
            return Outcome(data, reel_format(asked.format)[0].suffix, seconds=time.perf_counter() - started)
        renderer = Renderer(reel[task.frames[0]])
    else:
        renderer = _renderer(task, content)
    notes: list[str] = []
    if task.placing == "found":
        rig, notes = placed_anew(renderer, rig)
    placed = rig.model_dump_json() if task.placing == "found" else ""
    outcome = partial(Outcome, rig=placed, notes=tuple(notes))
    if not task.export:
        return outcome(seconds=time.perf_counter() - started)
    options = _options(task, renderer.plate)
    if task.strip is not None:
        assert isinstance(options, PictureExport)
        strip = strip_of(renderer, rig, options, *task.strip)
        form = codecs()[options.format].FORMAT
        seconds = time.perf_counter() - started
        return outcome(
            suffix=form.suffixes[0], media_type=form.media_type, strip=Strip(strip, options.model_dump_json()), seconds=seconds
        )
    result = targets()[options.target].run(renderer.plate, rig, options, lambda share: None, never)
    seconds = time.perf_counter() - started
    return outcome(data=result.whole(), suffix=result.suffix, media_type=result.media_type, seconds=seconds)


def _options(task: Task, plate: Plate) -> Any:
    """The options of the task's export target."""
    wanted = json.loads(task.export)
    if "suffix" not in wanted:
        return _EXPORTS.validate_python(wanted)
    path = PurePath("picture" + wanted["suffix"])
    return targets()[wanted["target"]].for_path(format_for(wanted["target"], path), plate, **wanted["chosen"])


def _reel(task: Task, content: Content, opened: Opened) -> Reel:
    """The reel of the task, which the next frames of it find at hand."""
    with _lock:
        if not _last_reel or _last_reel[0][0] != task.plate:
            for _, reel in _last_reel:
                reel.close()
            _last_reel.clear()
            reel = read_reel(partial(opened, task.plate), task.name)
            if reel.key != task.plate:
                raise PlateError(f"{task.name} was changed while the run was going; start it again")
            _last_reel.append((task.plate, reel))
        reel = _last_reel[0][1]
        kept = {name: content(name) for name in task.files}
        reel.file_of = kept.get
        return reel


def _renderer(task: Task, content: Content) -> Renderer:
    """The plate of the task, which a strip of the same plate that comes next finds at hand."""
    with _lock:
        if task.strip is not None and _last and _last[0][0] == task.plate:
            return _last[0][1]
        _last.clear()
        plate = read_plate(content(task.plate), task.name)
        if plate.key != task.plate:
            raise PlateError(f"{task.name} was changed while the run was going; start it again")
        kept = {name: content(name) for name in task.files}
        plate.file_of = kept.get
        renderer = Renderer(plate)
        if task.strip is not None:
            _last.append((task.plate, renderer))
        return renderer
