"""Compiles every kernel once, into the cache beside the code, so that the first picture is instant.

`python -m aurelon.core.precompile`; with `--first` only what the first minute on the bench needs, as `make setup` has it; with
`--side-by-side` by two processes, where nothing else is to be done. The service has the rest compiled in the background, at low
priority, the likeliest first; with `--while-stdin-is-open` that process ends with the service, and takes from it a line with the
name of a kind that is wanted next.
"""

from __future__ import annotations

import os
import subprocess
import sys
from collections.abc import Callable, Sequence
from functools import cache, partial
from pathlib import Path
from queue import Queue
from tempfile import gettempdir
from threading import Thread
from typing import Any, NamedTuple

import numpy as np
from filelock import FileLock

from aurelon.core.analysis.colour_match import match_colour
from aurelon.core.analysis.finder import propose
from aurelon.core.analysis.measure import measure
from aurelon.core.codecs import codecs, raw
from aurelon.core.export.picture import PictureExport, export
from aurelon.core.graph.cache import Cache
from aurelon.core.graph.renderer import Renderer
from aurelon.core.graph.show import STAGES
from aurelon.core.graph.small_pictures import thumbnail
from aurelon.core.imaging.blend.modes import MODE_NAMES, MODES
from aurelon.core.imaging.colour_config import SIDE, interpolate_in_cube
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.rgb_space import SRGB, Curve
from aurelon.core.imaging.screen import CLIP_MARK, mark_from, to_screen
from aurelon.core.imaging.stale_kernels import ALL, is_precompiled, note_precompiled, remove_stale_kernels
from aurelon.core.lights import kinds
from aurelon.core.masks import parts
from aurelon.core.plate import Plate, read_plate
from aurelon.core.rig import Rig
from aurelon.core.rig.finish import Finish
from aurelon.core.settings import settings_of
from aurelon.core.settings.types.number import Number

LOW = 19  # priority of work in the background

WIDTH, HEIGHT = 650, 550  # of the plate that is lit: wider than the grid of any soft light, so that it is enlarged


@cache
def plate_with_lamps() -> Plate:
    """A small plate of which every kind makes some light: grain with a few places that are cut off at white."""
    pixels = np.random.default_rng(1).uniform(0.3, 0.5, (HEIGHT, WIDTH, 3)).astype(np.float32)
    for y, x in ((100, 150), (110, 450), (400, 250)):
        pixels[y : y + 8, x : x + 8] = 1.0
    return Plate(pixels, SRGB)


@cache
def cached() -> Cache:
    """For all renderings, so that what is found in the plate is found once."""
    return Cache(1 << 29)


FIRST = "first"  # the step of the first minute
SIDE_BY_SIDE, EVERY_OTHER = "--side-by-side", "--every-other"  # words of the command line


class Step(NamedTuple):
    """Kernels that are compiled together. `seconds` is about what that takes on one processor."""

    name: str
    seconds: float
    work: Callable[[], None]


FIRST_KINDS = ("shafts", "bloom")  # whose kernels the first step compiles
LIKELY = ("lamp", "beam", "fan", "flare", "starburst")  # kinds that are wanted soonest, after those of the first minute
SECONDS = {"lamp": 16.0, "beam": 11.0, "fan": 4.0, "flare": 5.0, "starburst": 5.0, "edge": 4.0}
A_KIND = 2.0  # seconds of any other


def steps() -> list[Step]:
    """All there is to compile, the likeliest to be wanted first. The step of a kind has its name."""
    likely = [*LIKELY, *sorted(kinds().keys() - set(LIKELY))]
    return [
        Step(FIRST, 32.0, compile_first),
        *(Step(kind, SECONDS.get(kind, A_KIND), partial(compile_kind, kind)) for kind in likely[: len(LIKELY)]),
        Step("modes", 10.0, compile_modes),
        *(Step(kind, SECONDS.get(kind, A_KIND), partial(compile_kind, kind)) for kind in likely[len(LIKELY) :]),
        Step("masks", 8.0, compile_masks),
        Step("files", 4.0, compile_files),
        Step("analysis", 2.0, compile_analysis),
    ]


def precompile(wanted: Queue[str]) -> None:
    """Reads, lights and writes a small plate in every way there is. A step whose name comes meanwhile as `wanted` is taken next."""
    waiting = [step for step in steps() if not is_precompiled(step.name)]
    while waiting:
        while not wanted.empty():
            name = wanted.get()
            waiting.sort(key=lambda step: step.name != name)
        step = waiting.pop(0)
        step.work()
        note_precompiled(step.name)
    note_precompiled(ALL)


def compile_first() -> None:
    """A photograph is opened, lit by shafts and bloom, looked at, and exported."""
    plate = plate_with_lamps()
    for form, depth in (("jpeg", "8"), ("png", "8")):
        data = export(plate, Rig(), PictureExport(format=form, depth=depth, long_edge=97))
        read_plate(data, f"plate.{form}")
    lights = [{"id": kind, "kind": kind} for kind in FIRST_KINDS]
    rig = Rig.model_validate({"lights": [*lights, {"id": "screen", "kind": "bloom", "merge": {"mode": "screen"}}]})
    renderer, (width, height) = Renderer(plate, cached()), plate.size
    for frame in (Frame.whole((320, 271)), Frame(width, height, 100, 80, 400, 300)):
        for draft in (True, False):
            for show in ("result", "before", *(f"stage:shafts:{stage}" for stage in STAGES)):
                to_screen(renderer.part(rig, frame, show=show, draft=draft), plate.space, dithered=not draft)
    thumbnail(renderer, rig)
    measure(renderer, rig, "shafts")
    export(plate, rig, PictureExport(format="jpeg", depth="8"))


def compile_modes() -> None:
    """Every blend mode, for light of both sorts."""
    for mode in MODES:
        for loop in filter(None, (mode.loop, mode.opaque)):
            loop.compile()


def compile_files() -> None:
    """Every format and depth, a profile that is a table, and what a finish does."""
    plate = plate_with_lamps()
    for codec in codecs().values():
        for depth in codec.FORMAT.depths:
            data = export(plate, Rig(), PictureExport(format=codec.FORMAT.name, depth=depth, long_edge=97))
            read_plate(data, f"plate{codec.FORMAT.suffixes[0]}")
    tiny = np.ones((2, 2, 3), np.uint16)
    raw.to_light(tiny, np.ones(3, np.float32), np.eye(3, dtype=np.float32), np.empty(tiny.shape, np.float32))
    Curve(table=(0.0, 0.2, 1.0)).encode(np.ones(2, np.float32))
    Finish(above_white="roll_off").finished(np.ones((2, 2, 3), np.float32), SRGB)
    interpolate_in_cube(np.ones((2, 2, 3), np.float32), np.ones(4 * SIDE**3, np.float32), np.empty((2, 2, 3), np.uint8))


def compile_kind(kind: str) -> None:
    """A kind as it begins, and with all on that can be."""
    plate = plate_with_lamps()
    rig = Rig.model_validate({"lights": [{"id": kind, "kind": kind, "merge": {"mode": MODE_NAMES[-1]}}]})
    export(plate, rig, PictureExport(format="png", depth="8", profile="display-p3"))
    use_on_the_bench(plate, kind)
    numbers = [(name, info) for name, info in settings_of(kinds()[kind].spread_settings) if isinstance(info, Number)]
    on = {name: min(0.3, info.high) for name, info in numbers if info.default == 0}
    in_depth = {stage: dict(values) for stage, values in kinds()[kind].in_depth.items()}
    spread = {**on, **in_depth.get("spread", {})}
    for settings in (in_depth | {"spread": spread}, {"spread": spread}):
        rig = Rig.model_validate({"lights": [{"id": kind, "kind": kind} | settings], "prepare": {"headroom": 1.0}})
        Renderer(plate, cached()).part(rig, Frame.whole((320, 271)))


def compile_analysis() -> None:
    """The finder and Match."""
    renderer = Renderer(plate_with_lamps(), cached())
    propose(renderer, Rig())
    match_colour(renderer, Rig(), (0.5, 0.5))


def use_on_the_bench(plate: Plate, kind: str) -> None:
    """What the bench asks for: parts of the frame, drafts, stages, a turned picture, facts, a match."""
    renderer = Renderer(plate, cached())
    width, height = plate.size
    prepared = {"exposure": 0.2, "contrast": 0.1, "saturation": 0.1, "temperature": 0.1}
    for mode, start, prepare in (("screen", "everything", {}), ("color", "nothing", {**prepared, "straighten": 3})):
        light = {
            "id": kind,
            "kind": kind,
            "colour": {"black": 0.1},
            "mask": {"start": start},
            "merge": {"mode": mode, "keep_darks": 0.2},
        }
        rig = Rig.model_validate({"lights": [light], "prepare": prepare, "house": {"level": 0.9}})
        # Drafts and other sizes are made by the same kernels, so each stage is asked for once.
        small, part = Frame.whole((320, 271)), Frame(width, height, 100, 80, 400, 300)
        stages = [f"stage:{kind}:{stage}" for stage in STAGES] if mode == "screen" else []
        for frame, draft, shows in ((small, True, ["result"]), (part, False, ["result", *stages])):
            for show in shows:
                pixels = renderer.part(rig, frame, show=show, draft=draft)
                picture = to_screen(pixels, plate.space, frame.x0, frame.y0, dithered=not draft)
            mark_from(picture, pixels, 1.0, CLIP_MARK)
    measure(renderer, rig, kind)


def compile_masks() -> None:
    """A mask of every part, feathered and fitted, that begins with nothing: parts that add to everything are not looked at."""
    own: dict[str, dict[str, Any]] = {
        "strokes": {"strokes": [{"points": [0.2, 0.2, 1, 0.6, 0.6, 0.5]}]},
        "polygon": {"corners": [[0.1, 0.1], [0.9, 0.2], [0.5, 0.9]]},
        "colours": {"reach": "contiguous"},
        "subject": {"box": [0.2, 0.2, 0.7, 0.7]},
    }
    result = [
        {"part": name, "feather": feather, "fit": fit, **own.get(name, {})}
        for name in parts()
        for feather, fit in ((0.0, 0.0), (0.01, 0.01))
    ]
    # Small, as a subject is cut out of it.
    plate = Plate(np.ascontiguousarray(plate_with_lamps().pixels[:300, :400]), SRGB)
    rig = Rig.model_validate({"lights": [{"id": "bloom", "kind": "bloom", "mask": {"start": "nothing", "parts": result}}]})
    for frame in (Frame.whole((320, 271)), Frame.whole(plate.size)):
        Renderer(plate, cached()).part(rig, frame, show="over:mask:bloom")


def compile_side_by_side() -> None:
    """All there is, by two processes. Neither compiles what the other is compiling: it waits, and takes that."""
    first, *others = steps()
    first.work()
    with subprocess.Popen([sys.executable, "-m", "aurelon.core.precompile", EVERY_OTHER]) as beside:
        for step in others[1::2]:
            step.work()
    if beside.returncode:
        raise OSError(f"the process beside ended with {beside.returncode}")
    note_precompiled(ALL)


def hear(wanted: Queue[str]) -> None:
    """Takes names of steps from the parent process; ends when the parent closes the pipe or ends."""
    for line in sys.stdin:
        wanted.put(line.strip())
    os._exit(0)


def main(words: Sequence[str]) -> None:
    """Compiles what is not kept yet: all of it, or with `--first` what the first minute needs. One process at a time does."""
    wanted = Queue[str]()
    if "--while-stdin-is-open" in words:
        Thread(target=hear, args=(wanted,), daemon=True).start()
    os.nice(0 if {"--first", SIDE_BY_SIDE, EVERY_OTHER} & set(words) else LOW)
    if EVERY_OTHER in words:  # beside the process that holds the lock
        for step in steps()[1::2]:
            step.work()
        return
    with FileLock(Path(gettempdir()) / f"aurelon-precompile-{os.getuid()}.lock"):
        remove_stale_kernels()
        if SIDE_BY_SIDE in words and not is_precompiled(ALL):
            compile_side_by_side()
        elif "--first" not in words:
            precompile(wanted)
        elif not is_precompiled(FIRST):
            compile_first()
            note_precompiled(FIRST)


if __name__ == "__main__":
    try:
        main(sys.argv[1:])
    except OSError as error:  # of a read-only or full disk: each start compiles what it needs, which is reported there
        sys.exit(f"kernels cannot be kept: {error}")
