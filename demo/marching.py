"""What the made-up plates share: noise, signed distances, camera and film.

Distances follow Quilez, "Distance functions"; marching is Hart, "Sphere Tracing" (1996). Lengths
are metres, y is up. All radiance is linear light in sRGB primaries.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

Floats = NDArray[np.float32]
Kernel = Callable[..., Any]


@njit(fastmath=True)
def hash01(x: int, y: int, z: int) -> float:
    """A number in 0..1 that depends on three integers."""
    h = np.uint32(x) * np.uint32(0x8DA6B343) ^ np.uint32(y) * np.uint32(0xD8163841) ^ np.uint32(z) * np.uint32(0xCB1AB31F)
    h = np.uint32(h ^ (h >> np.uint32(15)))
    h = np.uint32(h * np.uint32(0x2C1B3C6D))
    h = np.uint32(h ^ (h >> np.uint32(12)))
    h = np.uint32(h * np.uint32(0x297A2D39))
    h = np.uint32(h ^ (h >> np.uint32(15)))
    return float(h) / 4294967296.0


@njit(fastmath=True)
def noise(x: float, y: float, z: float) -> float:
    """Value noise in 0..1 with a smooth fade."""
    ix, iy, iz = int(np.floor(x)), int(np.floor(y)), int(np.floor(z))
    fx, fy, fz = x - ix, y - iy, z - iz
    fx, fy, fz = fx * fx * (3 - 2 * fx), fy * fy * (3 - 2 * fy), fz * fz * (3 - 2 * fz)
    low = (hash01(ix, iy, iz) * (1 - fx) + hash01(ix + 1, iy, iz) * fx) * (1 - fy) + (
        hash01(ix, iy + 1, iz) * (1 - fx) + hash01(ix + 1, iy + 1, iz) * fx
    ) * fy
    if fz == 0.0:
        return low
    high = (hash01(ix, iy, iz + 1) * (1 - fx) + hash01(ix + 1, iy, iz + 1) * fx) * (1 - fy) + (
        hash01(ix, iy + 1, iz + 1) * (1 - fx) + hash01(ix + 1, iy + 1, iz + 1) * fx
    ) * fy
    return low * (1 - fz) + high * fz


@njit(fastmath=True)
def fbm(x: float, y: float, z: float, octaves: int) -> float:
    """Octaves of noise, each turned against the last; mean about one half."""
    total, weight, scale = 0.0, 0.5, 0.0
    for _ in range(octaves):
        total += weight * noise(x, y, z)
        scale += weight
        x, y, z, weight = 1.6 * x + 1.2 * y + 7.3, -1.2 * x + 1.6 * y + 3.1, 2.02 * z, 0.5 * weight
    return total / scale


@njit(fastmath=True)
def smooth(low: float, high: float, x: float) -> float:
    t = min(max((x - low) / (high - low), 0.0), 1.0)
    return t * t * (3 - 2 * t)


@njit(fastmath=True)
def mix(a: float, b: float, t: float) -> float:
    return a + (b - a) * t


@njit(fastmath=True)
def box(x: float, y: float, z: float, hx: float, hy: float, hz: float) -> float:
    dx, dy, dz = abs(x) - hx, abs(y) - hy, abs(z) - hz
    outside = np.sqrt(max(dx, 0.0) ** 2 + max(dy, 0.0) ** 2 + max(dz, 0.0) ** 2)
    return outside + min(max(dx, dy, dz), 0.0)


@njit(fastmath=True)
def upright_cone(x: float, y: float, z: float, half: float, low: float, high: float) -> float:
    """A frustum about the y axis, radius `low` at -half and `high` at +half; a bound, not exact."""
    radius = mix(low, high, min(max((y + half) / (2 * half), 0.0), 1.0))
    return max(np.sqrt(x * x + z * z) - radius, abs(y) - half) * 0.95


@njit(fastmath=True)
def rod(x: float, y: float, z: float, ax: float, ay: float, az: float, bx: float, by: float, bz: float, r: float) -> float:
    px, py, pz, dx, dy, dz = x - ax, y - ay, z - az, bx - ax, by - ay, bz - az
    t = min(max((px * dx + py * dy + pz * dz) / (dx * dx + dy * dy + dz * dz), 0.0), 1.0)
    return np.sqrt((px - t * dx) ** 2 + (py - t * dy) ** 2 + (pz - t * dz) ** 2) - r


@njit(fastmath=True)
def ellipsoid(x: float, y: float, z: float, rx: float, ry: float, rz: float) -> float:
    k0 = np.sqrt((x / rx) ** 2 + (y / ry) ** 2 + (z / rz) ** 2)
    k1 = np.sqrt((x / rx**2) ** 2 + (y / ry**2) ** 2 + (z / rz**2) ** 2)
    return k0 * (k0 - 1.0) / max(k1, 1e-9)


def make_march(distance: Kernel, cautious: float) -> tuple[Kernel, Kernel, Kernel, Kernel]:
    """march, normal, shadow and openness for a scene's `distance(x, y, z)`."""

    @njit(fastmath=True)
    def march(ox: float, oy: float, oz: float, dx: float, dy: float, dz: float, t: float, far: float, steps: int) -> float:
        """Distance at which the ray meets the scene; beyond `far` it does not."""
        for _ in range(steps):
            d = distance(ox + dx * t, oy + dy * t, oz + dz * t)
            if d < 0.00012 * t + 0.0002:
                return t
            t += d * cautious
            if t > far:
                return far + 1.0
        return t

    @njit(fastmath=True)
    def normal(x: float, y: float, z: float, e: float) -> tuple[float, float, float]:
        a = distance(x + e, y - e, z - e)
        b = distance(x - e, y - e, z + e)
        c = distance(x - e, y + e, z - e)
        d = distance(x + e, y + e, z + e)
        nx, ny, nz = a - b - c + d, -a - b + c + d, -a + b - c + d
        n = 1.0 / max(np.sqrt(nx * nx + ny * ny + nz * nz), 1e-12)
        return nx * n, ny * n, nz * n

    @njit(fastmath=True)
    def shadow(x: float, y: float, z: float, dx: float, dy: float, dz: float, far: float, hardness: float, steps: int) -> float:
        """Share of a light of some width that is seen: 0..1."""
        seen, t = 1.0, 0.03
        for _ in range(steps):
            d = distance(x + dx * t, y + dy * t, z + dz * t)
            seen = min(seen, 0.5 + 0.5 * hardness * d / t)
            if seen < 0.0:
                return 0.0
            t += max(d * 0.8, 0.01 + 0.004 * t)
            if t > far:
                break
        seen = max(seen, 0.0)
        return seen * seen * (3 - 2 * seen)

    @njit(fastmath=True)
    def openness(x: float, y: float, z: float, nx: float, ny: float, nz: float, size: float) -> float:
        """How open the surroundings are, 0..1, from distances along the normal."""
        closed, weight = 0.0, 1.0
        for i in range(1, 6):
            h = size * i * i / 25.0
            closed += weight * max(h - distance(x + nx * h, y + ny * h, z + nz * h), 0.0) / h
            weight *= 0.75
        return max(1.0 - 0.33 * closed, 0.0)

    return march, normal, shadow, openness


@dataclass(frozen=True)
class Camera:
    """Position, aim, field of view (degrees, across), lens radius and focus distance in metres."""

    position: tuple[float, float, float]
    aim: tuple[float, float, float]
    view: float
    lens: float
    focus: float


def expose(radiance: Kernel, camera: Camera, size: tuple[int, int], samples: int, most: float = 40.0) -> Floats:
    """The scene's `radiance(ox, oy, oz, dx, dy, dz, seed)` through a thin lens: (h, w, 3) linear.

    No sample counts for more than `most`, or a single one could whiten a pixel.
    """
    position = np.array(camera.position)
    forward = np.array(camera.aim) - position
    forward /= np.linalg.norm(forward)
    right = np.cross([0.0, 1.0, 0.0], forward)
    right /= np.linalg.norm(right)
    axes = np.stack([right, np.cross(forward, right), forward])
    half = float(np.tan(np.deg2rad(camera.view) / 2))
    lens, focus = camera.lens, camera.focus

    @njit(parallel=True, fastmath=True)
    def film(out: Floats) -> None:
        rows, columns, _ = out.shape
        for y in prange(rows):
            for x in range(columns):
                red = green = blue = 0.0
                for s in range(samples):
                    # Stratified over the pixel along one axis, hashed along the other.
                    jx = (s + hash01(x, y, s)) / samples
                    jy = (((s * 7 + 3) % samples) + hash01(x, y, s + 97)) / samples
                    u = ((x + jx) / columns * 2 - 1) * half
                    v = (1 - (y + jy) / rows * 2) * half * rows / columns
                    radius = lens * np.sqrt(hash01(x, y, s + 211))
                    turn = 2 * np.pi * hash01(x, y, s + 307)
                    lx, ly = radius * np.cos(turn), radius * np.sin(turn)
                    cx, cy, cz = u * focus - lx, v * focus - ly, focus
                    ox = position[0] + lx * axes[0, 0] + ly * axes[1, 0]
                    oy = position[1] + lx * axes[0, 1] + ly * axes[1, 1]
                    oz = position[2] + lx * axes[0, 2] + ly * axes[1, 2]
                    dx = cx * axes[0, 0] + cy * axes[1, 0] + cz * axes[2, 0]
                    dy = cx * axes[0, 1] + cy * axes[1, 1] + cz * axes[2, 1]
                    dz = cx * axes[0, 2] + cy * axes[1, 2] + cz * axes[2, 2]
                    n = 1.0 / np.sqrt(dx * dx + dy * dy + dz * dz)
                    r, g, b = radiance(ox, oy, oz, dx * n, dy * n, dz * n, x * 7919 + y * 104729 + s)
                    red += min(r, most)
                    green += min(g, most)
                    blue += min(b, most)
                out[y, x, 0] = red / samples
                out[y, x, 1] = green / samples
                out[y, x, 2] = blue / samples

    width, height = size
    out = np.empty((height, width, 3), np.float32)
    film(out)
    return out


def develop(scene: Floats, exposure: float, grain: float, seed: int) -> NDArray[np.uint8]:
    """Lens glow and fall-off, sensor noise, a filmic shoulder and the sRGB curve: (h, w, 3) uint8."""
    height, width, _ = scene.shape
    glow = cv2.GaussianBlur(np.minimum(scene, 12.0), (0, 0), width / 160)
    picture = (0.985 * scene + 0.015 * glow) * exposure
    y, x = np.mgrid[0:height, 0:width]
    off_axis = np.hypot(x - width / 2, y - height / 2) / np.hypot(width, height) * 2
    picture *= (1 / (1 + (0.48 * off_axis) ** 2) ** 2)[:, :, None].astype(np.float32)
    rng = np.random.default_rng(seed)
    noise_of_light = rng.standard_normal(scene.shape, np.float32)
    noise_of_light = 0.75 * noise_of_light + 0.55 * cv2.GaussianBlur(noise_of_light, (0, 0), 0.8) * 2
    picture += grain * np.sqrt(np.maximum(picture, 0) + 0.004) * noise_of_light * 0.6
    picture = np.maximum(picture, 0)
    # A straight line up to 0.6 and an exponential shoulder to 1 above it.
    shoulder = 0.6 + 0.4 * (1 - np.exp(-(picture - 0.6) / 0.4))
    picture = np.where(picture > 0.6, shoulder, picture)
    codes = np.where(picture <= 0.0031308, 12.92 * picture, 1.055 * np.maximum(picture, 1e-9) ** (1 / 2.4) - 0.055)
    return np.asarray(np.clip(codes * 255 + 0.5, 0, 255), np.uint8)
