"""The files of a demo reel: what is seen, and films of grey frames for what is true of it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from fractions import Fraction
from pathlib import Path
from typing import NamedTuple

import av
import numpy as np
from numpy.typing import NDArray

from aurelon.core.reels.shared.writing import Look, Timed, Timeline
from aurelon.core.reels.writers import reel_format, video
from demo.marching import Floats, develop
from demo.reels.deck import EXPOSURE, GRAIN, RATE, SIZE, Camera, Walker, film, sun_direction

HERE = Path(__file__).parent
QUALITY = 86


class Exposed(NamedTuple):
    """A frame as it was developed, the share of each of the people in each pixel, and one over the distance in metres."""

    picture: NDArray[np.uint8]
    mattes: Floats
    nearness: Floats


def exposed(scenes: Sequence[tuple[Camera, Sequence[Walker]]]) -> Iterator[Exposed]:
    """The frames of a reel."""
    for number, (camera, people) in enumerate(scenes):
        light, far = np.empty((SIZE[1], SIZE[0], 3), np.float32), np.empty((SIZE[1], SIZE[0]), np.float32)
        mattes = np.empty((SIZE[1], SIZE[0], len(people)), np.float32)
        film(light, mattes, far, camera, np.array(people, np.float32), number / RATE, sun_direction())
        yield Exposed(develop(light, EXPOSURE, GRAIN, number), mattes, far)
        print(f"frame {number + 1} of {len(scenes)}", flush=True)


def write_film(path: Path, pictures: Sequence[NDArray[np.uint8]]) -> None:
    form, _ = reel_format("vp9")
    look = Look(size=SIZE, depth="8", quality=QUALITY, rate=Fraction(RATE), points=(1, 13))
    times = [Fraction(number, RATE) for number in range(len(pictures) + 1)]
    pieces = [video.segment(form, look, [Timed(*one) for one in zip(pictures, times, strict=False)])]
    with path.open("wb") as out:
        video.join(form, look, pieces, Timeline(times), out)


def write_grey_film(path: Path, pictures: Sequence[NDArray[np.uint8]]) -> None:
    """Grey frames without loss."""
    with av.open(str(path), "w", format="matroska") as container:
        stream = container.add_stream("ffv1", rate=RATE, options={"level": "3", "coder": "1", "context": "1", "g": "48"})
        assert isinstance(stream, av.VideoStream)
        stream.height, stream.width = pictures[0].shape
        stream.pix_fmt = "gray"
        for picture in pictures:
            container.mux(stream.encode(av.VideoFrame.from_ndarray(picture, format="gray")))
        container.mux(stream.encode(None))


def as_codes(share: Floats) -> NDArray[np.uint8]:
    return np.round(np.minimum(share, 1) * 255).astype(np.uint8)
