"""Edge: outlines that shine.

The gradient of the picture at a chosen scale, over all channels so that edges of colour count, by
the structure tensor. An edge lies where the gradient g has a ridge along its own direction n: there
g' = n·∇g is zero and g'' below it, and |g'/g''| is the distance to the ridge. So a line is drawn as a
profile of that distance, as thin as `thickness` asks and finer than a pixel, and means the same at
every size. It reads the canonical version of the plate. Spread is a tight core plus a bloom.

References: Di Zenzo, "A Note on the Gradient of a Multi-Image" (1986) for the structure tensor;
Steger, "An Unbiased Detector of Curvilinear Structures" (1998) for the ridge to a part of a pixel.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import cv2
import numpy as np
from numba import prange

from aurelon.core.imaging.arrays import Floats, f32
from aurelon.core.imaging.colour_matrix import Tint, mixed
from aurelon.core.imaging.enlarge import enlarge_to
from aurelon.core.imaging.fastmath import exp_minus, smoothstep
from aurelon.core.imaging.frame import CANONICAL_EDGE, Frame, diagonal
from aurelon.core.imaging.gaussian_pyramid import gaussian_mixture
from aurelon.core.imaging.kernels import inlined, kernel
from aurelon.core.imaging.merging import LightSample
from aurelon.core.imaging.planes import split
from aurelon.core.lights.shared.kind import Colour, Kind, Merge, Reading, Scene
from aurelon.core.settings import Settings, number

GLOW_OCTAVES = 4
GLOW_COARSER = 0.4  # of the working grid; the glow has nothing finer
FULL = 2.5  # times the threshold at which an edge shines in full
STRONGEST = 600.0  # gradient at threshold 1: display-encoded values a diagonal


class Source(Settings):
    """Which outlines shine."""

    scale: float = number(
        0.0012, "Size of the detail whose outlines count", unit="diagonal", low=0.0004, high=0.02, step=0.0002, exponent=2.0
    )
    threshold: float = number(0.3, "How strong an edge must be", unit="share", low=0, high=1, step=0.01, essential=True)
    thickness: float = number(
        0.001, "Thickness of the lines", unit="diagonal", low=0.0003, high=0.01, step=0.0001, exponent=2.0, essential=True
    )


class Spread(Settings):
    """How far the lines glow."""

    glow_radius: float = number(
        0.02, "Width of the glow around the lines", unit="diagonal", low=0.002, high=0.2, step=0.001, exponent=2.0, essential=True
    )
    glow: float = number(
        0.5, "Share of the light that glows; the rest stays in the line", unit="share", low=0, high=1, step=0.01, essential=True
    )


@dataclass(frozen=True)
class Outlines:
    """Lines on the canonical version, (h, w, 3) linear light."""

    lines: Floats

    @property
    def nbytes(self) -> int:
        return self.lines.nbytes


@inlined
def _squares(ax: np.float32, ay: np.float32) -> tuple[np.float32, np.float32, np.float32]:
    """What one channel's differences over two pixels add to the structure tensor: xx, xy and yy."""
    return f32(0.25) * ax * ax, f32(0.25) * ax * ay, f32(0.25) * ay * ay


@inlined
def _larger(xx: np.float32, xy: np.float32, yy: np.float32) -> np.float32:
    """The larger eigenvalue of a structure tensor."""
    result: np.float32 = f32(0.5) * (xx + yy + np.sqrt((xx - yy) * (xx - yy) + f32(4.0) * xy * xy))
    return result


@inlined
def _tensor(above: Floats, here: Floats, below: Floats, x: int) -> tuple[np.float32, np.float32, np.float32, np.float32]:
    """The structure tensor at a place by central differences, xx, xy and yy, and its larger eigenvalue."""
    xx = xy = yy = f32(0.0)
    for c in range(3):
        p, q, r = _squares(here[x + 2, c] - here[x, c], below[x + 1, c] - above[x + 1, c])
        xx, xy, yy = xx + p, xy + q, yy + r
    return xx, xy, yy, _larger(xx, xy, yy)


@inlined
def _begin_tensors(above: Floats, here: Floats, below: Floats, xx: Floats, xy: Floats, yy: Floats) -> None:
    """The first channel's share of the tensors of a row, from planes (w + 2,)."""
    for x in range(xx.size):
        xx[x], xy[x], yy[x] = _squares(here[x + 2] - here[x], below[x + 1] - above[x + 1])


@inlined
def _add_tensors(above: Floats, here: Floats, below: Floats, xx: Floats, xy: Floats, yy: Floats) -> None:
    """The second's."""
    for x in range(xx.size):
        p, q, r = _squares(here[x + 2] - here[x], below[x + 1] - above[x + 1])
        xx[x] += p
        xy[x] += q
        yy[x] += r


@inlined
def _roots(above: Floats, here: Floats, below: Floats, xx: Floats, xy: Floats, yy: Floats, out: Floats) -> None:
    """With the last, the root of the larger eigenvalue."""
    for x in range(out.size):
        p, q, r = _squares(here[x + 2] - here[x], below[x + 1] - above[x + 1])
        out[x] = np.sqrt(_larger(xx[x] + p, xy[x] + q, yy[x] + r))


BLOCKS = 24  # parts of a picture that threads take


@kernel
def _gradient(smooth: Floats, out: Floats) -> None:
    """The larger eigenvalue's root, (h, w), in values a pixel. `smooth` (h + 2, w + 2, 3) has its border repeated."""
    height, width = out.shape
    wide = width + 2
    for block in prange(BLOCKS):
        # Planes of three rows, each split once; arrays of their own, so that the compiler vectorises.
        planes = [(np.empty(wide, np.float32), np.empty(wide, np.float32), np.empty(wide, np.float32)) for _ in range(3)]
        xx, xy, yy = np.empty(width, np.float32), np.empty(width, np.float32), np.empty(width, np.float32)
        first, end = block * height // BLOCKS, (block + 1) * height // BLOCKS
        for row in range(first, min(first + 2, end + 1)):
            split(smooth[row].reshape(-1), *planes[row % 3])
        for y in range(first, end):
            split(smooth[y + 2].reshape(-1), *planes[(y + 2) % 3])
            above, here, below = planes[y % 3], planes[(y + 1) % 3], planes[(y + 2) % 3]
            _begin_tensors(above[0], here[0], below[0], xx, xy, yy)
            _add_tensors(above[1], here[1], below[1], xx, xy, yy)
            _roots(above[2], here[2], below[2], xx, xy, yy, out[y])


@kernel
def _roots_of(light: Floats, out: Floats) -> None:
    for y in prange(out.shape[0]):
        line, result = light[y].reshape(-1), out[y].reshape(-1)
        for x in range(result.size):
            result[x] = np.sqrt(line[x])


class Pen(NamedTuple):
    """How ridges are drawn: an edge shines from the gradient `least` on, in full after 1 / `per_rise` more (values a
    diagonal), as a line of half-width `half` (diagonals); `diagonal` is in pixels."""

    diagonal: np.float32
    least: np.float32
    per_rise: np.float32
    half: np.float32


@kernel
def _lines(smooth: Floats, field: Floats, colour: Floats, luminance: Floats, pen: Pen, out: Floats) -> None:
    """The ridges of `field` (h, w) as lines in `colour` at luminance 1."""
    height, width = field.shape
    for y in prange(height):
        above, below = max(y - 1, 0), min(y + 1, height - 1)
        for x in range(width):
            left, right = max(x - 1, 0), min(x + 1, width - 1)
            here = field[y, x]
            t = min((here * pen.diagonal - pen.least) * pen.per_rise, f32(1.0))
            if t <= f32(0.0):  # most of a picture is no edge
                out[y, x, 0] = out[y, x, 1] = out[y, x, 2] = f32(0.0)
                continue
            xx, xy, yy, larger = _tensor(smooth[y], smooth[y + 1], smooth[y + 2], x)
            # The unit vector across the edge; of the two forms of the eigenvector the longer one is exact.
            steep = xx >= yy
            nx = larger - yy if steep else xy
            ny = xy if steep else larger - xx
            per_length = f32(1.0) / np.sqrt(max(nx * nx + ny * ny, f32(1e-24)))
            nx *= per_length
            ny *= per_length
            e, w, n, s = field[y, right], field[y, left], field[above, x], field[below, x]
            first = f32(0.5) * (nx * (e - w) + ny * (s - n))
            across = field[below, right] + field[above, left] - field[below, left] - field[above, right]
            second = nx * nx * (e + w - f32(2.0) * here) + ny * ny * (n + s - f32(2.0) * here) + f32(0.5) * nx * ny * across
            shine = f32(0.0)
            if second < f32(0.0):
                away = first / (second * pen.diagonal * pen.half)
                shine = smoothstep(t) * exp_minus(f32(0.5) * away * away)
            level = colour[y, x, 0] * luminance[0] + colour[y, x, 1] * luminance[1] + colour[y, x, 2] * luminance[2]
            shine /= max(level, f32(1e-4))
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = (shine * colour[y, x, 0], shine * colour[y, x, 1], shine * colour[y, x, 2])


WIDEST = 3.5  # sigmas to which a Gaussian goes


def detect(reading: Reading[None], settings: Source) -> Outlines:
    picture = reading.canonical
    height, width, _ = picture.shape
    # Lines are thinner than a pixel of a small plate, so they are drawn on a finer grid than its own.
    finer = CANONICAL_EDGE / max(height, width)
    if finer > 1:
        width, height = max(1, round(width * finer)), max(1, round(height * finer))
        picture = enlarge_to(picture, Frame.whole((width, height)))
    length = diagonal((width, height))
    sigma = max(settings.scale * length, 0.5)
    # The square root is close to display encoding, and all that a gradient needs.
    roots = np.empty((height, width, 3), np.float32)
    _roots_of(np.ascontiguousarray(picture), roots)
    smooth = np.empty((height + 2, width + 2, 3), np.float32)
    size = 2 * int(np.ceil(WIDEST * sigma)) + 1
    cv2.GaussianBlur(roots, (size, size), sigma, dst=smooth[1:-1, 1:-1], borderType=cv2.BORDER_REFLECT)
    smooth[0], smooth[-1] = smooth[1], smooth[-2]
    smooth[:, 0], smooth[:, -1] = smooth[:, 1], smooth[:, -2]
    field = np.empty((height, width), np.float32)
    _gradient(smooth, field)
    # The brighter side's colour: a line is the light that comes round the edge.
    around = np.ones((2 * max(1, round(2 * sigma)) + 1,) * 2, np.uint8)
    colour = np.asarray(cv2.dilate(picture, around, borderType=cv2.BORDER_REPLICATE), np.float32)
    least = settings.threshold**2 * STRONGEST
    lines = np.empty((height, width, 3), np.float32)
    pen = Pen(f32(length), f32(least), f32(1 / max((FULL - 1) * least, 1e-3)), f32(0.5 * settings.thickness))
    _lines(smooth, field, colour, reading.space.luminance, pen, lines)
    return Outlines(lines)


def source(reading: Reading[Outlines], settings: Source, frame: Frame) -> Floats:
    """(h, w, 3): the lines in the picture's own colours, at luminance 1."""
    return enlarge_to(reading.detected.lines, frame)


@dataclass(frozen=True)
class EdgeField:
    """The glow on the working grid, (h, w, 3); the lines themselves come with each frame."""

    grid: Floats
    settings: Spread

    @property
    def nbytes(self) -> int:
        return self.grid.nbytes

    def at(self, scene: Scene[Outlines], frame: Frame, tint: Tint) -> LightSample:
        lines = enlarge_to(scene.detected.lines, frame, 1 - self.settings.glow)
        return LightSample(scene.mixed(self.grid, tint.light), lines if tint.is_neutral else mixed(lines, tint.light))


GLOW_GAIN = 6.0  # the light of a thin line, spread out, would not be seen beside the line


def spread(scene: Scene[Outlines], source: Source, settings: Spread) -> EdgeField:
    frame = scene.frame_of(GLOW_COARSER)
    widest = settings.glow_radius * frame.diagonal
    sigmas = [widest / 2**k for k in range(GLOW_OCTAVES)]
    glow = gaussian_mixture(scene.source_at(frame), sigmas, [GLOW_GAIN * settings.glow / GLOW_OCTAVES] * GLOW_OCTAVES)
    return EdgeField(glow, settings)


KIND = Kind(
    name="edge",
    order=7,
    summary="Outlines of the picture glow",
    words="neon, outline, glow",
    icon="M2.5 12.5c1-6 4.5-9 11-9M5.5 13.5c.6-4.4 3-6.8 8-7",
    source_settings=Source,
    spread_settings=Spread,
    source=source,
    spread=spread,
    detect=detect,
    colour=Colour(origin="plate"),
    merge=Merge(mode="screen", intensity=0.8),
    nothing_shines="No edge is strong enough; lower Threshold in Source.",
)
