"""Boatshed: a dark shed with gaps between its planks, an open hatch, and a boat on trestles."""

from __future__ import annotations

import numpy as np
from numba import njit

from demo.marching import Camera, box, ellipsoid, fbm, hash01, make_march, mix, noise, rod, smooth

CAMERA = Camera((-1.7, 1.55, -1.2), (0.55, 1.75, 8.0), 62.0, 0.006, 6.5)
EXPOSURE, GRAIN, SAMPLES, SEED = 1.5, 0.030, 6, 37

HALF, LONG, HIGH = 4.2, 10.5, 4.6
PLANK = 0.23
HATCH_X0, HATCH_X1, HATCH_Y0, HATCH_Y1 = 0.9, 2.5, 1.9, 3.35
SUN = np.array([0.46, 0.52, 0.80])
SUN /= np.linalg.norm(SUN)
SX, SY, SZ = float(SUN[0]), float(SUN[1]), float(SUN[2])


@njit(fastmath=True)
def planks(across: float, y: float, through: float, seed: int) -> float:
    """A wall of upright planks of uneven width, warped a little, so that the gaps differ."""
    n = np.floor(across / PLANK)
    u = across - (n + 0.5) * PLANK
    chance = hash01(int(n), seed, 1)
    gap = 0.003 + 0.013 * hash01(int(n), seed, 2) ** 3
    if chance > 0.90:
        gap = 0.028
    lean = 0.010 * (noise(y * 0.7, n * 3.7, seed * 1.0) - 0.5)
    half = PLANK / 2 - gap
    d = max(abs(u + lean) - half, abs(through) - 0.022)
    # A broken foot here and there, and knot holes.
    if chance < 0.10:
        d = max(d, 0.25 + 0.5 * hash01(int(n), seed, 3) + 0.10 * noise(u * 30.0, 0.0, 3.0) - y)
    hole = np.sqrt((u - 0.04) ** 2 + (y - 0.6 - 2.6 * hash01(int(n), seed, 4)) ** 2)
    if hash01(int(n), seed, 5) > 0.6:
        d = max(d, 0.011 - hole)
    return d


@njit(fastmath=True)
def walls(x: float, y: float, z: float) -> float:
    back = planks(x, y, z - LONG, 3)
    back = max(
        back,
        -box(
            x - (HATCH_X0 + HATCH_X1) / 2,
            y - (HATCH_Y0 + HATCH_Y1) / 2,
            z - LONG,
            (HATCH_X1 - HATCH_X0) / 2,
            (HATCH_Y1 - HATCH_Y0) / 2,
            0.3,
        ),
    )
    right = planks(z, y, x - HALF, 5)
    left = abs(x + HALF) - 0.03
    rails = min(box(x, y - 1.25, z - LONG + 0.08, HALF, 0.07, 0.05), box(x, y - 3.6, z - LONG + 0.08, HALF, 0.08, 0.05))
    rails = max(rails, -box(x - 1.7, y - 2.62, z - LONG, 0.8, 0.72, 0.5))
    side = min(box(x - HALF + 0.08, y - 1.25, z - 5, 0.05, 0.07, 6.0), box(x - HALF + 0.08, y - 3.3, z - 5, 0.05, 0.07, 6.0))
    frame = abs(box(x - 1.7, y - 2.62, 0.0, 0.82, 0.745, 1.0)) - 0.05
    frame = max(frame, abs(z - LONG) - 0.06)
    # The hatch's door, swung inward on the left.
    door = box(0.80 * (x - 0.55) + 0.6 * (z - LONG + 0.55), y - 2.62, 0.80 * (z - LONG + 0.55) - 0.6 * (x - 0.55), 0.02, 0.70, 0.62)
    return min(min(min(back, right), min(left, rails)), min(side, min(frame, door)))


@njit(fastmath=True)
def roof(x: float, y: float, z: float) -> float:
    slope = HIGH + 1.5 - 0.62 * abs(x) - y
    d = max(abs(slope) * 0.85 - 0.03, z - LONG - 0.4)
    n = min(max(np.floor(z / 2.1 + 0.5), 0.0), 5.0)
    w = z - 2.1 * n
    tie = box(x, y - 3.85, w, HALF, 0.10, 0.07)
    rafter = max(abs(slope - 0.12) * 0.85 - 0.07, abs(w) - 0.05)
    king = box(x, y - 4.9, w, 0.06, 1.0, 0.06)
    return min(d, min(tie, min(rafter, king)))


@njit(fastmath=True)
def hull(x: float, y: float, z: float) -> float:
    """A clinker-built boat, 4.4 m, on two trestles."""
    x, z = 0.95 * x + 0.31 * z, 0.95 * z - 0.31 * x
    low = 0.5 + 0.05 * z * z
    outer = ellipsoid(x, y - 0.62, z, 0.92, 0.72, 2.45)
    lap = 0.010 * ((y * 8.0 + 0.15 * z * z) % 1.0)
    shell = max(outer + lap, y - low)
    inner = ellipsoid(x, y - 0.66, z, 0.85, 0.66, 2.36)
    shell = max(shell, -inner) * 0.8
    keel = max(box(x, y + 0.12, z, 0.035, 0.14, 1.9), -outer - 0.02)
    seat = min(box(x, y - 0.34, z - 0.6, 0.78, 0.025, 0.13), box(x, y - 0.34, z + 0.8, 0.76, 0.025, 0.13))
    return min(shell, min(keel, seat))


@njit(fastmath=True)
def trestle(x: float, y: float, z: float) -> float:
    d = box(x, y - 0.66, z, 0.75, 0.05, 0.05)
    side = abs(x)
    return min(d, rod(side, y, abs(z), 0.62, 0.64, 0.02, 0.78, 0.0, 0.28, 0.035))


@njit(fastmath=True)
def clutter(x: float, y: float, z: float) -> float:
    d = rod(x, y, z, -3.2, 0.0, 9.9, -2.7, 3.3, 10.35, 0.028)
    d = min(d, rod(x, y, z, -2.95, 0.0, 9.8, -2.3, 3.4, 10.35, 0.028))
    d = min(d, box(x + 2.62, y - 3.05, z - 10.33, 0.075, 0.36, 0.014))
    barrel = np.sqrt((x - 3.2) ** 2 + (z - 8.7) ** 2) - 0.40 - 0.09 * np.cos((y - 0.45) * 2.6)
    d = min(d, max(barrel, abs(y - 0.45) - 0.45) * 0.8)
    hoop = abs(np.sqrt((x - 3.2) ** 2 + (z - 8.7) ** 2) - 0.47 - 0.02) - 0.02
    d = min(d, max(hoop, abs(abs(y - 0.45) - 0.2) - 0.025))
    d = min(d, box(x + 3.1, y - 0.35, z - 7.9, 0.42, 0.35, 0.5))
    d = min(d, box(x + 3.2, y - 0.92, z - 8.0, 0.30, 0.22, 0.34))
    for i in range(3):
        cx = -1.6 + 0.35 * i
        ring = np.sqrt((x - cx) ** 2 + (y - 2.75 + 0.12 * i) ** 2) - 0.30 + 0.05 * i
        d = min(d, np.sqrt(ring * ring + (z - 10.38) ** 2) - 0.03)
    d = min(d, rod(x, y, z, 0.3, 3.85, 4.2, 0.32, 2.45, 4.2, 0.012))
    d = min(d, ellipsoid(x - 0.32, y - 2.35, z - 4.2, 0.09, 0.14, 0.09))
    return d


@njit(fastmath=True)
def distance(x: float, y: float, z: float) -> float:
    ground = y - 0.02 * fbm(x * 1.1, z * 1.1, 0.0, 3)
    d = min(min(walls(x, y, z), roof(x, y, z)), ground)
    reach = np.sqrt((x + 0.4) ** 2 + (z - 5.9) ** 2)
    if reach < 3.6:
        d = min(d, min(hull(x + 0.4, y - 0.82, z - 5.9), min(trestle(x + 0.75, y, z - 4.9), trestle(x + 0.1, y, z - 6.9))))
    else:
        d = min(d, reach - 3.3)
    return min(d, clutter(x, y, z))


march, normal, shadow, openness = make_march(distance, 0.85)


@njit(fastmath=True)
def outside(dx: float, dy: float, dz: float) -> tuple[float, float, float]:
    """A hazy morning over the water: bright sky, brighter toward the sun, a strip of sea below."""
    toward = max(dx * SX + dy * SY + dz * SZ, 0.0)
    glow = 3.2 * toward**24 + 1.3 * toward**4
    veil = 0.45 + 0.3 * fbm(dx * 5.0, dy * 9.0, 2.0, 4)
    if dy > 0.0:
        low = np.exp(-dy * 4.0)
        return (2.2 + 0.9 * low + glow) * veil, (2.25 + 0.65 * low + 0.86 * glow) * veil, (2.4 + 0.2 * low + 0.60 * glow) * veil
    glint = 0.6 + 0.8 * noise(dx / (0.03 - dy) * 3.0, dz / (0.03 - dy) * 14.0, 1.0)
    return (0.8 + 0.3 * glow) * glint, (0.84 + 0.28 * glow) * glint, (0.86 + 0.22 * glow) * glint


@njit(fastmath=True)
def wood(along: float, across: float, n: int) -> tuple[float, float, float]:
    tone = 0.6 + 0.6 * hash01(n, 2, 9)
    grain = 0.55 + 0.6 * fbm(across * 55.0 + 3.0 * noise(along * 1.3, n * 1.7, 0.0), along * 2.2, n * 5.1, 4)
    weather = 0.75 + 0.4 * fbm(along * 1.2, across * 3.0, n * 2.0, 3)
    k = tone * grain * weather
    return 0.22 * k, 0.155 * k, 0.105 * k


@njit(fastmath=True)
def radiance(ox: float, oy: float, oz: float, dx: float, dy: float, dz: float, seed: int) -> tuple[float, float, float]:
    t = march(ox, oy, oz, dx, dy, dz, 0.05, 26.0, 220)
    if t > 26.0:
        return outside(dx, dy, dz)
    x, y, z = ox + dx * t, oy + dy * t, oz + dz * t
    if z > LONG + 0.3 or x > HALF + 0.3:
        if y < 0.1:
            return outside(dx, min(dy, -0.02), dz)
        return outside(dx, dy, dz)
    nx, ny, nz = normal(x, y, z, 0.0006 * t + 0.0006)
    if walls(x, y, z) < 0.004:
        if abs(nz) > abs(nx):
            ar, ag, ab = wood(y, x, int(np.floor(x / PLANK)))
        else:
            ar, ag, ab = wood(y, z, int(np.floor(z / PLANK)) + 91)
    elif roof(x, y, z) < 0.004:
        ar, ag, ab = wood(x, z, int(np.floor(z / 0.2)) + 300)
        ar, ag, ab = 0.8 * ar, 0.8 * ag, 0.8 * ab
    elif y < 0.03:
        sand = fbm(x * 2.3, z * 2.3, 0.0, 5)
        fleck = hash01(int(np.floor(x * 120)), int(np.floor(z * 120)), 3)
        board = wood(x, z, int(np.floor(z / 0.28)) + 700)
        seam = smooth(0.010, 0.022, abs((z / 0.28) % 1.0 - 0.5) * -0.28 + 0.14)
        dust = smooth(0.42, 0.62, sand)
        ar = mix(board[0] * 1.2 * seam, 0.20 + 0.08 * fleck, 0.65 * dust)
        ag = mix(board[1] * 1.2 * seam, 0.17 + 0.07 * fleck, 0.65 * dust)
        ab = mix(board[2] * 1.2 * seam, 0.135 + 0.05 * fleck, 0.65 * dust)
    elif (x + 0.4) ** 2 + (z - 5.9) ** 2 < 10.0 and hull(x + 0.4, y - 0.82, z - 5.9) < 0.006:
        wr, wg, wb = wood(x * 0.3 - z, y, int(np.floor(y * 8.0)) + 40)
        worn = smooth(0.50, 0.62, fbm(x * 3.0, y * 6.0, z * 3.0, 5))
        low = smooth(0.78, 0.74, y)
        paint = 0.85 + 0.3 * noise(x * 9.0, y * 9.0, z * 9.0)
        pr, pg, pb = mix(0.10, 0.30, low) * paint, mix(0.22, 0.06, low) * paint, mix(0.27, 0.05, low) * paint
        ar, ag, ab = mix(pr, 1.5 * wr, worn), mix(pg, 1.5 * wg, worn), mix(pb, 1.5 * wb, worn)
    else:
        ar, ag, ab = wood(y, x + z, int(np.floor(7.0 * (x + z))) + 55)
        ar, ag, ab = 1.2 * ar, 1.2 * ag, 1.2 * ab
    e = 0.008
    px, py, pz = x + nx * e, y + ny * e, z + nz * e
    # The sun, 1 degree wide in the haze.
    jx, jy = 0.02 * (hash01(seed, 1, 1) - 0.5), 0.02 * (hash01(seed, 1, 2) - 0.5)
    lambert = max(nx * SX + ny * SY + nz * SZ, 0.0)
    sun = 0.0
    if lambert > 0:
        sun = lambert * shadow(px, py, pz, SX + jx, SY + jy, SZ, 16.0, 400.0, 110)
    # One point of the hatch for each ray, as a bright window.
    hx = mix(HATCH_X0, HATCH_X1, hash01(seed, 2, 1)) - px
    hy = mix(HATCH_Y0, HATCH_Y1, hash01(seed, 2, 2)) - py
    hz = LONG - pz
    far2 = hx * hx + hy * hy + hz * hz
    far = np.sqrt(far2)
    facing = max(nx * hx + ny * hy + nz * hz, 0.0) / far
    window = 0.0
    if facing > 0 and hz > 0.05:
        window = facing * (hz / far) * 2.3 / (far2 + 0.2)
        window *= shadow(px, py, pz, hx / far, hy / far, hz / far, far - 0.05, 300.0, 60)
    open_ = openness(x, y, z, nx, ny, nz, 0.7)
    deep = smooth(-2.0, LONG, z)
    fill = 2.4 * open_ * (0.018 + 0.050 * deep + 0.045 * max(nx * 0.4 + nz * 0.9, 0.0) + 0.035 * max(-ny, 0.0) * deep)
    r = ar * (11.0 * sun + 2.9 * window + 1.00 * fill)
    g = ag * (9.2 * sun + 2.8 * window + 0.95 * fill)
    b = ab * (6.4 * sun + 2.7 * window + 0.92 * fill)
    haze = 1 - np.exp(-t * 0.010)
    return mix(r, 0.055, haze), mix(g, 0.053, haze), mix(b, 0.049, haze)


@njit(fastmath=True)
def beside(ox: float, oy: float, oz: float, dx: float, dy: float, dz: float, seed: int) -> tuple[float, float, float]:
    """Whether the ray meets the subject, the boat (1 or 0), and how far away it ends."""
    t = march(ox, oy, oz, dx, dy, dz, 0.05, 26.0, 220)
    if t > 26.0:
        return 0.0, 26.0, 0.0
    x, y, z = ox + dx * t, oy + dy * t, oz + dz * t
    return (1.0 if hull(x + 0.4, y - 0.82, z - 5.9) < 0.01 else 0.0), t, 0.0
