"""The diaphragm of a lens: its outline, and the light that it diffracts."""

from __future__ import annotations

from functools import lru_cache
from typing import Any, NamedTuple

import cv2
import numpy as np

from aurelon.core.imaging.arrays import Floats, f32
from aurelon.core.imaging.colour import colour_matching
from aurelon.core.imaging.kernels import in_python, inlined
from aurelon.core.imaging.rgb_space import RgbSpace

GRID = 1024  # samples of the aperture plane
OPENING = 0.115  # radius of the opening, of the plane
EDGE = 769  # of the table of the pattern
SHORTEST, LONGEST, STEP, REFERENCE = 380.0, 730.0, 10.0, 550.0  # nm


class Blade(NamedTuple):
    """The arc of a blade's edge: the curvature of the arc, and how far its centre lies beyond the middle of the opening, in
    radii of the arc."""

    curve: np.float32
    beyond: np.float32


def blade_of(blades: int, roundness: float) -> Blade:
    """The edge of one of `blades`, whose corners lie on the unit circle: a chord at roundness 0, that circle at 1, and arcs
    of wider circles between, as blades cut for the open lens make when it is stopped down."""
    half, curve = np.pi / blades, max(roundness, 1e-3)
    return Blade(f32(curve), f32(np.sqrt(1 - (curve * np.sin(half)) ** 2) - curve * np.cos(half)))


@inlined
def out_to(blade: Blade, across: Any, radius: Any) -> Any:
    """How large an opening would have to be for its edge to go through a place at `radius` from the middle and `across`
    along the normal of the nearest blade: 1 on the edge of the unit one. Numbers or arrays."""
    q = blade.beyond * across
    one = f32(1.0)
    rest = one - blade.beyond * blade.beyond
    return blade.curve * (q + np.sqrt(q * q + rest * radius * radius)) / rest


def outline(x: Floats, y: Floats, blades: int, roundness: float) -> Floats:
    """Distance from the middle, 1 on the outline of a diaphragm of `blades`; from straight to round.

    One corner lies on the x axis. Corners lie on the unit circle.
    """
    radius = np.hypot(x, y)
    sector = 2 * np.pi / blades
    turn = np.mod(np.arctan2(y, x), sector) - sector / 2
    return np.asarray(in_python(out_to)(blade_of(blades, roundness), radius * np.cos(turn), radius), np.float32)


def opening(blades: int, roundness: float, dust: float, seed: int) -> Floats:
    """Transmittance of the aperture plane, (GRID, GRID); dust and scratches by seed."""
    half = GRID / 2
    y, x = (np.mgrid[0:GRID, 0:GRID].astype(np.float32) - half) / np.float32(OPENING * GRID)
    rim = 1 / (OPENING * GRID)  # a sample wide, so that the grid leaves no mark in the pattern
    clear = np.clip((1 - outline(x, y, blades, roundness)) / rim + 0.5, 0, 1).astype(np.float32)
    if dust > 0:
        rng = np.random.default_rng((seed, 31))
        for _ in range(round(40 * dust)):
            r, a = np.sqrt(rng.random()), rng.random() * 2 * np.pi
            centre = (round(half + r * np.cos(a) * OPENING * GRID), round(half + r * np.sin(a) * OPENING * GRID))
            cv2.circle(clear, centre, int(rng.integers(1, 4)), 0.0, -1, cv2.LINE_AA)
        for _ in range(round(6 * dust)):
            ends = (half + (rng.random((2, 2)) * 2 - 1) * OPENING * GRID).round().astype(int)
            cv2.line(clear, ends[0].tolist(), ends[1].tolist(), 0.4, 1, cv2.LINE_AA)
    return np.asarray(clear, np.float32)


@lru_cache(maxsize=16)
def diffraction(blades: int, roundness: float, dust: float, seed: int, space: RgbSpace) -> Floats:
    """The Fraunhofer pattern over the visible wavelengths: (EDGE, EDGE, 3) linear RGB in `space`.

    |FFT(aperture)|², each wavelength scaling the pattern and its density, through the CIE 1931
    colour-matching functions; each channel sums to 1 (Goodman, "Introduction to Fourier Optics",
    ch. 4; Ritschel et al., "Temporal Glare", 2009). The table's edge is as far as the pattern of the
    longest wavelength is known.
    """
    field = np.fft.fftshift(np.fft.fft2(opening(blades, roundness, dust, seed)))
    power = (field.real**2 + field.imag**2).astype(np.float32)
    table = colour_matching()
    reach = GRID / 2 * REFERENCE / LONGEST / (EDGE / 2)  # samples of the pattern to one of the table
    to_rgb = space.from_d65
    out = np.zeros((EDGE, EDGE, 3), np.float32)
    white = np.zeros(3)
    for wavelength in np.arange(SHORTEST, LONGEST + 1, STEP):
        xyz = np.array([np.interp(wavelength, table[:, 0], table[:, c]) for c in (1, 2, 3)])
        rgb = to_rgb @ xyz
        white += rgb
        scale = reach * REFERENCE / wavelength
        middle = GRID / 2 - scale * (EDGE - 1) / 2
        matrix = np.array([[scale, 0, middle], [0, scale, middle]])
        spot = np.asarray(cv2.warpAffine(power, matrix, (EDGE, EDGE), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP))
        spot = np.multiply(spot, np.float32(scale**2))
        for c in range(3):
            out[:, :, c] += spot * np.float32(rgb[c])
    out = np.maximum(out / white.astype(np.float32), 0)
    return np.asarray(out / out.sum(axis=(0, 1), dtype=np.float64), np.float32)


CORE_SHARE = 0.97  # of a drawn star's light, which a lens, too, leaves in the middle
CORE_RADIUS = 4.0  # samples


@lru_cache(maxsize=16)
def drawn_star(spikes: int, taper: float) -> Floats:
    """A plain star, (EDGE, EDGE, 3): an even number of spikes that thin out; each channel sums to 1."""
    half = EDGE / 2
    y, x = (np.mgrid[0:EDGE, 0:EDGE].astype(np.float32) + 0.5 - half) / half
    radius = np.maximum(np.hypot(x, y), 1e-6)
    star = np.zeros_like(radius)
    for k in range(spikes // 2):
        turn = np.pi * k / (spikes // 2)
        across = np.abs(y * np.cos(turn) - x * np.sin(turn))
        wide = 0.004 + 0.016 * np.maximum(1 - radius, 0) ** (1 + 2 * taper)
        star += np.exp(-((across / wide) ** 2)) * np.maximum(1 - radius, 0) ** (1 + 3 * taper)
    core = np.exp(-((radius * half / CORE_RADIUS) ** 2) / 2)
    whole = CORE_SHARE * core / core.sum() + (1 - CORE_SHARE) * star / star.sum()
    return np.repeat(whole[:, :, None], 3, axis=2).astype(np.float32)
