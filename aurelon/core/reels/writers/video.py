"""Video: FFV1 (RFC 9043) in Matroska without loss, VP9 and AV1 in WebM, and H.264 in MP4, by FFmpeg's libraries through PyAV.

Each segment begins with a frame that needs no other, and no frame needs a later one; so the file is the segments' packets one after
another, with the times of the reel.
"""

from __future__ import annotations

import io
import os
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from fractions import Fraction
from typing import BinaryIO

import av
import av.error
import numba
import numpy as np
from av.container import InputContainer, OutputContainer
from av.video.frame import VideoFrame
from av.video.reformatter import ColorRange, Colorspace
from av.video.stream import VideoStream
from numpy.typing import NDArray

from aurelon.core.errors import OutputError
from aurelon.core.imaging.code_points import BT2020
from aurelon.core.reels.shared.containers import open_container
from aurelon.core.reels.shared.priority import as_any_other
from aurelon.core.reels.shared.sound import SoundTrack
from aurelon.core.reels.shared.writing import Look, ReelFormat, Timed, Timeline

CHAPTER_CLOCK = 1000  # ticks a second
CLOCK = 90_000  # ticks a second, of which frames at all usual rates take a whole number
SEGMENT = "matroska"
os.environ.setdefault("SVT_LOG", "1")  # the AV1 encoder tells of errors only
IDENTITY, MATRIX_709, MATRIX_2020 = 0, 1, 9


@dataclass(frozen=True)
class Coding:
    """How a format's frames are coded: `pixels` by depth, the encoder's options for a quality."""

    encoder: str
    container: str
    pixels: dict[str, str]
    options: Callable[[int], dict[str, str]]
    any_threads: bool = False  # it writes the same whatever the number of threads


def _crf(worst: int, best: int, **fixed: str) -> Callable[[int], dict[str, str]]:
    return lambda quality: {"crf": str(round(worst + (best - worst) * (quality - 1) / 99)), **fixed}


MATROSKA_SOUND = frozenset({"opus", "vorbis", "aac", "mp3", "flac", "ac3", "eac3", "alac", "pcm_s16le", "pcm_s24le", "pcm_f32le"})
CODINGS = {
    "ffv1": Coding(
        "ffv1",
        "matroska",
        {"8": "bgr0", "16": "gbrp16le"},
        lambda quality: {"level": "3", "coder": "1", "context": "0", "g": "1", "slices": "4", "slicecrc": "1"},
        True,
    ),
    "vp9": Coding(
        "libvpx-vp9",
        "webm",
        {"8": "yuv420p"},
        _crf(55, 8, **{"deadline": "good", "cpu-used": "5", "row-mt": "1", "lag-in-frames": "0"}),
    ),
    "av1": Coding("libsvtav1", "webm", {"8": "yuv420p", "10": "yuv420p10le"}, _crf(58, 10, preset="9")),
    "h264": Coding("libx264", "mp4", {"8": "yuv420p"}, _crf(40, 8, preset="veryfast", bf="0")),
}
ALL = (
    ReelFormat("ffv1", "Matroska, lossless", "video/x-matroska", ".mkv", ("8", "16"), sound="flac", held=MATROSKA_SOUND, order=3),
    ReelFormat(
        "vp9", "WebM, VP9", "video/webm", ".webm", ("8",), True, sound="libopus", held=frozenset({"opus", "vorbis"}), order=1
    ),
    ReelFormat(
        "av1", "WebM, AV1", "video/webm", ".webm", ("8", "10"), True, sound="libopus", held=frozenset({"opus", "vorbis"}), order=2
    ),
    ReelFormat(
        "h264", "MP4", "video/mp4", ".mp4", ("8",), True, True, sound="aac", held=frozenset({"aac", "mp3", "ac3", "alac"}), order=4
    ),
)


def _there(encoder: str) -> bool:
    try:
        av.codec.Codec(encoder, "w")
    except (ValueError, av.error.FFmpegError):
        return False
    return True


FORMATS = tuple(form for form in ALL if _there(CODINGS[form.name].encoder))  # what this machine's libraries can write


def _written(out: BinaryIO, container: str) -> OutputContainer:
    """A container whose bytes depend on nothing but its content: without the writer's version, the time and random numbers."""
    return av.open(out, "w", format=container, options={"fflags": "+bitexact"})


def segment(form: ReelFormat, look: Look, frames: Iterable[Timed]) -> bytes:
    coding = CODINGS[form.name]
    result = io.BytesIO()
    with _written(result, SEGMENT) as container:
        stream = _stream(container, coding, look)
        for number, timed in enumerate(frames):
            frame = _frame_of(timed, look, stream.codec_context.pix_fmt or "")
            frame.pts, frame.time_base = round(timed.time * CLOCK), Fraction(1, CLOCK)
            packets = stream.encode(frame)
            if number == 0:  # by which the encoder has begun
                as_any_other()
            container.mux(packets)
        container.mux(stream.encode(None))
    as_any_other()
    return result.getvalue()


def grey_reel(frames: Iterable[NDArray[np.uint8]], rate: Fraction) -> bytes:
    """Grey frames (h, w) uint8, one after another, without loss."""
    result = io.BytesIO()
    with _written(result, SEGMENT) as container:
        options = {"level": "3", "coder": "1", "context": "1", "g": "24", "slices": "4"}
        stream = container.add_stream("ffv1", rate=rate.limit_denominator(1001), options=options)
        assert isinstance(stream, VideoStream)
        stream.pix_fmt = "gray"
        for number, samples in enumerate(frames):
            if number == 0:
                stream.height, stream.width = samples.shape
            container.mux(stream.encode(VideoFrame.from_ndarray(samples, format="gray")))
        container.mux(stream.encode(None))
    return result.getvalue()


def _stream(container: OutputContainer, coding: Coding, look: Look) -> VideoStream:
    try:
        stream = container.add_stream(coding.encoder, rate=look.rate.limit_denominator(1001), options=coding.options(look.quality))
    except (ValueError, av.error.FFmpegError) as error:
        raise OutputError(f"video of this kind cannot be written here ({error}); choose another") from error
    assert isinstance(stream, VideoStream)
    stream.width, stream.height = look.size
    stream.pix_fmt = coding.pixels[look.depth]
    stream.time_base = stream.codec_context.time_base = Fraction(1, CLOCK)
    context = stream.codec_context
    context.color_primaries, context.color_trc = look.points
    context.colorspace = _matrix(look, stream.pix_fmt)
    context.color_range = ColorRange.JPEG if context.colorspace == IDENTITY else ColorRange.MPEG
    # Some encoders write other bytes with other numbers of threads, and the same must come of every worker.
    context.thread_count = numba.get_num_threads() if coding.any_threads else 1
    return stream


def _matrix(look: Look, pixels: str) -> int:
    if not pixels.startswith("yuv"):
        return IDENTITY
    return MATRIX_2020 if look.points[0] == BT2020 else MATRIX_709


def _frame_of(timed: Timed, look: Look, pixels: str) -> VideoFrame:
    deep = timed.samples.dtype == np.uint16
    frame = VideoFrame.from_ndarray(np.ascontiguousarray(timed.samples), format="rgb48le" if deep else "rgb24")
    matrix = _matrix(look, pixels)
    if matrix == IDENTITY:
        result = frame.reformat(format=pixels)
    else:
        how = Colorspace.BT2020 if matrix == MATRIX_2020 else Colorspace.ITU709
        result = frame.reformat(
            format=pixels, src_colorspace=how, dst_colorspace=how, src_color_range=ColorRange.JPEG, dst_color_range=ColorRange.MPEG
        )
    return result


def join(form: ReelFormat, look: Look, segments: Iterable[bytes], timeline: Timeline, out: BinaryIO) -> None:
    coding, times, sound = CODINGS[form.name], timeline.times, timeline.sound
    clock = 1000 if coding.container in ("webm", "matroska") else CLOCK  # the former count milliseconds
    with _written(out, coding.container) as container:
        container.set_chapters(
            [
                {
                    "id": number,
                    "start": round(first * CHAPTER_CLOCK),
                    "end": round(last * CHAPTER_CLOCK),
                    "time_base": Fraction(1, CHAPTER_CLOCK),
                    "metadata": {"title": title},
                }
                for number, (first, last, title) in enumerate(timeline.chapters, start=1)
            ]
        )
        stream: VideoStream | None = None
        track: SoundTrack | None = None
        number = 0
        for data in segments:
            with open_container(io.BytesIO(data)) as part:
                if stream is None:
                    stream = container.add_stream_from_template(part.streams.video[0], opaque=True)
                    stream.time_base = Fraction(1, clock)
                    track = None if sound is None else SoundTrack(container, sound, form.held, form.sound)
                for packet in _packets(part):
                    packet.pts = packet.dts = round(times[number] * clock)
                    packet.duration = round(times[number + 1] * clock) - packet.pts
                    packet.time_base, packet.stream = Fraction(1, clock), stream
                    if track is not None:
                        track.until(times[number])
                    container.mux(packet)
                    number += 1
        if track is not None:
            track.until(times[-1])
            track.close()


def _packets(part: InputContainer) -> Iterator[av.Packet[VideoStream]]:
    return (packet for packet in part.demux(part.streams.video[0]) if packet.size)
