"""The part of the plate that is being made, and at what size."""

from __future__ import annotations

from dataclasses import dataclass


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

    @property
    def size(self) -> tuple[int, int]:
        return self.width, self.height

    @property
    def shape(self) -> tuple[int, int]:
        """(rows, columns) of the wanted part."""
        return self.y1 - self.y0, self.x1 - self.x0

    def rows(self, y0: int, y1: int) -> Frame:
        """The same frame with only rows y0..y1."""
        return Frame(self.width, self.height, self.x0, y0, self.x1, y1)


def fit_within(size: tuple[int, int], long_edge: int) -> tuple[int, int]:
    """`size` brought down so that its long edge is at most `long_edge`; never enlarged."""
    scale = min(1.0, long_edge / max(size))
    return max(1, round(size[0] * scale)), max(1, round(size[1] * scale))
