"""Halation: film's red fringe round highlights.

Light passes the emulsion, reflects at the back of the film base and exposes the layers again from
below, the red-sensitive one, which lies deepest, the most. The kernel of a channel is

    (1 - ring) · exp(-r/L) / (2πL²)  +  ring · δ(r - R) / (2πR), blurred by the emulsion,

with L the length of the skirt (green about a third of red's; blue gets next to nothing) and R the radius at
which total reflection sets in, R = 2 t tan(asin(1/n)), for a base of thickness t and index n. Both
have closed Hankel transforms, (1 + (2πLρ)²)^(-3/2) and J₀(2πRρ), so the convolution is one
multiplication in the frequency plane and sums to 1 exactly. Millimetres on the film are scaled to
the plate by `film width`, whose long edge the plate's long edge is.

References: Scheiner, "Photographische Wirkungen der Reflexion an der Glasseite" (1890) and Mees,
"The Theory of the Photographic Process" (1942), ch. 21, for the ring; Bracewell, "The Fourier
Transform and Its Applications", Hankel transform pairs; Abramowitz and Stegun 9.4.1, 9.4.3 for J₀.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numba import get_num_threads, prange
from numpy.typing import NDArray

from aurelon.core.imaging.arrays import Doubles, Floats, f32, u64
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.kernels import inlined, kernel
from aurelon.core.lights.shared.fields import ColouredField
from aurelon.core.lights.shared.highlights import HighlightSource, light_where_open
from aurelon.core.lights.shared.initial_settings import open_share
from aurelon.core.lights.shared.kind import Colour, Kind, Merge, Reading, Scene
from aurelon.core.plate import Plate
from aurelon.core.settings import Settings, number

Spectrum = NDArray[np.complex64]

FINER = 1.15  # times the working grid, so that the ring is resolved
EMULSION_BLUR = 0.012  # mm, by which the ring is softened
SKIRT_OF_GREEN = 1 / 3  # of the red layer's
BLUE_SHARE = 0.06  # of green's light, which is all that the blue-sensitive layer on top gets
MARGIN = 0.06  # of the long edge; the mirrored border that light goes into and comes back from


class Source(HighlightSource):
    """Which highlights are strong enough to come back from the base."""

    threshold: float = number(0.72, "How bright the picture must be", unit="share", low=0, high=2, step=0.01, essential=True)


class Spread(Settings):
    """The film."""

    film_width: float = number(
        36.0,
        "Long edge of the frame on the film; smaller film has a wider fringe",
        unit="mm",
        low=4,
        high=130,
        step=0.5,
        exponent=2.0,
        group="Film",
        essential=True,
    )
    base_thickness: float = number(
        0.13, "Thickness of the film base", unit="mm", low=0.02, high=0.5, step=0.005, exponent=1.5, group="Film"
    )
    index: float = number(1.48, "Refractive index of the film base", low=1.2, high=1.9, step=0.01, group="Film")
    skirt: float = number(
        0.16,
        "Distance over which the red fringe fades",
        unit="mm",
        low=0.02,
        high=1,
        step=0.005,
        exponent=1.5,
        group="Fringe",
        essential=True,
    )
    ring: float = number(0.12, "Share of the light that lies in the ring", unit="share", low=0, high=1, step=0.01, group="Fringe")
    green: float = number(
        0.2,
        "How much reaches the green layer: 0 is red, more turns to orange",
        unit="share",
        low=0,
        high=1,
        step=0.01,
        group="Fringe",
        essential=True,
    )


def source(reading: Reading[None], settings: Source, frame: Frame) -> Floats:
    """(h, w, 3): the picture's linear light where it is above the threshold."""
    return light_where_open(reading, settings, frame)


def ring_radius(base_thickness: float, index: float) -> float:
    """Where total reflection sets in, in mm from the highlight."""
    return 2 * base_thickness * float(np.tan(np.arcsin(1 / index)))


@inlined
def bessel_j0(x: float) -> float:
    """J₀ for x >= 0, error below 1e-7 (Abramowitz and Stegun 9.4.1 and 9.4.3)."""
    if x <= 3.0:
        t = (x / 3.0) ** 2
        low = ((-0.3163866 + t * (0.0444479 + t * (-0.0039444 + t * 0.0002100))) * t + 1.2656208) * t - 2.2499997
        return 1.0 + low * t
    t = 3.0 / x
    size = 0.79788456 + t * (
        -0.00000077 + t * (-0.00552740 + t * (-0.00009512 + t * (0.00137237 + t * (-0.00072805 + t * 0.00014476))))
    )
    phase = (
        x
        - 0.78539816
        + t * (-0.04166397 + t * (-0.00003954 + t * (0.00262573 + t * (-0.00054125 + t * (-0.00029333 + t * 0.00013558)))))
    )
    return float(size * np.cos(phase) / np.sqrt(x))


class Film(NamedTuple):
    """Share and radius of the ring and what blurs it, in the unit of the frequencies (one over it)."""

    ring: float
    radius: float
    blur: float


def transfer(down: Doubles, across: Doubles, skirts: Doubles, film: Film) -> Floats:
    """The transforms of kernels that share a ring, at frequencies `down` (n,) and `across` (m,), cycles a unit: (k, n, m), 1 at
    frequency 0. `skirts` (k,) are in that unit.

    They are round, so they are worked out along one line, finely enough for 1e-5, and looked up there.
    """
    highest = float(np.hypot(np.abs(down).max(), np.abs(across).max()))
    # The second derivative is at most (2 pi times the longest length) squared.
    longest = max(film.radius, float(skirts.max()), film.blur)
    count = int(np.ceil(highest * 2 * np.pi * longest / np.sqrt(8e-5))) + 2
    line = np.empty((skirts.size, count), np.float32)
    per_step = (count - 2) / highest if highest > 0 else 1.0
    _along(skirts, film, per_step, line)
    out = np.empty((skirts.size, down.size, across.size), np.float32)
    for table, result in zip(line, out, strict=True):
        _look_up(down.astype(np.float32), across.astype(np.float32), table, f32(per_step), result)
    return out


@kernel
def _along(skirts: Doubles, film: Film, per_step: float, out: Floats) -> None:
    for x in prange(out.shape[1]):
        squared = (x / per_step) ** 2
        circle = bessel_j0(2 * np.pi * film.radius * np.sqrt(squared)) * np.exp(-2 * (np.pi * film.blur) ** 2 * squared)
        for k in range(skirts.size):
            lorentz = 1.0 + (2 * np.pi * skirts[k]) ** 2 * squared
            out[k, x] = (1.0 - film.ring) / (lorentz * np.sqrt(lorentz)) + film.ring * circle


@kernel
def _look_up(down: Floats, across: Floats, table: Floats, per_step: np.float32, out: Floats) -> None:
    for y in prange(out.shape[0]):
        for x in range(out.shape[1]):
            at = np.sqrt(down[y] * down[y] + across[x] * across[x]) * per_step
            k = np.int32(at)
            first = table[u64(k)]
            out[y, x] = first + (table[u64(k) + u64(1)] - first) * (at - f32(k))


def spread(scene: Scene[None], source: Source, settings: Spread) -> ColouredField:
    from scipy import fft  # slow to load, and few lights need it

    s = settings
    frame = scene.frame_of(FINER)
    light = scene.source_at(frame)
    cells = max(frame.size) / s.film_width  # to the millimetre
    radius = ring_radius(s.base_thickness, s.index) * cells
    height, width = light.shape[:2]
    margin = max(4, round(MARGIN * max(height, width)))
    # Numbers of cells that factor well; the room beside the picture is its mirror image.
    tall, wide = _smooth_size(height + 2 * margin), _smooth_size(width + 2 * margin)
    room = ((margin, tall - height - margin), (margin, wide - width - margin))
    threads = get_num_threads()
    level = np.pad(light @ scene.space.luminance, room, mode="symmetric")
    spectrum = np.asarray(fft.rfft2(level, workers=threads, overwrite_x=True), np.complex64)
    down, across = np.asarray(fft.fftfreq(tall), np.float64), np.asarray(fft.rfftfreq(wide), np.float64)
    skirts = np.array([s.skirt * cells, SKIRT_OF_GREEN * s.skirt * cells])
    # A kernel is the same above and below its middle, so half of the rows tell all.
    half = transfer(np.abs(down[: tall // 2 + 1]), across, skirts, Film(s.ring, radius, EMULSION_BLUR * cells))
    fringes = []
    for kernel_of_channel in half:
        shaped = np.empty_like(spectrum)
        _shape(spectrum, kernel_of_channel, shaped)
        whole = fft.irfft2(shaped, (tall, wide), workers=threads, overwrite_x=True)
        fringes.append(whole[margin : margin + height, margin : margin + width])
    out = np.empty_like(light)
    _join(fringes[0], fringes[1], f32(s.green), out)
    return ColouredField(out)


@kernel
def _shape(spectrum: Spectrum, half: Floats, out: Spectrum) -> None:
    """A spectrum (n, m) times a real one of which the rows up to the middle are given (n // 2 + 1, m)."""
    rows = spectrum.shape[0]
    for y in prange(rows):
        by, line, result = half[min(np.int64(y), rows - np.int64(y))], spectrum[y], out[y]
        for x in range(line.size):
            result[x] = line[x] * by[x]


@kernel
def _join(red: Floats, green: Floats, share: np.float32, out: Floats) -> None:
    """Red and green fringe as a picture, never below zero."""
    for y in prange(out.shape[0]):
        for x in range(out.shape[1]):
            other = share * max(green[y, x], f32(0.0))
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = max(red[y, x], f32(0.0)), other, f32(BLUE_SHARE) * other


def _smooth_size(n: int) -> int:
    """The next number from `n` whose prime factors are 2, 3 and 5 only."""
    while True:
        rest = n
        for factor in (2, 3, 5):
            while rest % factor == 0:
                rest //= factor
        if rest == 1:
            return n
        n += 1


def initial(plate: Plate) -> dict[str, dict[str, Any]]:
    """A threshold that a small, bright share of this picture passes, laid so that what is bright already is not blown out."""
    return {"source": {"threshold": open_share(plate, 0.03, Source().knee)}, "merge": {"mode": "expose", "intensity": 0.8}}


KIND = Kind(
    name="halation",
    order=5,
    summary="Film's red fringe around highlights",
    words="film, glow, red",
    icon="M8 5.5a2.5 2.5 0 1 0 0 5 2.5 2.5 0 0 0 0-5zM8 1.8a6.2 6.2 0 1 0 0 12.4A6.2 6.2 0 0 0 8 1.8z",
    source_settings=Source,
    spread_settings=Spread,
    source=source,
    spread=spread,
    initial=initial,
    colour=Colour(origin="plate"),
    merge=Merge(mode="add", intensity=0.6),
)
