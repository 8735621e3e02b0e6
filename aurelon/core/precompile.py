"""Compiles every kernel once, into the cache beside the code, so that the first picture is instant.

`python -m aurelon.core.precompile`, run by `make setup`.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from aurelon.core.analysis.colour_match import match_colour
from aurelon.core.analysis.finder import propose
from aurelon.core.analysis.measure import measure
from aurelon.core.codecs import codecs, raw
from aurelon.core.export.picture import PictureExport, export
from aurelon.core.graph.cache import Cache
from aurelon.core.graph.renderer import Renderer
from aurelon.core.graph.show import STAGES
from aurelon.core.imaging.blend import MODES
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.rgb_space import SRGB
from aurelon.core.imaging.screen import CLIP_MARK, mark_from, to_screen
from aurelon.core.lights import kinds
from aurelon.core.masks import parts
from aurelon.core.plate import Plate, read_plate
from aurelon.core.rig import Rig
from aurelon.core.stale_kernels import remove_stale_kernels


def precompile() -> None:
    """Reads, lights and writes a small plate in every way there is."""
    plate = Plate(np.full((1100, 1300, 3), 0.4, np.float32), SRGB)
    for codec in codecs().values():
        for depth in codec.FORMAT.depths:
            data = export(plate, Rig(), PictureExport(format=codec.FORMAT.name, depth=depth, long_edge=97))
            read_plate(data, f"plate{codec.FORMAT.suffixes[0]}")
    tiny = np.ones((2, 2, 3), np.uint16)
    raw.to_light(tiny, np.ones(3, np.float32), np.eye(3, dtype=np.float32), np.empty(tiny.shape, np.float32))
    for kind in kinds():
        rig = Rig.model_validate({"lights": [{"id": kind, "kind": kind, "merge": {"mode": MODES[-1]}}]})
        export(plate, rig, PictureExport(format="png", depth="8", profile="display-p3"))
        use_on_the_bench(plate, kind)
    renderer = Renderer(plate, Cache(1 << 29))
    compile_masks(renderer, "bloom")
    propose(renderer, Rig())
    match_colour(renderer, Rig(), (0.5, 0.5))


def use_on_the_bench(plate: Plate, kind: str) -> None:
    """What the bench asks for: parts of the frame, drafts, stages, a turned picture, facts, a match."""
    renderer = Renderer(plate, Cache(1 << 29))
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
        for frame in (Frame.whole((320, 271)), Frame(width, height, 100, 80, 400, 300)):
            for draft in (True, False):
                for show in ("result", *(f"stage:{kind}:{stage}" for stage in STAGES)):
                    pixels = renderer.part(rig, frame, show=show, draft=draft)
                    picture = to_screen(pixels, plate.space, frame.x0, frame.y0, dithered=not draft)
                mark_from(picture, pixels, 1.0, CLIP_MARK)
        measure(renderer, rig, kind)


def compile_masks(renderer: Renderer, kind: str) -> None:
    """A mask of every part, feathered and fitted."""
    own: dict[str, dict[str, Any]] = {
        "strokes": {"strokes": [{"points": [0.2, 0.2, 1, 0.6, 0.6, 0.5]}]},
        "polygon": {"corners": [[0.1, 0.1], [0.9, 0.2], [0.5, 0.9]]},
        "colours": {"reach": "contiguous"},
        "subject": {"box": [0.2, 0.2, 0.7, 0.7]},
    }
    made = [
        {"part": name, "feather": feather, "fit": fit, **own.get(name, {})}
        for name in parts()
        for feather, fit in ((0.0, 0.0), (0.01, 0.01))
    ]
    rig = Rig.model_validate({"lights": [{"id": kind, "kind": kind, "mask": {"parts": made}}]})
    for frame in (Frame.whole((320, 271)), Frame.whole(renderer.plate.size)):
        renderer.part(rig, frame, show=f"over:mask:{kind}")


if __name__ == "__main__":
    if remove_stale_kernels():
        precompile()
