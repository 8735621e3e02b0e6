"""picture: a light pass from a file: any picture as light, placed, scaled and turned."""

from __future__ import annotations

import numpy as np

from aurelon.core.imaging.arrays import Doubles, Floats
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.rgb_space import RgbSpace
from aurelon.core.imaging.texture import lay, pyramid
from aurelon.core.lights.shared.fields import DrawnField
from aurelon.core.lights.shared.kind import Colour, Kind, Merge, Reading, Scene
from aurelon.core.plate import read_plate
from aurelon.core.settings import Place, Settings, direction, file_setting, number, place_setting

EDGE_SOFT = 0.002  # of the picture, over which its rim fades when nothing else is asked for


class Source(Settings):
    """The picture."""

    file: str = file_setting("The picture file", any_shape=True, essential=True)


class Spread(Settings):
    """Where it lies."""

    position: Place = place_setting((0.5, 0.5), "Where its centre is", essential=True)
    size: float = number(
        0.4,
        "Half its longer side",
        unit="diagonal",
        low=0.01,
        high=4,
        step=0.005,
        handle="radius",
        about="position",
        exponent=2.0,
        essential=True,
    )
    rotation: float = direction(0.0, "Rotates the picture", mirror="rotation", about="position", essential=True)
    fading: float = number(0.0, "Share of the picture over which its edges fade", unit="share", low=0, high=0.5, step=0.01)


def _linear(data: bytes, space: RgbSpace) -> Floats:
    """The picture in linear light in the plate's primaries, (h, w, 3); what is transparent gives no light."""
    read = read_plate(data, "the light pass")
    matrix = read.space.matrix_to(space)
    pixels = read.pixels if matrix is None else np.maximum(read.pixels @ matrix.T, 0)
    return np.ascontiguousarray(pixels if read.alpha is None else pixels * read.alpha[:, :, None], np.float32)


def _matrix(settings: Spread, shape: tuple[int, int], frame: Frame) -> Doubles:
    """(3, 3): from pixels of the frame's part to the picture as a unit square; `shape` is its (height, width)."""
    s = settings
    longer = max(shape)
    wide, high = (2 * s.size * frame.diagonal * edge / longer for edge in (shape[1], shape[0]))
    turn = np.deg2rad(s.rotation)
    turned = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
    centre = np.array([s.position[0] * frame.width - frame.x0, s.position[1] * frame.height - frame.y0])
    matrix = np.eye(3)
    matrix[:2, :2] = np.diag([1 / wide, 1 / high]) @ turned
    matrix[:2, 2] = 0.5 - matrix[:2, :2] @ centre
    return matrix


def source(reading: Reading[None], settings: Source, frame: Frame) -> Floats:
    """(h, w, 3): the picture, fitted to the plate."""
    data = reading.file_of(settings.file)
    if data is None:
        return np.zeros((*frame.shape, 3), np.float32)
    pixels = _linear(data, reading.space)
    fitted = Spread(size=0.5 * max(frame.size) / frame.diagonal)
    return lay(pyramid(pixels), _matrix(fitted, pixels.shape[:2], frame), frame.shape, fading=EDGE_SOFT)


def spread(scene: Scene[None], source: Source, settings: Spread) -> DrawnField:
    data = scene.file_of(source.file)
    if data is None:
        return DrawnField(lambda frame: np.zeros(frame.shape, np.float32))
    pixels = _linear(data, scene.space)
    shape = (pixels.shape[0], pixels.shape[1])
    levels = pyramid(pixels)
    fading = max(settings.fading, EDGE_SOFT)

    def draw(frame: Frame) -> Floats:
        return lay(levels, _matrix(settings, shape, frame), frame.shape, fading=fading)

    return DrawnField(draw, levels.nbytes)


KIND = Kind(
    name="picture",
    order=15,
    summary="A light pass of your own from a file",
    words="file, pass, element",
    icon="M2.5 3.5h11v9h-11zM2.5 11l3.5-3.5 3 3 2-1.8 2.5 2.3",
    source_settings=Source,
    spread_settings=Spread,
    source=source,
    spread=spread,
    colour=Colour(origin="plate"),
    merge=Merge(mode="screen"),
    nothing_shines="There is no picture yet; choose a file in Source.",
    reads=False,
    needs_file=True,
)
