"""The part of the plate that is being made, and at what size."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

import numpy as np

CANONICAL_EDGE = 1536  # long edge of the version of a plate on which things are found, the same at every size


def diagonal(size: tuple[float, float]) -> float:
    """Length of the diagonal of (width, height), in the same unit."""
    return float(np.hypot(*size))


def in_diagonals(size: tuple[int, int]) -> tuple[float, float]:
    """Width and height in diagonals."""
    length = diagonal(size)
    return size[0] / length, size[1] / length


@dataclass(frozen=True)
class Frame:
    """The whole plate at `width` x `height` pixels, of which columns x0..x1 and rows y0..y1 are wanted."""

    width: int
    height: int
    x0: int
    y0: int
    x1: int
    y1: int

    @classmethod
    def whole(cls, size: tuple[int, int]) -> Frame:
        return cls(size[0], size[1], 0, 0, size[0], size[1])

    @classmethod
    def canonical(cls, size: tuple[int, int], long_edge: int) -> Frame:
        """All of a plate of `size`, no larger than `long_edge`: a version on which things are found."""
        return cls.whole(fit_within(size, long_edge))

    @property
    def size(self) -> tuple[int, int]:
        return self.width, self.height

    @property
    def shape(self) -> tuple[int, int]:
        """(rows, columns) of the wanted part."""
        return self.y1 - self.y0, self.x1 - self.x0

    @property
    def is_whole(self) -> bool:
        return (self.x0, self.y0, self.x1, self.y1) == (0, 0, self.width, self.height)

    @cached_property
    def diagonal(self) -> float:
        """Of the whole plate, in pixels of this frame."""
        return diagonal(self.size)

    def rows(self, y0: int, y1: int) -> Frame:
        """The same frame with only rows y0..y1."""
        return Frame(self.width, self.height, self.x0, y0, self.x1, y1)

    def within(self, other: Frame) -> bool:
        """Whether this is a part of `other`, at the same size."""
        return (
            self.size == other.size and self.x0 >= other.x0 and self.y0 >= other.y0 and self.x1 <= other.x1 and self.y1 <= other.y1
        )

    def near(self, place: tuple[float, float], reach: float) -> Frame | None:
        """The part within `reach` pixels of a place (plate fractions); None where that lies outside."""
        centre = np.array(place) * self.size
        x0, y0 = np.maximum(np.floor(centre - reach).astype(int), (self.x0, self.y0))
        x1, y1 = np.minimum(np.ceil(centre + reach).astype(int) + 1, (self.x1, self.y1))
        return Frame(*self.size, int(x0), int(y0), int(x1), int(y1)) if x0 < x1 and y0 < y1 else None

    def bands(self, pixels: int) -> Iterator[Frame]:
        """The frame from top to bottom in bands of about `pixels` pixels."""
        high = max(1, pixels // max(self.shape[1], 1))
        for y in range(self.y0, self.y1, high):
            yield self.rows(y, min(y + high, self.y1))


def fit_within(size: tuple[int, int], long_edge: int) -> tuple[int, int]:
    """`size` brought down so that its long edge is at most `long_edge`; never enlarged."""
    scale = min(1.0, long_edge / max(size))
    return max(1, round(size[0] * scale)), max(1, round(size[1] * scale))
