"""Animated WebP (RFC 9649): each frame for its own time, at quality 100 without loss. Segments are lossless video."""

from __future__ import annotations

import io
import itertools
from collections.abc import Iterable, Iterator
from typing import BinaryIO

import numpy as np
from PIL import Image

from aurelon.core.errors import OutputError
from aurelon.core.reels.shared.containers import open_container
from aurelon.core.reels.shared.writing import Look, ReelFormat, Timed, Timeline
from aurelon.core.reels.writers import video

LARGEST = 16383  # pixels a side
FORMATS = (ReelFormat("webp-animated", "Animated WebP", "image/webp", ".webp", ("8",), True, order=5),)
LOSSLESS = video.ALL[0]


def segment(form: ReelFormat, look: Look, frames: Iterable[Timed]) -> bytes:
    if max(look.size) > LARGEST:
        raise OutputError(f"{form.title} holds up to {LARGEST} pixels a side; choose a smaller size")
    return video.segment(LOSSLESS, look, frames)


def join(form: ReelFormat, look: Look, segments: Iterable[bytes], timeline: Timeline, out: BinaryIO) -> None:
    stamps = [round(time * 1000) for time in timeline.times]
    pictures = _pictures(segments)
    first = next(pictures)
    first.save(
        out,
        "WEBP",
        save_all=True,
        append_images=pictures,
        duration=[b - a for a, b in itertools.pairwise(stamps)],
        loop=0,
        lossless=look.quality == 100,
        quality=look.quality,
        method=3,
    )


def _pictures(segments: Iterable[bytes]) -> Iterator[Image.Image]:
    for data in segments:
        with open_container(io.BytesIO(data)) as part:
            for frame in part.decode(video=0):
                yield Image.fromarray(np.asarray(frame.to_ndarray(format="rgb24")))
