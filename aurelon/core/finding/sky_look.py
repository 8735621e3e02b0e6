"""What is measured in a picture, once, before its sky is looked for: axes of colour, unevenness, sharp edges and level lines."""

from __future__ import annotations

from dataclasses import dataclass, field

import cv2
import numpy as np
from numpy.typing import NDArray

from aurelon.core.imaging.arrays import Floats

SOFT = 1.2  # a coarse gradient as strong as 1 / SOFT of the fine one is that of a cloud
FAINTEST_LINE, LINE = 0.005, 0.03  # gradient of a level line, and what it counts for as an edge
STRETCH = 1.6  # of the axes of colour: most of what pictures hold lies near grey


Bools = NDArray[np.bool_]
Rows = NDArray[np.int64]


@dataclass(frozen=True)
class SkyLook:
    """What is measured once: axes of colour (h, w, 3), unevenness, sharp edges and level lines (h, w)."""

    codes: Floats
    axes: Floats
    texture: Floats
    sharp: Floats
    lines: Floats
    _cells: dict[bool, Rows] = field(default_factory=dict, repr=False, compare=False)

    def cells(self, counts: tuple[int, int, int, int], by_height: bool) -> Rows:
        """Which of `counts` cells of colour, and of height where that counts, each pixel lies in, (h, w)."""
        if by_height not in self._cells:
            height, width, _ = self.axes.shape
            rows = (np.arange(height) + 0.5) / height if by_height else np.zeros(height)
            up = np.broadcast_to(rows[:, None, None], (height, width, 1))
            cells = np.minimum((np.concatenate([self.axes, up], axis=2) * counts).astype(int), np.array(counts) - 1)
            self._cells[by_height] = np.ravel_multi_index(tuple(np.moveaxis(cells, 2, 0)), counts)
        return self._cells[by_height]


def gradient(codes: Floats, scale: float) -> Floats:
    """The steepest change of any channel round each pixel, (h, w), in codes a pixel."""
    soft = cv2.GaussianBlur(codes, (0, 0), scale)
    dx, dy = cv2.Sobel(soft, cv2.CV_32F, 1, 0) / 8, cv2.Sobel(soft, cv2.CV_32F, 0, 1) / 8
    return np.asarray(np.sqrt((dx * dx + dy * dy).max(axis=2)))


def texture_of(codes: Floats) -> Floats:
    """How uneven the picture is round each pixel, (h, w)."""
    return np.asarray(cv2.GaussianBlur(gradient(codes, 0.8), (0, 0), 1.5))


def sharp_edges(codes: Floats, lines: Floats) -> Floats:
    """Edges that are sharp, as those of things are and those of clouds are not, (h, w)."""
    sharp = np.maximum(gradient(codes, 0.6) - np.float32(SOFT) * gradient(codes, 2.0), 0)
    return np.asarray(cv2.GaussianBlur(sharp + np.float32(LINE) * lines, (0, 0), 1.0))


def level_lines(codes: Floats) -> Floats:
    """Where tones step by the same amount all along a level line, as at a horizon however faint, (h, w) in 0..1."""
    soft = cv2.GaussianBlur(codes.mean(axis=2), (0, 0), 0.6)
    step = cv2.Sobel(soft, cv2.CV_32F, 0, 1) / 8
    across = (2 * (codes.shape[1] // 12) + 1, 1)
    mean, square = cv2.blur(step, across), cv2.blur(step * step, across)
    steady = np.abs(mean) / (np.sqrt(np.maximum(square - mean * mean, 0)) + np.float32(0.002))
    return np.asarray(np.clip(steady / 2.5 - 1, 0, 1) * (np.abs(mean) > FAINTEST_LINE), np.float32)


def colour_axes(codes: Floats) -> Floats:
    """Lightness, blue against yellow and red against green, each in 0..1, (h, w, 3)."""
    r, g, b = codes[:, :, 0], codes[:, :, 1], codes[:, :, 2]
    colour = np.stack([(r + g + b) / 3, 0.5 + STRETCH * (b - (r + g) / 2), 0.5 + STRETCH * (r - g)], axis=2)
    return np.clip(colour, 0, 1)


def on_level_line(look: SkyLook, at: Rows, columns: Rows) -> Floats:
    """Where a border lies on a level line, (n,) in 0..1."""
    height = look.lines.shape[0]
    near = np.max([look.lines[np.clip(at + k, 0, height - 1), columns] for k in (-2, -1, 0, 1)], axis=0)
    return np.asarray(np.clip(4 * near, 0, 1), np.float32)
