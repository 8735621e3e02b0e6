"""Light laid on a picture in one pass: looked up, coloured, levelled, masked and blended, row by row.

What is between those steps never leaves the processor's cache, so a light costs a reading of what is below it and
a writing of what comes out, whatever its kind.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import prange
from numpy.typing import NDArray

from aurelon.core.imaging.arrays import Floats, f32, lines_of
from aurelon.core.imaging.blend.blending import Blending, blending
from aurelon.core.imaging.called import call
from aurelon.core.imaging.colour_matrix import white_in
from aurelon.core.imaging.enlarge import enlarge_to, spline_rows, widened
from aurelon.core.imaging.fastmath import smoothstep, srgb_encode
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.kernels import inlined, kernel
from aurelon.core.imaging.reduce import reduce_to
from aurelon.core.imaging.runs import add_to, copy_to, fill, multiply


class Box(NamedTuple):
    """Rows and columns of a frame, from the first to before the last."""

    y0: int
    y1: int
    x0: int
    x1: int


class LightSample(NamedTuple):
    """Light as it falls on a frame. `soft` (h, w, 1 or 3) lies on a coarse grid over the whole plate and is enlarged
    where it is laid; of one channel it is white light, which `tint` (3,) colours. `drawn` (h, w, 3) is of the frame's
    own size, and so is `through` (h, w), how much of the soft light is seen at each pixel. None where there is none, and
    where all of it is seen. Both may lie on a part of the frame only, which `near` is then."""

    soft: Floats | None = None
    drawn: Floats | None = None
    tint: Floats = np.ones(3, np.float32)
    through: Floats | None = None
    near: Frame | None = None

    def box(self, frame: Frame) -> Box:
        """Where `drawn` and `through` lie on a frame."""
        at = self.near or frame
        return Box(at.y0 - frame.y0, at.y1 - frame.y0, at.x0 - frame.x0, at.x1 - frame.x0)

    def on(self, whole: Floats, frame: Frame) -> Floats:
        """`whole` (h, w, 3), the soft light of a frame, with what hides it and what is drawn, in its place."""
        y0, y1, x0, x1 = self.box(frame)
        part = whole[y0:y1, x0:x1]
        if self.through is not None:
            part *= self.through[:, :, None]
        if self.drawn is not None:
            part += self.drawn
        return whole


class Fall(NamedTuple):
    """Where light is seen: the share of it in the air before things (h, w), and on the things themselves, which it lights by a gain
    (h, w) as the picture (h, w, 3) says how much they give back: never more than all of it."""

    air: Floats
    gain: Floats
    picture: Floats

    def part(self, rows: slice) -> Fall:
        return Fall(self.air[rows], self.gain[rows], self.picture[rows])

    def on(self, light: Floats) -> Floats:
        """A picture of light (h, w, 3) with what is seen of it."""
        return light * (self.air[:, :, None] + self.gain[:, :, None] * np.minimum(self.picture, 1))


class Levels(NamedTuple):
    """Black, white and gamma of its luminance: the share t = (light - black) · per_span is raised to `power`; above white
    it goes on along the curve's tangent."""

    black: np.float32
    per_span: np.float32
    power: np.float32

    @property
    def idle(self) -> bool:
        return self == NO_LEVELS


NO_LEVELS = Levels(f32(0.0), f32(1.0), f32(1.0))


NO_MASK = np.ones((1, 1), np.float32)
NO_ROWS = np.zeros((1, 4), np.int64)
NO_WEIGHTS = np.zeros((1, 4), np.float32)
NO_WEIGHTS.flags.writeable = False  # as weights are: another type would have the kernel compiled twice
NO_GRID = np.zeros((1, 1), np.float32)


class Soft(NamedTuple):
    """Soft light widened to a frame's columns: for each row of the frame four rows of `wide` and their weights."""

    wide: Floats
    rows: NDArray[np.int64]
    down: Floats
    channels: int
    tint: Floats


class FallRows(NamedTuple):
    """A fall as kernels read it: air (h, w), gain (h, w), picture (h, 3w)."""

    air: Floats
    gain: Floats
    picture: Floats


NO_FALL = FallRows(NO_MASK, NO_MASK, NO_GRID)
NO_SOFT = Soft(NO_GRID, NO_ROWS, NO_WEIGHTS, 0, np.ones(3, np.float32))


def _soft(light: LightSample, frame: Frame) -> tuple[Soft, LightSample]:
    """The soft light made ready for a frame, and what else there is; on a frame that is the coarser of the two it is
    reduced and counts as drawn."""
    grid = light.soft
    if grid is not None and frame.width <= grid.shape[1]:
        small = reduce_to(grid, frame)
        coloured = white_in(light.tint, small[:, :, 0]) if small.shape[2] == 1 else small.copy()
        return NO_SOFT, LightSample(drawn=light.on(coloured, frame))
    if grid is None:
        return NO_SOFT, light
    rows, down = spline_rows(grid, frame)
    return Soft(widened(grid, frame, rows), rows - rows[0, 0], down, grid.shape[2], light.tint), light


def lay(
    below: Floats,
    light: LightSample,
    frame: Frame,
    mask: Floats | None,
    luminance: Floats,
    levels: Levels,
    how: Blending,
    out: Floats,
    fall: Fall | None = None,
) -> None:
    """`light` laid on `below` (h, w, 3) into `out`, all linear and of the frame's shape; `mask` (h, w) in 0..1, or None
    for all of it. `luminance` (3,) weighs the plate's primaries. Without a `fall` all of the light is seen."""
    if not out.flags.c_contiguous:
        raise ValueError("what light is laid into must lie row after row")
    soft, rest = _soft(light, frame)
    ready = Ready(
        lines_of(below),
        soft,
        NO_GRID if rest.drawn is None else lines_of(rest.drawn),
        rest.drawn is not None,
        NO_MASK if rest.through is None else np.ascontiguousarray(rest.through),
        rest.through is not None,
        rest.box(frame),
        NO_MASK if mask is None else np.ascontiguousarray(mask),
        mask is not None,
        luminance,
        levels,
        not levels.idle,
        NO_FALL
        if fall is None
        else FallRows(np.ascontiguousarray(fall.air), np.ascontiguousarray(fall.gain), lines_of(fall.picture)),
        fall is not None,
    )
    _lay(ready, how, out.reshape(out.shape[0], -1))


def merge(
    below: Floats,
    light: Floats,
    mask: Floats | None,
    luminance: Floats,
    *,
    mode: str,
    intensity: float,
    opacity: float,
    keep_darks: float,
    opaque: bool = False,
) -> Floats:
    """A picture of light (h, w, 3) laid on `below` by the name of a blend mode; all linear, (h, w, 3)."""
    out = np.empty(below.shape, np.float32)
    frame = Frame.whole((below.shape[1], below.shape[0]))
    how = blending(mode=mode, intensity=intensity, opacity=opacity, keep_darks=keep_darks, opaque=opaque)
    lay(below, LightSample(drawn=light), frame, mask, luminance, NO_LEVELS, how, out)
    return out


def picture_of(light: LightSample, frame: Frame, luminance: Floats, levels: Levels = NO_LEVELS) -> Floats:
    """The light by itself, (h, w, 3) linear, through its levels; never negative. `luminance` (3,) weighs the plate's
    primaries."""
    if light.soft is None:
        whole = np.zeros((*frame.shape, 3), np.float32)
    else:
        grown = enlarge_to(light.soft, frame)
        whole = white_in(light.tint, grown[:, :, 0]) if light.soft.shape[2] == 1 else grown.copy()
    whole = light.on(whole, frame)
    out = np.empty((*frame.shape, 3), np.float32)
    _level_all(lines_of(whole), luminance, levels, not levels.idle, lines_of(out))
    return out


@inlined
def _level(light: Floats, luminance: Floats, levels: Levels) -> None:
    """Levels on the luminance of a run of light, in place: all three channels are scaled alike, so that hue stays."""
    zero, one = f32(0.0), f32(1.0)
    red, green, blue = luminance[0], luminance[1], luminance[2]
    for x in range(light.size // 3):
        i = 3 * x
        level = red * light[i] + green * light[i + 1] + blue * light[i + 2]
        t = max((level - levels.black) * levels.per_span, zero)
        # The straight part has the curve's slope at white, so that there is no corner.
        raised = t**levels.power if t < one else one + (t - one) * levels.power
        scale = raised / max(level, f32(1e-9))
        light[i], light[i + 1], light[i + 2] = light[i] * scale, light[i + 1] * scale, light[i + 2] * scale


@kernel
def _level_all(light: Floats, luminance: Floats, levels: Levels, levelling: bool, out: Floats) -> None:
    for row in prange(light.shape[0]):
        line, result = light[row], out[row]
        for i in range(line.size):
            result[i] = max(line[i], f32(0.0))
        if levelling:
            _level(result, luminance, levels)


@inlined
def _look_up(wide: Floats, rows: NDArray[np.int64], down: Floats, channels: int, tint: Floats, first: int, out: Floats) -> None:
    """Soft light from pixel `first` of a row on, interleaved into `out`."""
    a, b, c, d = down[0], down[1], down[2], down[3]
    zero = f32(0.0)
    if channels == 3:
        begin, end = 3 * first, 3 * first + out.size
        i, j, k, l = wide[rows[0], begin:end], wide[rows[1], begin:end], wide[rows[2], begin:end], wide[rows[3], begin:end]
        for x in range(out.size):
            out[x] = max(a * i[x] + b * j[x] + c * k[x] + d * l[x], zero)
        return
    pixels = out.size // 3
    i, j = wide[rows[0], first : first + pixels], wide[rows[1], first : first + pixels]
    k, l = wide[rows[2], first : first + pixels], wide[rows[3], first : first + pixels]
    red, green, blue = tint[0], tint[1], tint[2]
    for x in range(pixels):
        level = max(a * i[x] + b * j[x] + c * k[x] + d * l[x], zero)
        out[3 * x], out[3 * x + 1], out[3 * x + 2] = level * red, level * green, level * blue


@inlined
def _hide(light: Floats, through: Floats) -> None:
    for x in range(through.size):
        seen = through[x]
        light[3 * x], light[3 * x + 1], light[3 * x + 2] = light[3 * x] * seen, light[3 * x + 1] * seen, light[3 * x + 2] * seen


CHUNK = 2048  # pixels laid together; all that is made of them stays in the nearest caches
ROWS = 4  # rows that a thread takes at once, with one set of scratch


class Ready(NamedTuple):
    """What a kernel lays: light that is made ready on the picture `below` (h, 3w), through a mask (h, w)."""

    below: Floats
    soft: Soft
    drawn: Floats
    has_drawn: bool
    through: Floats
    hidden: bool
    near: Box
    mask: Floats
    masked: bool
    luminance: Floats
    levels: Levels
    levelling: bool
    fall: FallRows
    falling: bool


@inlined
def _let_fall(light: Floats, air: Floats, gain: Floats, picture: Floats) -> None:
    for x in range(air.size):
        a, g, i = air[x], gain[x], 3 * x
        light[i] *= a + g * min(picture[i], f32(1.0))
        light[i + 1] *= a + g * min(picture[i + 1], f32(1.0))
        light[i + 2] *= a + g * min(picture[i + 2], f32(1.0))


@inlined
def _light_of(ready: Ready, row: int, first: int, light: Floats) -> Floats:
    """The light of a run of pixels of a row, from `first` on: in `light`, or where it lies ready."""
    soft, near, n = ready.soft, ready.near, light.size // 3
    if soft.channels > 0:
        _look_up(soft.wide, soft.rows[row], soft.down[row], soft.channels, soft.tint, first, light)
    begin, end = max(first, near.x0), min(first + n, near.x1)
    if not (begin < end and near.y0 <= row < near.y1):
        begin = end = first
    part = light[3 * (begin - first) : 3 * (end - first)]
    at = row - near.y0
    if soft.channels == 0 and ready.has_drawn and not (ready.levelling or ready.falling) and end - begin == n:
        # All there is lies there ready: it is read as it is blended, with no pass of its own.
        light = ready.drawn[at, 3 * (begin - near.x0) : 3 * (end - near.x0)]
    elif soft.channels == 0:
        fill(light[: 3 * (begin - first)], f32(0.0))
        fill(light[3 * (end - first) :], f32(0.0))
        if ready.has_drawn and begin < end:
            copy_to(part, ready.drawn[at, 3 * (begin - near.x0) : 3 * (end - near.x0)])
    elif begin < end:
        if ready.hidden:
            _hide(part, ready.through[at, begin - near.x0 : end - near.x0])
        if ready.has_drawn:
            add_to(part, ready.drawn[at, 3 * (begin - near.x0) : 3 * (end - near.x0)])
    if ready.levelling:
        _level(light, ready.luminance, ready.levels)
    if ready.falling:
        fall, last = ready.fall, first + n
        _let_fall(light, fall.air[row, first:last], fall.gain[row, first:last], fall.picture[row, 3 * first : 3 * last])
    return light


@inlined
def _alpha_of(ready: Ready, how: Blending, row: int, first: int, alpha: Floats) -> None:
    """Opacity and mask of a run of pixels of a row."""
    fill(alpha, how.opacity if how.intensity > f32(0.0) else f32(0.0))
    if ready.masked:
        multiply(alpha, ready.mask[row, first : first + alpha.size])


# keep_darks holds light back below this display-encoded luminance, wholly so at 0.
DARKS_END = 0.4


@inlined
def _hold_darks(below: Floats, luminance: Floats, keep_darks: np.float32, alpha: Floats) -> None:
    red, green, blue = luminance[0], luminance[1], luminance[2]
    for x in range(alpha.size):
        level = red * below[3 * x] + green * below[3 * x + 1] + blue * below[3 * x + 2]
        t = min(srgb_encode(min(level, f32(1.0))) * f32(1.0 / DARKS_END), f32(1.0))
        alpha[x] *= f32(1.0) - keep_darks * (f32(1.0) - smoothstep(t))


@kernel
def _lay(ready: Ready, how: Blending, out: Floats) -> None:
    rows, columns = out.shape[0], out.shape[1] // 3
    for block in prange((rows + ROWS - 1) // ROWS):
        result, cover = np.empty(3 * CHUNK, np.float32), np.empty(CHUNK, np.float32)
        each, encoded, source = (
            np.empty(3 * CHUNK + 1, np.float32),
            np.empty(3 * CHUNK, np.float32),
            np.empty(3 * CHUNK, np.float32),
        )
        for row in range(block * ROWS, min((block + 1) * ROWS, rows)):
            under, over = ready.below[row], out[row]
            for first in range(0, columns, CHUNK):
                end = min(first + CHUNK, columns)
                n = end - first
                light, below, alpha = _light_of(ready, row, first, result[: 3 * n]), under[3 * first : 3 * end], cover[:n]
                _alpha_of(ready, how, row, first, alpha)
                if how.keep_darks > f32(0.0):
                    _hold_darks(below, ready.luminance, how.keep_darks, alpha)
                scratch = (each[: 3 * n + 1], encoded[: 3 * n], source[: 3 * n])
                call(how.loop, how.intensity, how.opaque, (below, light, alpha, *scratch, over[3 * first : 3 * end]))
