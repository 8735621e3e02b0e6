"""Small lit pictures: for sheets and strips to choose from, and for thumbnails."""

from __future__ import annotations

import base64

from aurelon.core import Renderer, Rig
from aurelon.core.graph.renderer import seen_frame
from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.frame import Frame, fit_within
from aurelon.core.imaging.screen import encode_jpeg, to_screen

SMALL_EDGE, SMALL_QUALITY = 320, 84
THUMBNAIL_EDGE, THUMBNAIL_QUALITY = 640, 88


def small_jpeg(renderer: Renderer, rig: Rig, part: Frame | None = None) -> bytes:
    """A small result as a JPEG, of the coarser grids that are enough for it; or a part of the straightened frame."""
    renderer = renderer.for_input(rig)
    if part is None:
        return _jpeg(renderer, rig, SMALL_EDGE, SMALL_QUALITY, draft=True)
    return _shown(renderer, rig, renderer.part(rig, part, draft=True), SMALL_QUALITY)


def small_picture(renderer: Renderer, rig: Rig, part: Frame | None = None) -> str:
    """The same in base64."""
    return base64.b64encode(small_jpeg(renderer, rig, part)).decode()


def thumbnail(renderer: Renderer, rig: Rig) -> bytes:
    """A result as a JPEG for the list of plates."""
    renderer = renderer.for_input(rig)
    return _jpeg(renderer, rig, THUMBNAIL_EDGE, THUMBNAIL_QUALITY, draft=False)


def _jpeg(renderer: Renderer, rig: Rig, edge: int, quality: int, *, draft: bool) -> bytes:
    rows, columns = seen_frame(renderer.plate, rig).shape
    pixels = renderer.render(rig, size=fit_within((columns, rows), edge), draft=draft)
    return _shown(renderer, rig, pixels, quality)


def _shown(renderer: Renderer, rig: Rig, pixels: Floats, quality: int) -> bytes:
    return encode_jpeg(to_screen(*rig.finish.finished(pixels, renderer.plate.space)), quality)
