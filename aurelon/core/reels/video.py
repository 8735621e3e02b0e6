"""Video in WebM, Matroska, MP4 and MOV, and whatever else the decoders of FFmpeg's libraries read (through PyAV).

Frames are told by their time stamps, so that any of them is found exactly, at variable rates too. Colours are those that the
stream states by code points (ITU-T H.273); where it states no matrix, that of ITU-R BT.709 is taken from 720 rows on, that of
BT.601 below, as is usual.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Iterator
from fractions import Fraction
from threading import Lock
from typing import Any, BinaryIO

import av
import av.error
import cv2
import numba
import numpy as np
from av.container import InputContainer
from av.video.codeccontext import VideoCodecContext
from av.video.frame import VideoFrame
from av.video.reformatter import ColorRange, Colorspace, Interpolation, VideoReformatter
from av.video.stream import VideoStream
from numpy.typing import NDArray

from aurelon.core.codecs import MAX_PIXELS
from aurelon.core.codecs.shared.raster import CUT_SHORT, Raster, UnreadableError, by_code_points
from aurelon.core.imaging.code_points import BT709, SRGB_TRANSFER, UNSPECIFIED
from aurelon.core.imaging.frame import fit_within
from aurelon.core.reels.shared.containers import DECODERS, demuxer_of, open_container
from aurelon.core.reels.shared.footage import Chapter, Codes, check_count

TITLE = "video"
SUFFIXES = (".webm", ".mkv", ".mp4", ".mov", ".m4v", ".avi")
HIGH_DEFINITION = 720  # rows
USUAL_RATE = Fraction(24)
AHEAD = 48  # frames that are decoded past rather than sought for
BEHIND = 96  # decoded frames that are kept
BEHIND_BYTES = 128 << 20  # of those, beyond the one that was decoded last
FRAME_THREADS_PIXELS = 16_000_000  # of a frame, from which threads share a frame: frames beside each other would take too much
# Each colour by the standard's formula to half a code value, its chroma brought to every pixel first.
SCALING = Interpolation.BICUBIC | Interpolation.ACCURATE_RND | Interpolation.FULL_CHR_H_INT | Interpolation.FULL_CHR_H_INP
WHITE_BY_SCALER = 65280  # what the scaler makes of white where it gives 16 bits: 255 times 256
MOST_CHAPTERS, LONGEST_TITLE = 1000, 200  # of what a file states
MOST_ASPECT = 8  # of a pixel's sides, beyond which what is stated is taken for a mistake
MATRICES = {
    1: Colorspace.ITU709,
    5: Colorspace.ITU601,
    6: Colorspace.ITU601,
    7: Colorspace.SMPTE240M,
    9: Colorspace.BT2020,
    10: Colorspace.BT2020,
}


def matches(head: bytes) -> bool:
    return demuxer_of(head) is not None


def open_footage(file: BinaryIO) -> Video:
    return Video(file)


class Video:
    """A file's first stream of pictures. Safe between threads: frames are decoded in turn."""

    def __init__(self, file: BinaryIO) -> None:
        self._file = file
        self._lock = Lock()
        # Kept, as making a scaler takes longer than to scale by it.
        self._glimpses = VideoReformatter()
        self._container = _opened(file)
        if not self._container.streams.video:
            self._container.close()
            raise UnreadableError("has no video track; it may be sound only")
        self._stream = self._container.streams.video[0]
        self.glimpses_are_codes = True
        self.sounds = bool(self._container.streams.audio)
        self.notices: tuple[str, ...] = ()
        try:
            self._index()
            first = self._decoded(0)
        except BaseException:
            self._container.close()
            raise
        self.size = _upright(np.empty((first.height, _square_width(self._stream, first), 0), np.uint8), _turn_of(first)).shape[
            1::-1
        ]
        self.notices += _notices_of(first, self._stream)
        self.depth = "8" if _bits(first) <= 8 else "16"
        self.points = _points(first)

    def _index(self) -> None:
        """The stamps of all frames, and how many there should be."""
        stream, base = self._stream, self._stream.time_base or Fraction(1, 1000)
        rate = Fraction(stream.average_rate or stream.guessed_rate or USUAL_RATE)
        self.rate = rate = rate if rate > 0 else USUAL_RATE
        stated = stream.duration * base if stream.duration else Fraction(self._container.duration or 0, 1_000_000)
        check_count(stream.frames or round(stated * rate))
        stamps: list[int] = []
        last, whole = 0, True
        try:
            for packet in self._container.demux(stream):
                if packet.pts is None or packet.size == 0 or packet.is_discard:
                    continue
                stamps.append(packet.pts)
                last = max(last, packet.pts + (packet.duration or 0))
                check_count(len(stamps))
        except av.error.FFmpegError:
            whole = False
        if not stamps:
            raise UnreadableError("holds no frames; copy it again from where it came")
        self._stamps = sorted(set(stamps))
        self.numbers = range(len(self._stamps))
        start = self._stamps[0]
        self.times = [(stamp - start) * base for stamp in self._stamps]
        self.end = max((last - start) * base, self.times[-1] + (0 if last > self._stamps[-1] else 1 / rate))
        self.notices = ("is cut short; it is used as far as it goes",) if not whole or self.end < stated * Fraction(9, 10) else ()
        self.chapters = tuple(_chapters_of(self._container, start * base, self.end))
        self._coming: Iterator[VideoFrame] | None = None
        self._next = 0
        # Frames that were decoded on the way to others: going backwards each would have to be reached from far before it.
        self._passed: OrderedDict[int, VideoFrame] = OrderedDict()

    def raster(self, number: int) -> Raster:
        with self._lock:
            frame = self._decoded(number)
            # A kept frame is given to several threads, and converting it writes to it and to its scaler.
            pixels = _upright(_rgb(frame, _square_width(self._stream, frame)), _turn_of(frame))
        self._check_size(pixels.shape[1::-1], number)
        if self.points is None:
            return Raster(pixels)
        return by_code_points(pixels, None, None, *self.points)

    def glimpse(self, number: int, edge: int) -> Codes:
        with self._lock:
            frame = self._decoded(number)
            turns, size = _turn_of(frame), (_square_width(self._stream, frame), frame.height)
            self._check_size(size[::-1] if turns % 2 else size, number)
            width, height = fit_within(size, edge)
            try:
                small = self._glimpses.reformat(frame, width, height, "rgb24", interpolation=Interpolation.AREA)
            except (ValueError, av.error.FFmpegError) as error:
                raise UnreadableError(CUT_SHORT) from error
            return np.asarray(_upright(small.to_ndarray(), turns), np.uint8)

    def close(self) -> None:
        with self._lock:
            self._container.close()

    def _check_size(self, size: tuple[int, ...], number: int) -> None:
        if size != self.size:
            raise UnreadableError(f"changes to {size[0]} x {size[1]} at frame {number}; cut it there first")

    def _decoded(self, number: int) -> VideoFrame:
        wanted = self._stamps[number]
        if wanted in self._passed:
            return self._passed[wanted]
        if self._coming is None or not self._next <= number <= self._next + AHEAD:
            self._seek(wanted)
        frame = self._forward(wanted)
        if frame is None:  # the seek came too late, or the decoder had lost its way
            self._seek(self._stamps[0])
            frame = self._forward(wanted)
        if frame is None:
            raise UnreadableError(f"cannot be decoded at frame {number}; copy it again from where it came")
        self._next = number + 1
        return frame

    def _seek(self, stamp: int) -> None:
        try:
            self._container.seek(stamp, stream=self._stream, backward=True)
        except av.error.FFmpegError:  # it cannot be sought in: begin anew
            self._file.seek(0)
            self._container.close()
            self._container = _opened(self._file)
            self._stream = self._container.streams.video[0]
        self._coming = _frames(self._container, self._stream)

    def _forward(self, stamp: int) -> VideoFrame | None:
        """The frame of that stamp, or None where the decoder is past it."""
        for frame in self._coming or ():
            if frame.pts is None:
                continue
            self._passed[frame.pts] = frame
            most = min(BEHIND, 1 + BEHIND_BYTES // max(1, sum(plane.buffer_size for plane in frame.planes)))
            while len(self._passed) > most:
                self._passed.popitem(last=False)
            if frame.pts >= stamp:
                return frame if frame.pts == stamp else None
        self._coming = None
        return None


def _chapters_of(container: InputContainer, start: Fraction, end: Fraction) -> Iterator[Chapter]:
    """The chapters that a file states, as far as they lie within its frames, which begin at `start`."""
    for chapter in container.chapters()[:MOST_CHAPTERS]:
        base = chapter["time_base"] or Fraction(1, 1000)
        first, last = max(chapter["start"] * base - start, Fraction(0)), min(chapter["end"] * base - start, end)
        if first < last:
            yield first, last, chapter["metadata"].get("title", "")[:LONGEST_TITLE]


def _opened(file: BinaryIO) -> InputContainer:
    container = open_container(file)
    for stream in container.streams.video[:1]:
        context: VideoCodecContext | None = stream.codec_context
        if context is None:
            container.close()
            raise UnreadableError("uses a codec that Aurelon does not read; save it again with another, such as H.264 or VP9")
        if context.codec.name not in DECODERS:
            container.close()
            raise UnreadableError(
                f"uses the codec {context.codec.name}, which is not open here; save it again with another, such as H.264 or VP9"
            )
        if context.width * context.height > MAX_PIXELS:  # told by the header, before anything is decoded
            container.close()
            raise UnreadableError(f"has frames of {context.width} x {context.height} pixels, which is too large; reduce it first")
        stream.thread_type = "AUTO" if context.width * context.height < FRAME_THREADS_PIXELS else "SLICE"
        context.thread_count = numba.get_num_threads()
    return container


def _frames(container: InputContainer, stream: VideoStream) -> Iterator[VideoFrame]:
    # Named at the start: when Python ends, its modules go before a reel that is still open.
    damaged, broken = av.error.InvalidDataError, av.error.FFmpegError
    try:
        for packet in container.demux(stream):
            try:
                yield from packet.decode()
            except damaged:
                continue  # the frames of this packet are missing; the next ones may be whole
    except broken:
        return


def _bits(frame: VideoFrame) -> int:
    return max(component.bits for component in frame.format.components)


def _square_width(stream: VideoStream, frame: VideoFrame) -> int:
    """The width that a frame of a stream has where its pixels are made square."""
    aspect = stream.sample_aspect_ratio or Fraction(1)
    usable = Fraction(1, MOST_ASPECT) < aspect < MOST_ASPECT
    return max(1, round(frame.width * aspect)) if usable else frame.width


def _notices_of(frame: VideoFrame, stream: VideoStream) -> tuple[str, ...]:
    """What there is to know of how the frames of a stream are shown."""
    notices: list[str] = []
    if (width := _square_width(stream, frame)) != frame.width:
        notices.append(f"has pixels that are not square; its frames were made {width} x {frame.height}")
    if frame.interlaced_frame:
        notices.append("is interlaced; each frame was made of the first of its two fields")
    if stream.metadata.get("alpha_mode") == "1":
        notices.append("has transparency, which was left aside")
    return tuple(notices)


def _points(frame: VideoFrame) -> tuple[int, int] | None:
    primaries, transfer = int(frame.color_primaries), int(frame.color_trc)
    if primaries in (0, UNSPECIFIED) and transfer in (0, UNSPECIFIED):
        return None
    return primaries if primaries not in (0, UNSPECIFIED) else BT709, transfer if transfer not in (
        0,
        UNSPECIFIED,
    ) else SRGB_TRANSFER


def _rgb(frame: VideoFrame, width: int) -> NDArray[Any]:
    """(h, w, 3) uint8, or uint16 over its whole range for what has more than 8 bits; at `width` its pixels are square."""
    pixels = _one_field(_converted(frame)) if frame.interlaced_frame else _converted(frame)
    if width == frame.width:
        return pixels
    narrower = width < frame.width
    return np.asarray(cv2.resize(pixels, (width, frame.height), interpolation=cv2.INTER_AREA if narrower else cv2.INTER_CUBIC))


def _one_field(pixels: NDArray[Any]) -> NDArray[Any]:
    """A frame (h, w, 3) whose every other row is of another moment, by the rows of the first moment alone."""
    height, width = pixels.shape[:2]
    # The field's rows lie at 0, 2, 4 and so on, so that half a row is made up for where the picture is enlarged.
    shift = np.array([[1, 0, 0], [0, 0.5, 0]], np.float32)
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    return np.asarray(cv2.warpAffine(pixels[::2], shift, (width, height), flags=flags, borderMode=cv2.BORDER_REPLICATE))


def _converted(frame: VideoFrame) -> NDArray[Any]:
    deep = _bits(frame) > 8
    try:
        if frame.format.name == "gray":  # without a word of its range, all of it is used
            return np.repeat(frame.to_ndarray()[:, :, None], 3, axis=2)
        if frame.format.is_rgb:
            if not deep:
                return frame.to_ndarray(format="rgb24")
            planes = frame.to_ndarray(format="gbrp16le") if frame.format.name != "gbrp16le" else frame.to_ndarray()
            return np.ascontiguousarray(planes)
        matrix = MATRICES.get(int(frame.colorspace))
        if matrix is None:
            matrix = Colorspace.ITU709 if frame.height >= HIGH_DEFINITION else Colorspace.ITU601
        full = int(frame.color_range) == int(ColorRange.JPEG)
        result = frame.reformat(
            format="rgb48le" if deep else "rgb24",
            src_colorspace=matrix,
            dst_colorspace=matrix,
            src_color_range=ColorRange.JPEG if full else ColorRange.MPEG,
            dst_color_range=ColorRange.JPEG,
            interpolation=SCALING,
        )
        return _to_white(np.asarray(result.to_ndarray(), np.uint16)) if deep else result.to_ndarray()
    except (ValueError, av.error.FFmpegError) as error:
        raise UnreadableError(CUT_SHORT) from error


def _to_white(samples: NDArray[np.uint16]) -> NDArray[np.uint16]:
    """Samples of 16 bits as the scaler makes them, with white at the top of their range."""
    whole = samples.astype(np.uint32) * 65535 + WHITE_BY_SCALER // 2
    return np.minimum(whole // WHITE_BY_SCALER, 65535).astype(np.uint16)


def _turn_of(frame: VideoFrame) -> int:
    """Quarter turns, counter-clockwise, after which it stands upright."""
    return round(frame.rotation / 90) % 4


def _upright(pixels: NDArray[Any], turns: int) -> NDArray[Any]:
    return np.ascontiguousarray(np.rot90(pixels, turns)) if turns else pixels
