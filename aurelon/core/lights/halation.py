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

from typing import Any

import numpy as np
from numba import get_num_threads, prange

from aurelon.core.imaging.arrays import Doubles, Floats
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.kernels import inlined, kernel
from aurelon.core.lights.shared.fields import ColouredField
from aurelon.core.lights.shared.highlights import HighlightSource, highlights
from aurelon.core.lights.shared.initial_settings import open_share
from aurelon.core.lights.shared.kind import Colour, Kind, Merge, Reading, Scene
from aurelon.core.plate import Plate
from aurelon.core.settings import Settings, number

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
    return np.ascontiguousarray(highlights(reading, settings, frame)[:, :, :3])


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


@kernel
def transfer(down: Doubles, across: Doubles, skirts: Doubles, ring: float, radius: float, blur: float, out: Floats) -> None:
    """The transforms of kernels that share a ring, at frequencies `down` (n,) and `across` (m,), cycles a unit.

    `skirts` (k,) and the other lengths are in that unit; `out` is (k, n, m), 1 at frequency 0.
    """
    for y in prange(down.size):
        for x in range(across.size):
            squared = down[y] * down[y] + across[x] * across[x]
            circle = bessel_j0(2 * np.pi * radius * np.sqrt(squared)) * np.exp(-2 * (np.pi * blur) ** 2 * squared)
            for k in range(skirts.size):
                lorentz = 1.0 + (2 * np.pi * skirts[k]) ** 2 * squared
                out[k, y, x] = (1.0 - ring) / (lorentz * np.sqrt(lorentz)) + ring * circle


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
    spectrum = fft.rfft2(np.pad(light @ scene.space.luminance, room, mode="symmetric"), workers=threads)
    down, across = np.asarray(fft.fftfreq(tall), np.float64), np.asarray(fft.rfftfreq(wide), np.float64)
    skirts = np.array([s.skirt * cells, SKIRT_OF_GREEN * s.skirt * cells])
    # A kernel is the same above and below its middle, so half of the rows tell all.
    half = np.empty((2, tall // 2 + 1, across.size), np.float32)
    transfer(np.abs(down[: tall // 2 + 1]), across, skirts, s.ring, radius, EMULSION_BLUR * cells, half)
    mirrored = np.abs(np.round(down * tall)).astype(int)
    out = np.empty_like(light)
    for channel, share in enumerate((1.0, s.green)):
        whole = fft.irfft2(spectrum * half[channel][mirrored], (tall, wide), workers=threads)
        out[:, :, channel] = share * np.maximum(whole[margin : margin + height, margin : margin + width], 0)
    out[:, :, 2] = BLUE_SHARE * out[:, :, 1]
    return ColouredField(out)


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
    """A threshold that a small, bright share of this picture passes."""
    return {"source": {"threshold": open_share(plate, 0.03, Source().knee)}}


KIND = Kind(
    name="halation",
    order=5,
    summary="Film's red fringe around highlights",
    source_settings=Source,
    spread_settings=Spread,
    source=source,
    spread=spread,
    initial=initial,
    colour=Colour(origin="plate"),
    merge=Merge(mode="add", intensity=0.6),
)
