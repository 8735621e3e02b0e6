"""Brush strokes, kept as points, so that they come out the same at any size.

A stroke is laid down as round dabs along a Catmull-Rom curve through its points, at distances that
depend on the brush alone. Each dab moves the paint toward full (or away from it, erasing) by its
share of the flow, so that a stroke drawn across leaves just the flow along its middle and going
over it again adds to what is there.
"""

from __future__ import annotations

import hashlib
from collections.abc import Hashable
from functools import cached_property
from itertools import accumulate
from typing import ClassVar, Literal

import numpy as np
from numba import prange

from aurelon.core.imaging.arrays import Doubles, Floats, f32
from aurelon.core.imaging.catmull_rom import catmull_rom
from aurelon.core.imaging.fastmath import smoothstep
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.kernels import inlined, kernel
from aurelon.core.masks.shared.part import Ground, Part
from aurelon.core.settings import Stroke, strokes_setting

PER_RADIUS = 6  # dabs to a radius: the edge of a hard brush is even to 1/300 of it
MOST_DABS = 100_000  # to one stroke; a longer one has them farther apart
LIGHTEST = 0.5  # share of its size that the brush has at no pressure
LOOK_BACK = 3  # strokes from the end within which what is already painted is looked for


class Strokes(Part):
    """Paint, in the order in which it was laid down."""

    title = "Brush"
    summary = "Painted by hand with a soft brush"
    order = 1
    of_one_picture = True
    brush: ClassVar[dict[str, float] | None] = {"size": 0.03, "hardness": 0.2, "flow": 0.3}

    part: Literal["strokes"] = "strokes"
    strokes: tuple[Stroke, ...] = strokes_setting("The strokes, first to last", max_strokes=5000)

    @cached_property
    def digest(self) -> str:
        # Strokes are many, and most of them are the same as before.
        return hashlib.sha256(self.model_dump_json(exclude={"strokes"}).encode() + self.after[-1]).hexdigest()

    def key(self, ground: Ground) -> Hashable:
        return self.after[-1]

    @cached_property
    def after(self) -> list[bytes]:
        """Names of what is painted after no stroke, after one, and so on."""
        return list(
            accumulate((s.digest.encode() for s in self.strokes), lambda a, b: hashlib.sha256(a + b).digest(), initial=b"paint")
        )

    @cached_property
    def undone(self) -> Part | None:
        if self.combine == "intersect" or self.invert or not any(stroke.erase for stroke in self.strokes):
            return None
        # Read the other way round: what takes paint away lays it down, and the reverse.
        return self.model_copy(
            update={"strokes": tuple(stroke.model_copy(update={"erase": not stroke.erase}) for stroke in self.strokes)}
        )

    def cover(self, ground: Ground, frame: Frame) -> Floats:
        return painted(self.strokes, self.after, ground, frame)


def painted(strokes: tuple[Stroke, ...], keys: list[bytes], ground: Ground, frame: Frame) -> Floats:
    """The paint of all strokes, (h, w). What was there before the newest is kept, so that a stroke that
    is being drawn costs itself alone."""
    last = len(strokes)
    recent = range(last, max(last - LOOK_BACK, 0), -1)
    done = next((n for n in recent if ground.peek(keys[n], frame) is not None), max(last - 1, 0))
    below = ground.keep(keys[done], frame, lambda: lay_down(strokes[:done], ground.aspect, frame, None))
    if done == last:
        return below
    return ground.keep(keys[last], frame, lambda: lay_down(strokes[done:], ground.aspect, frame, below))


def lay_down(strokes: tuple[Stroke, ...], aspect: tuple[float, float], frame: Frame, below: Floats | None) -> Floats:
    """`below` (h, w), or nothing, with the strokes laid on it in their order; `aspect` is the plate's, in diagonals."""
    out = np.zeros(frame.shape, np.float32) if below is None else below.copy()
    if strokes:
        dabs = np.concatenate([dabs_of(stroke, aspect) for stroke in strokes])
        _stamp(_on_pixels(dabs, frame, aspect), out)
    return out


def dabs_of(stroke: Stroke, aspect: tuple[float, float]) -> Doubles:
    """(n, 5): middle x, y and radius in diagonals, hardness, and share by which paint moves (below 0: erases)."""
    points = np.array(stroke.points).reshape(-1, 3) * (aspect[0], aspect[1], 1.0)
    radius = stroke.size * (LIGHTEST + (1 - LIGHTEST) * points[:, 2])
    curve = _curve(points, radius.min() / PER_RADIUS)
    travel = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(curve[:, :2], axis=0).T))])
    step = max(stroke.size / PER_RADIUS, travel[-1] / MOST_DABS)
    at = np.arange(0.0, travel[-1] + step / 2, step)
    x, y, pressure = (np.interp(at, travel, curve[:, k]) for k in range(3))
    # As many dabs as cover a place in the stroke's middle together lay down the flow.
    together = min(len(at), (1 + stroke.hardness) * PER_RADIUS)
    share = 1 - (1 - stroke.flow * pressure) ** (1 / max(together, 1.0))
    size = stroke.size * (LIGHTEST + (1 - LIGHTEST) * pressure)
    hardness = np.full_like(x, stroke.hardness)
    return np.stack([x, y, size, hardness, -share if stroke.erase else share], axis=1)


def _curve(points: Doubles, finest: float) -> Doubles:
    """A smooth curve through points (n, 3), as a chain of points about `finest` apart at the most."""
    if len(points) < 3:
        return points
    lengths = np.hypot(*np.diff(points[:, :2], axis=0).T)
    result = catmull_rom(points, np.clip(lengths / finest, 1, 32).astype(int))
    result[:, 2] = np.clip(result[:, 2], 0, 1)
    return result


SMALLEST = 0.6  # pixels; a smaller dab is drawn as large as this and as much fainter


def _on_pixels(dabs: Doubles, frame: Frame, aspect: tuple[float, float]) -> Floats:
    """(n, 5): middle in pixels of the frame's part, outer radius, one over the width of its edge, share."""
    x = dabs[:, 0] / aspect[0] * frame.width - frame.x0
    y = dabs[:, 1] / aspect[1] * frame.height - frame.y0
    true = dabs[:, 2] * frame.diagonal
    radius = np.maximum(true, SMALLEST)
    edge = radius * (1 - dabs[:, 3])
    # The edge of a hard brush takes a pixel, half of it outside.
    outer = radius + np.maximum(1 - edge, 0) / 2
    return np.stack([x, y, outer, 1 / np.maximum(edge, 1), dabs[:, 4] * (true / radius) ** 2], axis=1).astype(np.float32)


ROWS = 16  # rows that a thread takes at once


@kernel
def _stamp(dabs: Floats, out: Floats) -> None:
    """Lays the dabs on `out` in their order; threads share the rows, so the order is kept."""
    rows, columns = out.shape
    # Turning a counter into a number on the way would keep the loop below from vectorising.
    middles = np.arange(columns).astype(np.float32) + f32(0.5)
    for block in prange((rows + ROWS - 1) // ROWS):
        first, last = block * ROWS, min((block + 1) * ROWS, rows)
        for n in range(dabs.shape[0]):
            cx, cy, outer, per_edge, share = dabs[n, 0], dabs[n, 1], dabs[n, 2], dabs[n, 3], dabs[n, 4]
            top, bottom = max(first, int(np.floor(cy - outer))), min(last, int(np.ceil(cy + outer)) + 1)
            for row in range(top, bottom):
                dy = f32(row) + f32(0.5) - cy
                half = outer * outer - dy * dy
                if half <= f32(0.0):
                    continue
                half = np.sqrt(half)
                left, right = max(0, int(np.floor(cx - half))), min(columns, int(np.ceil(cx + half)) + 1)
                if left < right:
                    _dab_row(out[row, left:right], middles[left:right], cx, dy * dy, outer, per_edge, share)


@inlined
def _dab_row(
    line: Floats, middles: Floats, cx: np.float32, dy2: np.float32, outer: np.float32, per_edge: np.float32, share: np.float32
) -> None:
    toward = f32(1.0) if share > f32(0.0) else f32(0.0)
    weight = abs(share)
    for x in range(line.size):
        away = middles[x] - cx
        t = min(max((outer - np.sqrt(away * away + dy2)) * per_edge, f32(0.0)), f32(1.0))
        line[x] += weight * smoothstep(t) * (toward - line[x])


PART = Strokes
