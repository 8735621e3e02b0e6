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
from aurelon.core.imaging.fastmath import exp_minus, smoothstep
from aurelon.core.imaging.frame import Frame, diagonal
from aurelon.core.imaging.gaussian_pyramid import gaussian_mixture
from aurelon.core.imaging.kernels import inlined, kernel
from aurelon.core.imaging.merging import Travelled
from aurelon.core.imaging.resample import enlarge_to
from aurelon.core.lights.shared.kind import CANONICAL_EDGE, Colour, Kind, Merge, Reading, Scene
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
def _tensor(above: Floats, here: Floats, below: Floats, x: int) -> tuple[np.float32, np.float32, np.float32, np.float32]:
    """The structure tensor at a place by central differences, xx, xy and yy, and its larger eigenvalue."""
    ax, bx, cx = here[x + 2, 0] - here[x, 0], here[x + 2, 1] - here[x, 1], here[x + 2, 2] - here[x, 2]
    ay, by, cy = below[x + 1, 0] - above[x + 1, 0], below[x + 1, 1] - above[x + 1, 1], below[x + 1, 2] - above[x + 1, 2]
    xx = f32(0.25) * (ax * ax + bx * bx + cx * cx)
    xy = f32(0.25) * (ax * ay + bx * by + cx * cy)
    yy = f32(0.25) * (ay * ay + by * by + cy * cy)
    return xx, xy, yy, f32(0.5) * (xx + yy + np.sqrt((xx - yy) * (xx - yy) + f32(4.0) * xy * xy))


@kernel
def _gradient(smooth: Floats, out: Floats) -> None:
    """The larger eigenvalue's root, (h, w), in values a pixel. `smooth` (h + 2, w + 2, 3) has its border repeated."""
    height, width = out.shape
    for y in prange(height):
        above, here, below, line = smooth[y], smooth[y + 1], smooth[y + 2], out[y]
        for x in range(width):
            line[x] = np.sqrt(_tensor(above, here, below, x)[3])


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
    smooth = np.asarray(cv2.GaussianBlur(cv2.sqrt(picture), (0, 0), sigma, borderType=cv2.BORDER_REFLECT), np.float32)
    smooth = np.asarray(cv2.copyMakeBorder(smooth, 1, 1, 1, 1, cv2.BORDER_REPLICATE), np.float32)
    field = np.empty((height, width), np.float32)
    _gradient(smooth, field)
    # The brighter side's colour: a line is the light that comes round the edge.
    reach = 2 * max(1, round(2 * sigma)) + 1
    colour = cv2.dilate(cv2.dilate(picture, np.ones((reach, 1), np.uint8)), np.ones((1, reach), np.uint8))
    least = settings.threshold**2 * STRONGEST
    lines = np.empty((height, width, 3), np.float32)
    pen = Pen(f32(length), f32(least), f32(1 / max((FULL - 1) * least, 1e-3)), f32(0.5 * settings.thickness))
    _lines(smooth, field, np.asarray(colour, np.float32).reshape(lines.shape), reading.space.luminance, pen, lines)
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

    def at(self, scene: Scene[Outlines], frame: Frame, tint: Tint) -> Travelled:
        lines = mixed(enlarge_to(scene.detected.lines, frame), tint.light * f32(1 - self.settings.glow))
        return Travelled(scene.mixed(self.grid, tint.light), lines)


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
    source_settings=Source,
    spread_settings=Spread,
    source=source,
    spread=spread,
    detect=detect,
    colour=Colour(origin="plate"),
    merge=Merge(mode="screen", intensity=0.8),
    nothing_shines="No edge is strong enough; lower Threshold in Source.",
)
