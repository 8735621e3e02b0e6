"""water: a sheet of rippling light, pinned to a quad in perspective.

Caustics: light that falls through a wavy surface is bent by its slope, so that it lands displaced by
the gradient of the heights. A fine lattice of rays is cast and counted where it lands, which is the
inverse Jacobian of the displacement and loses no light (Nye, "Natural Focusing and Fine Structure of
Light", 1999). The other style is fractal noise. Both repeat without a seam.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any, Literal

import numpy as np

from aurelon.core.imaging.arrays import Doubles, Floats, f32
from aurelon.core.imaging.frame import Frame, in_diagonals
from aurelon.core.imaging.kernels import whole_kernel
from aurelon.core.imaging.noise import moment
from aurelon.core.imaging.perspective import to_square
from aurelon.core.imaging.texture import Pyramid, Repeats, lay, pyramid
from aurelon.core.lights.shared.evolution import evolution_setting
from aurelon.core.lights.shared.fields import WhiteField, as_picture
from aurelon.core.lights.shared.initial_settings import merge_on
from aurelon.core.lights.shared.kind import Colour, Kind, Merge, Reading, Scene
from aurelon.core.plate import Plate
from aurelon.core.settings import Quad, Settings, choice, number, quads_setting, seed_setting, whole

CELLS = 384  # of the sheet that repeats, on a side
RAYS = 2  # to a cell, along each side
EDGE = 960  # long edge of the grid that the sheet is laid on
ROUGHEST = 0.0125  # of the sheet: the displacement at a strength of 1


class Source(Settings):
    """The sheet of water."""

    style: Literal["caustics", "noise"] = choice("caustics", "Bright threads of focused light, or soft drifts", essential=True)
    strength: float = number(
        0.6, "How strongly the waves focus the light", unit="share", low=0.02, high=1.5, step=0.01, essential=True
    )
    waves: int = whole(6, "Number of waves across the sheet", low=2, high=40, essential=True)
    detail: float = number(0.45, "Strength of the finer waves", unit="share", low=0, high=1, step=0.01)
    seed: int = seed_setting("A different sheet of water")
    evolution: float = evolution_setting()


class Spread(Settings):
    """Where the sheet lies on the picture."""

    quads: tuple[Quad, ...] = quads_setting(
        (((0.1, 0.6), (0.9, 0.6), (1.1, 1.05), (-0.1, 1.05)),),
        "The corners that the sheet is pinned to",
        max_quads=8,
        essential=True,
    )
    across: float = number(2.0, "Repeats across", unit="count", low=0.2, high=20, step=0.1, exponent=2.0, essential=True)
    along: float = number(2.0, "Repeats front to back", unit="count", low=0.2, high=20, step=0.1, exponent=2.0, essential=True)
    fading: float = number(0.25, "Share of the sheet over which its edges fade", unit="share", low=0, high=0.5, step=0.01)
    floor: float = number(0.35, "How much of the even light between the threads is removed", unit="share", low=0, high=1, step=0.01)


@lru_cache(maxsize=8)
def heights(waves: int, detail: float, seed: int) -> Doubles:
    """Heights of a sheet that repeats, (CELLS, CELLS), of unit deviation: noise of a power-law spectrum."""
    rng = np.random.default_rng((seed, 77))
    spectrum = np.fft.rfft2(rng.standard_normal((CELLS, CELLS)))
    down, across = np.fft.fftfreq(CELLS, 1 / CELLS), np.fft.rfftfreq(CELLS, 1 / CELLS)
    frequency = np.hypot(down[:, None], across[None])
    falling = 1.5 + 2.5 * (1 - detail)
    power = np.where(frequency > 0, (np.maximum(frequency, 1) / waves) ** -falling, 0) * np.exp(-((frequency / (waves * 9)) ** 2))
    power *= 1 - np.exp(-((frequency / (0.5 * waves)) ** 4))
    result = np.fft.irfft2(spectrum * power, (CELLS, CELLS))
    return np.asarray(result / max(float(result.std()), 1e-12))


@lru_cache(maxsize=8)
def sheet(settings: Source, seconds: float = 0.0) -> Floats:
    """The light on the sheet, (CELLS, CELLS), of mean 1, at a time in seconds of a reel."""
    s = settings
    now = moment(s.seed, s.evolution, seconds)
    level = heights(s.waves, s.detail, now.seed)
    if now.share > 0:  # as high between two patterns as at them
        turn = np.pi / 2 * float(now.share)
        level = level * np.cos(turn) + heights(s.waves, s.detail, now.later) * np.sin(turn)
    if s.style == "noise":
        drift = np.exp(s.strength * 1.5 * level)
        return np.asarray(drift / drift.mean(), np.float32)
    fine = CELLS * RAYS
    spectrum = np.fft.rfft2(level)
    down, across = np.fft.fftfreq(CELLS, 1 / CELLS), np.fft.rfftfreq(CELLS, 1 / CELLS)
    slopes = [np.fft.irfft2(spectrum * 2j * np.pi * k, (CELLS, CELLS)) for k in (across[None], down[:, None])]
    deviation = float(np.hypot(slopes[0].std(), slopes[1].std()))
    shift = ROUGHEST * s.strength * CELLS * (6 / s.waves) * 2.5 / max(deviation, 1e-9)
    out = np.zeros((CELLS, CELLS))
    _cast(np.asarray(slopes[0]) * shift, np.asarray(slopes[1]) * shift, fine, out)
    return np.asarray(out / (RAYS * RAYS), np.float32)


@whole_kernel
def _cast(right: Doubles, down: Doubles, fine: int, out: Doubles) -> None:
    """Counts where rays land, each shared between the four cells that it lies between; the sheet repeats."""
    cells = out.shape[0]
    per = cells / fine
    for j in range(fine):
        for i in range(fine):
            x, y = (i + 0.5) * per - 0.5, (j + 0.5) * per - 0.5
            cx, cy = int(np.floor(x)), int(np.floor(y))
            fx, fy = x - cx, y - cy
            x0, x1, y0, y1 = cx % cells, (cx + 1) % cells, cy % cells, (cy + 1) % cells
            sx = (right[y0, x0] * (1 - fx) + right[y0, x1] * fx) * (1 - fy) + (right[y1, x0] * (1 - fx) + right[y1, x1] * fx) * fy
            sy = (down[y0, x0] * (1 - fx) + down[y0, x1] * fx) * (1 - fy) + (down[y1, x0] * (1 - fx) + down[y1, x1] * fx) * fy
            px, py = x - sx, y - sy
            gx, gy = int(np.floor(px)), int(np.floor(py))
            tx, ty = px - gx, py - gy
            a, b, c, d = gx % cells, (gx + 1) % cells, gy % cells, (gy + 1) % cells
            out[c, a] += (1 - tx) * (1 - ty)
            out[c, b] += tx * (1 - ty)
            out[d, a] += (1 - tx) * ty
            out[d, b] += tx * ty


def source(reading: Reading[None], settings: Source, frame: Frame) -> Floats:
    """(h, w, 3): the sheet, seen from above."""
    level = pyramid(sheet(settings, reading.seconds)[:, :, None])
    aspect = in_diagonals(frame.size)
    scale = np.diag([aspect[0] / frame.width, aspect[1] / frame.height, 1.0])
    scale[:2, 2] = scale[0, 0] * frame.x0, scale[1, 1] * frame.y0
    seen = lay(level, scale, frame.shape, fading=0.0, repeats=Repeats(1.0, 1.0, endless=True))
    return as_picture(np.ascontiguousarray(seen[:, :, 0]) * f32(0.5))


def draw(level: Pyramid, settings: Spread, frame: Frame) -> Floats:
    """The sheets at a frame, (h, w)."""
    s = settings
    out = np.zeros(frame.shape, np.float32)
    for quad in s.quads:
        matrix = to_square(quad, frame, in_diagonals(frame.size))
        if matrix is not None:
            out += lay(level, matrix, frame.shape, fading=s.fading, repeats=Repeats(s.across, s.along, horizon=1))[:, :, 0]
    return out


def spread(scene: Scene[None], source: Source, settings: Spread) -> WhiteField:
    # Taken away before the sheet is made smaller anywhere, as the two do not commute.
    threads = np.maximum(sheet(source, scene.seconds) - f32(settings.floor), 0)
    # The same grid for a plate of any size and for drafts: in perspective the threads are finer than a coarse
    # grid's cells.
    scale = EDGE / max(scene.size)
    grid = Frame.whole((max(1, round(scene.size[0] * scale)), max(1, round(scene.size[1] * scale))))
    return WhiteField(draw(pyramid(threads[:, :, None]), settings, grid))


def initial(plate: Plate) -> dict[str, dict[str, Any]]:
    """On the lower part of the picture, going away from the eye."""
    return {"merge": merge_on(plate, (0.1, 0.6, 0.9, 1.0), relight=1.6, expose=0.35)}


KIND = Kind(
    name="water",
    order=14,
    summary="A sheet of rippling light, pinned in perspective",
    words="sea, caustics, ripples, pool, sun, window, rays",
    icon="M1.5 5.5c1.6 1.6 3.2 1.6 4.8 0s3.2-1.6 4.8 0 2.4 1.4 3.4.6M3.5 10.5c1.3 1.3 2.6 1.3 3.9 0s2.6-1.3 3.9 0M6 14h4",
    source_settings=Source,
    spread_settings=Spread,
    source=source,
    spread=spread,
    initial=initial,
    colour=Colour(temperature=7500, strength=1.0),
    merge=Merge(mode="relight", intensity=1.6),
    nothing_seen="No part of the sheet is in the picture; drag its corners into the frame.",
    reads=False,
)
