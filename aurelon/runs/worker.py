"""Makes the picture of a task: the one function that every engine has done, wherever it has it done."""

from __future__ import annotations

import json
import os
import time
from collections.abc import Callable
from functools import partial
from pathlib import PurePath
from threading import Lock

import cv2
import numba
from pydantic import TypeAdapter
from threadpoolctl import threadpool_limits

from aurelon.core import PlateError, Renderer, parse_rig, read_plate
from aurelon.core.analysis.placed_anew import placed_anew
from aurelon.core.codecs import codecs
from aurelon.core.export import AnyExport, targets
from aurelon.core.export.passes import PassesExport, passes_for_path
from aurelon.core.export.picture import PictureExport, options_for_path, strip_of
from aurelon.core.graph.renderer import never
from aurelon.core.plate import Plate
from aurelon.runs.tasks import Made, OtherBuild, Task, build

Content = Callable[[str], bytes]
_EXPORTS = TypeAdapter[PictureExport | PassesExport](AnyExport)
_last: list[tuple[str, Renderer]] = []
_lock = Lock()


def use_threads(count: int) -> None:
    """Has this process work with so many threads, so that processes beside each other do not get in each other's way."""
    numba.set_num_threads(min(count, vars(numba.config)["NUMBA_NUM_THREADS"]))
    cv2.setNumThreads(count)
    threadpool_limits(count, "blas")


def make(task: Task, content: Content) -> Made:
    """What comes of a task. `content` gives a file by its SHA-256. Raises AurelonError in one sentence for what cannot be made."""
    begun = time.perf_counter()
    if task.build != build():
        raise OtherBuild(f"a worker on {os.uname().nodename} has another Aurelon ({build()}) than this one ({task.build})")
    rig = parse_rig(content(task.rig))
    renderer = _renderer(task, content)
    notes: list[str] = []
    if task.placing == "found":
        rig, notes = placed_anew(renderer, rig)
    placed = rig.model_dump_json() if task.placing == "found" else ""
    told = partial(Made, rig=placed, notes=tuple(notes))
    if not task.export:
        return told(seconds=time.perf_counter() - begun)
    options = _options(task, renderer.plate)
    if task.strip is not None:
        assert isinstance(options, PictureExport)
        strip = strip_of(renderer, rig, options, *task.strip)
        form = codecs()[options.format].FORMAT
        seconds = time.perf_counter() - begun
        return told(suffix=form.suffixes[0], media_type=form.media_type, strip=(strip, options), seconds=seconds)
    made = targets()[options.target].run(renderer.plate, rig, options, lambda share: None, never)
    seconds = time.perf_counter() - begun
    return told(data=made.data, suffix=made.suffix, media_type=made.media_type, seconds=seconds)


def _options(task: Task, plate: Plate) -> PictureExport | PassesExport:
    wanted = json.loads(task.export)
    if "suffix" not in wanted:
        return _EXPORTS.validate_python(wanted)
    path = PurePath("picture" + wanted["suffix"])
    return (passes_for_path if wanted["passes"] else options_for_path)(path, plate, **wanted["chosen"])


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
