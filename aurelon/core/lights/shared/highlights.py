"""Highlights: what of the picture shines, by its brightness and, where one is picked, by its colour."""

from __future__ import annotations

from typing import Any, Literal, NamedTuple

import numpy as np
from numba import prange

from aurelon.core.imaging.arrays import Floats, f32, u64
from aurelon.core.imaging.colour import picked_rgb
from aurelon.core.imaging.fastmath import smoothstep, srgb_encode, unit
from aurelon.core.imaging.four import four, load, plus, scaled, store, with_last
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.kernels import inlined, kernel
from aurelon.core.imaging.reduce import Reduction, source_columns, source_span, sum_of_four
from aurelon.core.imaging.runs import fill
from aurelon.core.lights.shared.kind import Reading
from aurelon.core.settings import Settings, choice, colour_setting, number

ONE_COLOUR: dict[str, list[Any]] = {"colours": ["one"]}


class HighlightSource(Settings):
    """Which highlights glow."""

    threshold: float = number(0.6, "How bright the picture must be to glow", unit="share", low=0, high=2, step=0.01, essential=True)
    knee: float = number(
        0.25, "How softly the light sets in above the threshold", unit="share", low=0.01, high=1, step=0.01, essential=True
    )
    colours: Literal["all", "one"] = choice(
        "all", "Whether light of every colour glows, or one colour only", group="Colour", words={"all": "All", "one": "One only"}
    )
    colour: str = colour_setting("#ffb35c", "The colour that glows; its brightness does not count", group="Colour", when=ONE_COLOUR)
    tolerance: float = number(
        0.25,
        "How far from that colour the light may be",
        unit="share",
        low=0.02,
        high=1,
        step=0.01,
        group="Colour",
        when=ONE_COLOUR,
    )


class Openness(NamedTuple):
    """How open a pixel is, smoothstep(threshold, threshold + knee, Y) of display-encoded luminance Y; where a colour is
    picked it falls off with the distance of r : g : b from `picked`, to nothing at `tolerance`."""

    luminance: Floats
    threshold: np.float32
    per_knee: np.float32
    picking: bool
    picked: Floats
    tolerance: np.float32


NO_COLOUR = np.zeros(3, np.float32)


def highlights(reading: Reading[Any], settings: HighlightSource, frame: Frame) -> Floats:
    """The picture's light where it shines, and the openness w itself; measured at full size, then reduced: (h, w, 4)."""
    s = settings
    return open_by(reading, frame, s.threshold, s.knee, s.colour if s.colours == "one" else None, s.tolerance)


def open_by(
    reading: Reading[Any], frame: Frame, threshold: float, knee: float, colour: str | None = None, tolerance: float = 1.0
) -> Floats:
    """The picture's light where it is brighter than a threshold and, where one is given, of a colour; and the openness w
    itself; measured at full size, then reduced: (h, w, 4)."""
    picked = None if colour is None else picked_rgb(colour, reading.space)
    openness = Openness(
        reading.space.luminance,
        f32(threshold),
        f32(1.0 / max(knee, 1e-4)),
        picked is not None,
        NO_COLOUR if picked is None else picked / picked.sum(),
        f32(tolerance),
    )
    return reading.rows.through(lambda pixels, to, out: _highlights(pixels, openness, to, out), frame, 4)


def light_where_open(reading: Reading[Any], settings: HighlightSource, frame: Frame) -> Floats:
    """The picture's light where it shines, without the openness: (h, w, 3)."""
    both = highlights(reading, settings, frame)
    out = np.empty((*frame.shape, 3), np.float32)
    _light_of(both.reshape(both.shape[0], -1), out.reshape(out.shape[0], -1))
    return out


@kernel
def _light_of(both: Floats, out: Floats) -> None:
    for y in prange(out.shape[0]):
        line, result = both[y], out[y]
        end = line.size // 4 - 1
        for x in range(end):
            store(result, u64(3) * u64(x), load(line, u64(4) * u64(x)))  # the next pixel writes over the fourth
        for c in range(3):
            result[3 * end + c] = line[4 * end + c]


@inlined
def _keep_colour(line: Floats, picked: Floats, tolerance: np.float32, out: Floats) -> None:
    """Closes what is not of the picked r : g : b."""
    for x in range(out.size):
        red, green, blue = line[3 * x], line[3 * x + 1], line[3 * x + 2]
        per_sum = f32(1.0) / max(red + green + blue, f32(1e-6))
        r, g, b = red * per_sum - picked[0], green * per_sum - picked[1], blue * per_sum - picked[2]
        far = np.sqrt(r * r + g * g + b * b) / tolerance
        out[x] *= smoothstep(unit(f32(2.0) - f32(2.0) * far))


@inlined
def _openness(line: Floats, by: Openness, out: Floats) -> None:
    kr, kg, kb = by.luminance[0], by.luminance[1], by.luminance[2]
    for x in range(out.size):
        level = max(line[3 * x] * kr + line[3 * x + 1] * kg + line[3 * x + 2] * kb, f32(0.0))
        # Above display white the curve goes on along its tangent at 1, so that a threshold can
        # reach into an HDR plate.
        code = srgb_encode(min(level, f32(1.0))) + f32(0.4396) * max(level - f32(1.0), f32(0.0))
        out[x] = smoothstep(unit((code - by.threshold) * by.per_knee))


@inlined
def _total(plane: Floats) -> np.float32:
    """A sum, as a compiler takes one side by side and a maximum it does not."""
    total = f32(0.0)
    for x in range(plane.size):
        total += plane[x]
    return total


@inlined
def _begin(line: Floats, openness: Floats, weight: np.float32, sums: Floats) -> None:
    """A line's light where it is open, and the openness: sums (4n,)."""
    end = openness.size - 1
    for x in range(end):
        store(sums, u64(4) * u64(x), scaled(with_last(load(line, u64(3) * u64(x)), f32(1.0)), openness[x] * weight))
    # Beside the last pixel nothing may be read.
    pixel = four(line[3 * end], line[3 * end + 1], line[3 * end + 2], f32(1.0))
    store(sums, 4 * end, scaled(pixel, openness[end] * weight))


@inlined
def _add(line: Floats, openness: Floats, weight: np.float32, sums: Floats) -> None:
    """The same on to the sums of the lines before."""
    end = openness.size - 1
    for x in range(end):
        pixel = with_last(load(line, u64(3) * u64(x)), f32(1.0))
        o = u64(4) * u64(x)
        store(sums, o, plus(load(sums, o), scaled(pixel, openness[x] * weight)))
    pixel = four(line[3 * end], line[3 * end + 1], line[3 * end + 2], f32(1.0))
    store(sums, 4 * end, plus(load(sums, 4 * end), scaled(pixel, openness[end] * weight)))


BLOCKS = 24  # parts of a picture that threads take; neighbouring rows of a part share their last line


@kernel
def _highlights(pixels: Floats, by: Openness, to: Reduction, out: Floats) -> None:
    width = pixels.shape[1]
    rows, columns, _ = out.shape
    first, weights, left, n = source_columns(to.x0, columns, to.ratio_x, width)
    flat, result = pixels.reshape(-1), out.reshape(-1)
    blocks = min(BLOCKS, rows)
    for block in prange(blocks):
        openness, sums = np.empty(n, np.float32), np.empty(4 * n, np.float32)
        measured = -1
        shines = False
        for row in range(block * rows // blocks, (block + 1) * rows // blocks):
            top, bottom, top_part, bottom_part = source_span(row + to.y0, to.ratio_y, to.height)
            total = 0.0
            lit = False
            for y in range(top, bottom + 1):
                begin = 3 * ((y - to.top) * width + left)
                line = flat[begin : begin + 3 * n]
                if y != measured:  # the last line of a row is often the first of the next
                    _openness(line, by, openness)
                    shines = bool(_total(openness) > f32(0.0))
                    if shines and by.picking:
                        _keep_colour(line, by.picked, by.tolerance, openness)
                    measured = y
                weight = top_part if y == top else (bottom_part if y == bottom else 1.0)
                total += weight
                if not shines:  # most of a picture is dark
                    continue
                if lit:
                    _add(line, openness, f32(weight), sums)
                else:
                    _begin(line, openness, f32(weight), sums)
                    lit = True
            target = result[4 * row * columns : 4 * (row + 1) * columns]
            if not lit:
                fill(target, f32(0.0))
                continue
            scale = f32(1.0 / total)
            for column in range(columns):
                store(target, u64(4) * u64(column), scaled(sum_of_four(sums, first[column], weights, column), scale))
