"""Made-up reels for tests."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from aurelon.core import Reel, Rig
from aurelon.core.export.reels import ReelExport, join_reel, segment_of, spans_of
from tests.pictures import scene

RATE = 24


def frames(count: int = 10, width: int = 96, height: int = 64) -> list[NDArray[np.uint8]]:
    """A bright square that goes to the right over a shore, (h, w, 3) uint8."""
    base = (np.clip(scene(width, height), 0, 1) ** (1 / 2.2) * 255).astype(np.uint8)
    result = []
    for number in range(count):
        picture = base.copy()
        at = 4 + 5 * number
        picture[10:22, at : at + 12] = (250, 240, 200)
        result.append(picture)
    return result


def write_video(
    path: Path,
    pictures: Sequence[NDArray[Any]],
    times: Sequence[Fraction] | None = None,
    *,
    codec: str = "ffv1",
    pixels: str = "bgr0",
) -> Path:
    """A video by FFmpeg's libraries alone; `times` are seconds, by 24 a second where left out."""
    times = times or [Fraction(number, RATE) for number in range(len(pictures))]
    with av.open(str(path), "w") as container:
        stream = container.add_stream(codec, rate=RATE)
        assert isinstance(stream, av.VideoStream)
        stream.height, stream.width = pictures[0].shape[:2]
        stream.pix_fmt = pixels
        stream.codec_context.time_base = Fraction(1, 1000)
        for time, picture in zip(times, pictures, strict=True):
            form = "rgb48le" if picture.dtype == np.uint16 else "rgb24"
            frame = av.VideoFrame.from_ndarray(picture, format=form).reformat(format=pixels)
            frame.pts, frame.time_base = round(time * 1000), Fraction(1, 1000)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path


def write_stills(folder: Path, pictures: Sequence[NDArray[Any]], first: int = 1, name: str = "shot_{:04d}.png") -> Path:
    folder.mkdir(parents=True, exist_ok=True)
    for number, picture in enumerate(pictures, start=first):
        Image.fromarray(picture).save(folder / name.format(number))
    return folder


def tone(seconds: float, rate: int = 48_000, pitch: float = 440.0) -> NDArray[np.int16]:
    """A tone that swells, (1, n), one channel."""
    t = np.arange(round(seconds * rate)) / rate
    return (np.sin(2 * np.pi * pitch * t) * t / seconds * 20_000).astype(np.int16)[None]


def with_sound(path: Path, pictures: Sequence[NDArray[Any]], codec: str = "flac") -> Path:
    """A video with a tone as long as it is."""
    sound = tone(len(pictures) / RATE)
    with av.open(str(path), "w") as container:
        stream = container.add_stream("ffv1", rate=RATE)
        audio = container.add_stream(codec, rate=48_000, layout="mono")
        assert isinstance(stream, av.VideoStream)
        assert isinstance(audio, av.AudioStream)
        stream.height, stream.width = pictures[0].shape[:2]
        stream.pix_fmt = "bgr0"
        for picture in pictures:
            container.mux(stream.encode(av.VideoFrame.from_ndarray(picture, format="rgb24")))
        frame = av.AudioFrame.from_ndarray(sound, format="s16", layout="mono")
        frame.sample_rate, frame.pts = 48_000, 0
        resampler = av.AudioResampler(
            audio.codec_context.format, audio.codec_context.layout, 48_000, audio.codec_context.frame_size
        )
        for part in [*resampler.resample(frame), *resampler.resample(None)]:
            container.mux(audio.encode(part))
        container.mux(stream.encode(None))
        container.mux(audio.encode(None))
    return path


def heard(path: Path) -> NDArray[np.float64]:
    """All samples of a file's sound, in -1..1."""
    with av.open(str(path)) as container:
        resampler = av.AudioResampler("flt", "mono", 48_000)
        parts = [part.to_ndarray()[0] for frame in container.decode(audio=0) for part in resampler.resample(frame)]
    return np.concatenate(parts).astype(np.float64)


def lit(reel: Reel, rig: Rig, out: Path, form: str, length: int = 4, **options: Any) -> Path:
    """A reel lit into a file, segment by segment."""
    options = {"format": form, **options}
    wanted = ReelExport.model_validate(options)
    segments = [segment_of(reel, rig, wanted, *span) for span in spans_of(reel, wanted, length)]
    with out.open("w+b") as file:
        join_reel(reel, rig, wanted, segments, file)
    return out


def box_iou(a: NDArray[Any], b: NDArray[Any]) -> float:
    """Intersection over union of two mattes, cut at one half."""
    one, other = a > 0.5, b > 0.5
    return float((one & other).sum() / max((one | other).sum(), 1))
