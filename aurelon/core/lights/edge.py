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
from typing import Any, cast

import cv2
import numpy as np
from numpy.typing import NDArray

from aurelon.core.fastmath import encode_array
from aurelon.core.frame import Frame
from aurelon.core.lights.bloom import octave_weights
from aurelon.core.lights.kind import Colour, Detected, Floats, Kind, LightField, Merge, Reading, Scene
from aurelon.core.mix import Tint, mixed
from aurelon.core.octaves import gaussian_mixture
from aurelon.core.plate import Plate
from aurelon.core.resample import enlarge_to
from aurelon.core.settings import Settings, setting

GLOW_FALLOFF = 0.5
FULL = 2.5  # times the threshold at which an edge shines in full
STRONGEST = 60.0  # gradient at threshold 1: display-encoded values a diagonal


class Source(Settings):
    """Which outlines shine."""

    scale: float = setting(
        0.0012, "How large the detail is whose outlines count", unit="diagonal", low=0.0004, high=0.02, step=0.0002, bend=2.0
    )
    threshold: float = setting(
        0.22, "How strong an edge must be", unit="share", low=0, high=1, step=0.01
    )
    thickness: float = setting(
        0.001, "How thick the lines are", unit="diagonal", low=0.0003, high=0.01, step=0.0001, bend=2.0
    )


class Spread(Settings):
    """How far the lines glow."""

    glow_radius: float = setting(
        0.02, "How wide the glow round the lines is", unit="diagonal", low=0.002, high=0.2, step=0.001, bend=2.0
    )
    glow: float = setting(0.5, "How much of the light glows; the rest stays in the line", unit="share", low=0, high=1, step=0.01)


@dataclass(frozen=True)
class Outlines:
    """Lines on the canonical version, (h, w, 3) linear light."""

    lines: Floats

    @property
    def nbytes(self) -> int:
        return self.lines.nbytes


def _derivatives(plane: Floats) -> tuple[NDArray[Any], NDArray[Any]]:
    """∂x and ∂y by the 3 x 3 operator of Scharr, per pixel."""
    border = cv2.BORDER_REFLECT
    return (
        np.asarray(cv2.Scharr(plane, cv2.CV_32F, 1, 0, scale=1 / 32, borderType=border)),
        np.asarray(cv2.Scharr(plane, cv2.CV_32F, 0, 1, scale=1 / 32, borderType=border)),
    )


def detect(reading: Reading, settings: Source) -> Detected:
    picture = reading.canonical
    height, width, _ = picture.shape
    diagonal = float(np.hypot(height, width))
    sigma = max(settings.scale * diagonal, 0.5)
    smooth = cv2.GaussianBlur(encode_array(picture), (0, 0), sigma, borderType=cv2.BORDER_REFLECT)
    xx = np.zeros((height, width), np.float32)
    xy, yy = xx.copy(), xx.copy()
    for channel in cv2.split(smooth):
        dx, dy = _derivatives(np.asarray(channel, np.float32))
        xx += dx * dx
        xy += dx * dy
        yy += dy * dy
    # The larger eigenvalue of the tensor is the squared gradient, its eigenvector the direction.
    gradient = np.sqrt(0.5 * (xx + yy + np.sqrt((xx - yy) ** 2 + 4 * xy**2)))
    turn = 0.5 * np.arctan2(2 * xy, xx - yy)
    nx, ny = np.cos(turn), np.sin(turn)
    gx, gy = _derivatives(gradient)
    gxx, gxy = _derivatives(gx)
    _, gyy = _derivatives(gy)
    first = nx * gx + ny * gy
    second = nx * nx * gxx + 2 * nx * ny * gxy + ny * ny * gyy
    away = np.abs(first) / np.maximum(-second, 1e-9) / diagonal
    profile = np.where(second < 0, np.exp(-0.5 * (away / (0.5 * settings.thickness)) ** 2), 0.0)
    least = settings.threshold**2 * STRONGEST
    strength = np.clip((gradient * diagonal - least) / max((FULL - 1) * least, 1e-3), 0, 1)
    strength = strength * strength * (3 - 2 * strength)
    # The brighter side's colour: a line is the light that comes round the edge.
    reach = 2 * max(1, round(2 * sigma)) + 1
    colour = np.asarray(cv2.dilate(picture, np.ones((reach, reach), np.uint8)))
    level = np.maximum(colour @ reading.space.luminance, 1e-4)[:, :, None]
    return Outlines(np.ascontiguousarray((strength * profile)[:, :, None] * (colour / level), np.float32))


def source(reading: Reading, settings: Source, frame: Frame) -> Floats:
    """(h, w, 3): the lines in the picture's own colours, at luminance 1."""
    return enlarge_to(cast(Outlines, reading.found).lines, frame)


@dataclass(frozen=True)
class EdgeField:
    """The glow on the working grid, (h, w, 3); the lines themselves come with each frame."""

    grid: Floats
    settings: Spread

    @property
    def nbytes(self) -> int:
        return self.grid.nbytes

    def sample(self, scene: Scene, frame: Frame, tint: Tint) -> Floats:
        light = scene.source_at(frame) * np.float32(1 - self.settings.glow)
        light += enlarge_to(self.grid, frame)
        return mixed(light, tint.light)


GLOW_GAIN = 6.0  # the light of a thin line, spread out, would not be seen beside the line


def spread(scene: Scene, settings: Spread) -> LightField:
    frame = scene.working_frame
    widest = settings.glow_radius * float(np.hypot(*frame.size))
    weights = octave_weights(GLOW_FALLOFF)
    sigmas = [widest / 2**k for k in range(len(weights))]
    glow = gaussian_mixture(scene.source_at(frame), sigmas, weights)
    return EdgeField(glow * np.float32(GLOW_GAIN * settings.glow), settings)


def place(plate: Plate) -> dict[str, dict[str, Any]]:
    """The defaults find the strong outlines of any picture."""
    return {}


KIND = Kind(
    name="edge",
    title="Edge",
    summary="Outlines of the picture shine",
    source_settings=Source,
    spread_settings=Spread,
    source=source,
    spread=spread,
    place=place,
    colour=Colour(origin="plate"),
    merge=Merge(mode="screen", intensity=0.8),
    detect=detect,
    nothing_shines="No edge is strong enough: lower Threshold in Source.",
)
