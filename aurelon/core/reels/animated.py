"""Animated WebP (RFC 9649), PNG (third edition) and GIF (version 89a), at 8 bits, each frame with its own time."""

from __future__ import annotations

import struct
from fractions import Fraction
from itertools import accumulate
from threading import Lock
from typing import BinaryIO

import numpy as np
from PIL import Image

from aurelon.core.codecs import MAX_PIXELS
from aurelon.core.codecs.shared.raster import CUT_SHORT, Raster, UnreadableError, split_alpha, why_unreadable
from aurelon.core.reels.shared.footage import Codes, check_count, reduced

TITLE = "animated picture"
SUFFIXES = (".gif", ".webp", ".png", ".apng")
SHORTEST = Fraction(1, 50)  # seconds; files that say less are shown at ten a second everywhere
USUAL = Fraction(1, 10)
FAULTS = (OSError, ValueError, SyntaxError, EOFError, IndexError, KeyError, TypeError, AttributeError, struct.error)
ANIMATION = {b"RIFF": b"ANIM", b"\x89PNG": b"acTL", b"GIF8": b""}  # what the beginning of an animated one holds


def matches(head: bytes) -> bool:
    mark = ANIMATION.get(head[:4])
    return mark is not None and mark in head


def open_footage(file: BinaryIO) -> Animated:
    return Animated(file)


class Animated:
    """Frames are put together by the decoder in their order. Safe between threads."""

    sounds = False
    glimpses_are_codes = False
    chapters = ()
    rate = None
    points = None
    depth = "8"

    def __init__(self, file: BinaryIO) -> None:
        self._lock = Lock()
        self._file = file
        try:
            self._rewind()
            self.size = self._picture.size
            if self.size[0] * self.size[1] > MAX_PIXELS:
                raise UnreadableError(f"has frames of {self.size[0]} x {self.size[1]} pixels, which is too large; reduce it first")
            count = getattr(self._picture, "n_frames", 1)
            check_count(count)
            shown = [self._shown(number) for number in range(count)]
        except UnreadableError:
            raise
        except FAULTS as error:
            raise why_unreadable(error, CUT_SHORT) from error
        self.icc: bytes | None = self._picture.info.get("icc_profile")
        *self.times, self.end = accumulate(shown, initial=Fraction(0))
        self.numbers = range(count)
        self.notices: tuple[str, ...] = ()

    def _rewind(self) -> None:
        self._file.seek(0)
        self._picture, self._at = Image.open(self._file), 0

    def _go(self, number: int) -> None:
        """To a frame, through all before it: each is laid over what the last one left."""
        if number < self._at:
            self._rewind()
        for step in range(self._at, number + 1):
            self._picture.seek(step)
            self._picture.load()
        self._at = number

    def _shown(self, number: int) -> Fraction:
        """Seconds for which a frame is shown."""
        self._go(number)
        seconds = Fraction(self._picture.info.get("duration") or 0).limit_denominator(1000) / 1000
        return seconds if seconds >= SHORTEST else USUAL

    def raster(self, number: int) -> Raster:
        with self._lock:
            try:
                self._go(number)
                samples = np.asarray(self._picture.convert("RGBA" if self._picture.has_transparency_data else "RGB"))
            except FAULTS as error:
                raise why_unreadable(error, CUT_SHORT) from error
        colour, alpha = split_alpha(samples)
        opaque = alpha is None or bool((alpha == 255).all())
        return Raster(np.ascontiguousarray(colour), None if opaque else alpha, self.icc)

    def glimpse(self, number: int, edge: int) -> Codes:
        return reduced(self.raster(number).samples, edge)

    def close(self) -> None:
        with self._lock:
            self._picture.close()
