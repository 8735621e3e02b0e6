"""Harbour at dusk: a wet quay, lamps, lit windows and boats below Merrow Point."""

from __future__ import annotations

import numpy as np
from numba import njit

from demo.marching import Camera, box, ellipsoid, fbm, hash01, make_march, mix, noise, rod, smooth, upright_cone

CAMERA = Camera((0.6, 1.75, -3.0), (0.1, 2.35, 20.0), 58.0, 0.006, 14.0)
EXPOSURE, GRAIN, SAMPLES, SEED = 1.05, 0.035, 6, 23

QUAY_EDGE, WATER = -3.2, -1.5
LAMPS = 4
LAMP_X, LAMP_Y, LAMP_FIRST, LAMP_STEP = -2.6, 4.1, 5.0, 8.0
LAMP_RED, LAMP_GREEN, LAMP_BLUE = 15.0, 8.2, 3.0
GROUND, HOUSE, LAMP, GLASS, HULL, WOOD = 0, 1, 2, 3, 4, 5


@njit(fastmath=True)
def boat(x: float, y: float, z: float) -> float:
    """A small open boat, 5 m long, its keel along z."""
    hull = ellipsoid(x, y - 0.55, z, 1.05, 0.95, 2.9)
    hull = max(hull, y - 0.5 - 0.07 * z * z)
    inside = ellipsoid(x, y - 0.62, z, 0.95, 0.85, 2.75)
    hull = max(hull, -max(inside, -y - 0.1))
    mast = rod(x, y, z, 0.0, 0.0, 0.5, 0.0, 5.2, 0.35, 0.055)
    boom = rod(x, y, z, 0.0, 1.25, 0.4, 0.0, 1.15, -2.1, 0.05)
    stay = rod(x, y, z, 0.0, 5.1, 0.35, 0.0, 0.75, 2.85, 0.010)
    seat = box(x, y - 0.35, z - 0.9, 0.85, 0.03, 0.16)
    return min(min(hull, seat), min(mast, min(boom, stay)))


@njit(fastmath=True)
def boats(x: float, y: float, z: float) -> float:
    d = boat(x + 5.4, y - WATER + 0.15, z - 9.0)
    d = min(d, boat(0.96 * (x + 7.4) + 0.28 * (z - 15.5), y - WATER + 0.12, 0.96 * (z - 15.5) - 0.28 * (x + 7.4)))
    d = min(d, boat(0.98 * (x + 5.6) - 0.2 * (z - 23.0), y - WATER + 0.16, 0.98 * (z - 23.0) + 0.2 * (x + 5.6)))
    return min(d, boat(x + 10.5, y - WATER + 0.1, z - 27.0))


@njit(fastmath=True)
def row_of_houses(along: float, y: float, deep: float, seed: int) -> float:
    """Houses side by side, 5.2 m each; `deep` grows into them."""
    wide = 5.2
    cell = np.floor(along / wide)
    best = 1e9
    for c in range(-1, 2):
        n = cell + c
        high = 5.8 + 3.0 * hash01(int(n), seed, 3)
        back = 0.5 * hash01(int(n), seed, 4)
        u = along - (n + 0.5) * wide
        v = deep - 4.0 - back
        body = box(u, y - high / 2, v, wide / 2 - 0.01, high / 2, 4.0)
        roof = max(abs(v) * 0.62 + (y - high - 2.45) * 0.78, abs(u) - wide / 2, high - y - 0.2)
        stack = box(u - 1.6, y - high - 2.2, v, 0.45, 1.3, 0.4)
        best = min(best, min(body, min(roof, stack)))
    return best


@njit(fastmath=True)
def houses(x: float, y: float, z: float) -> float:
    right = max(row_of_houses(z - 1.0, y, x - 5.6, 7), -z - 10.0)
    end = max(row_of_houses(x + 1.0, y, z - 37.0, 8), -3.4 - x)
    return min(right, end)


@njit(fastmath=True)
def lamps(x: float, y: float, z: float) -> float:
    n = min(max(np.floor((z - LAMP_FIRST) / LAMP_STEP + 0.5), 0.0), LAMPS - 1.0)
    u, w = x - LAMP_X, z - LAMP_FIRST - n * LAMP_STEP
    post = upright_cone(u, y - 1.98, w, 1.98, 0.075, 0.05)
    foot = upright_cone(u, y - 0.25, w, 0.25, 0.16, 0.11)
    cap = upright_cone(u, y - 4.42, w, 0.10, 0.27, 0.05)
    return min(min(post, foot), cap)


@njit(fastmath=True)
def globes(x: float, y: float, z: float) -> float:
    n = min(max(np.floor((z - LAMP_FIRST) / LAMP_STEP + 0.5), 0.0), LAMPS - 1.0)
    u, w = x - LAMP_X, z - LAMP_FIRST - n * LAMP_STEP
    return np.sqrt(u * u + (y - LAMP_Y) ** 2 + w * w) - 0.17


@njit(fastmath=True)
def things(x: float, y: float, z: float) -> float:
    """Bollards, crates and a coil of rope on the quay."""
    n = min(max(np.floor((z - 3.0) / 4.0 + 0.5), 0.0), 7.0)
    w = z - 3.0 - 4.0 * n
    d = upright_cone(x + 2.9, y - 0.22, w, 0.22, 0.13, 0.12)
    d = min(d, ellipsoid(x + 2.9, y - 0.46, w, 0.19, 0.09, 0.19))
    d = min(d, box(0.9 * (x - 3.4) + 0.43 * (z - 8.2), y - 0.3, 0.9 * (z - 8.2) - 0.43 * (x - 3.4), 0.42, 0.3, 0.32))
    d = min(d, box(x - 3.9, y - 0.32, z - 9.1, 0.4, 0.32, 0.36))
    d = min(d, box(0.97 * (x - 3.65) - 0.24 * (z - 8.6), y - 0.86, 0.97 * (z - 8.6) + 0.24 * (x - 3.65), 0.38, 0.24, 0.3))
    ring = np.sqrt((x + 1.7) ** 2 + (z - 4.6) ** 2) - 0.34
    coil = np.sqrt(ring * ring + (y - 0.07) ** 2) - 0.075
    return min(d, coil)


@njit(fastmath=True)
def quay(x: float, y: float, z: float) -> float:
    if y > 0.25:
        return max(y - 0.1, -(x - QUAY_EDGE) * 0.7)
    stone = 0.0
    if y > -0.1:
        row = np.floor(z / 0.22)
        u = (x / 0.30 + 0.5 * row + 0.3 * hash01(int(row), 1, 1)) % 1.0 - 0.5
        v = (z / 0.22) % 1.0 - 0.5
        joint = smooth(0.36, 0.5, max(abs(u), abs(v)))
        tilt = hash01(int(np.floor(x / 0.30 + 0.5 * row + 0.3 * hash01(int(row), 1, 1))), int(row), 2)
        stone = 0.012 * joint - 0.010 * tilt + 0.05 * (fbm(x * 0.4, z * 0.4, 0.0, 3) - 0.5)
    top = y + stone
    side = QUAY_EDGE - x + 0.05 * (noise(x, y * 3.0, z * 1.2) - 0.5)
    return max(top, side)


@njit(fastmath=True)
def distance(x: float, y: float, z: float) -> float:
    d = min(quay(x, y, z), houses(x, y, z))
    d = min(d, min(lamps(x, y, z), globes(x, y, z)))
    if x < -2.0:
        d = min(d, boats(x, y, z))
    else:
        d = min(d, max(x + 2.5, 0.3))
    if y < 1.6:
        d = min(d, things(x, y, z))
    else:
        d = min(d, y - 1.3)
    return d


march, normal, shadow, openness = make_march(distance, 0.9)


@njit(fastmath=True)
def on_far_shore(dx: float, dy: float, dz: float) -> bool:
    return dz > 0 and dy < 0.030 + 0.030 * fbm(np.arctan2(dx, dz) * 7.0, 0.5, 0.0, 4)


@njit(fastmath=True)
def sky(dx: float, dy: float, dz: float) -> tuple[float, float, float]:
    up = max(dy, 0.0)
    low = np.exp(-up * 5.0)
    west = max(-0.75 * dx + 0.66 * dz, 0.0)
    r = mix(0.030, 0.115 + 0.34 * west**3, low)
    g = mix(0.052, 0.120 + 0.13 * west**3, low)
    b = mix(0.130, 0.190 + 0.03 * west**3, low)
    scale = 1.0 / (up + 0.10)
    bank = smooth(0.45, 0.75, fbm(dx * scale * 0.7 + 5.0, dz * scale * 1.1, 3.3, 5)) * smooth(0.0, 0.12, up)
    r, g, b = mix(r, 0.065 + 0.10 * west * low, 0.8 * bank), mix(g, 0.070 + 0.04 * west, 0.8 * bank), mix(b, 0.115, 0.8 * bank)
    # The far shore and its few lights.
    if on_far_shore(dx, dy, dz):
        r, g, b = 0.030, 0.038, 0.060
        a = np.arctan2(dx, dz) * 70.0
        n = int(np.floor(a))
        spot = (a - n - 0.5) ** 2 / 0.006 + (dy - 0.012 - 0.010 * hash01(n, 2, 2)) ** 2 / 0.0000010
        if hash01(n, 9, 9) > 0.62 and spot < 9.0:
            glow = 3.0 * np.exp(-spot)
            r, g, b = r + glow, g + 0.62 * glow, b + 0.26 * glow
    return r, g, b


@njit(fastmath=True)
def facade(along: float, y: float, seed: int) -> tuple[float, float, float, float]:
    """Colour of a house front, and how strongly it shines (a lit window) there."""
    n = int(np.floor(along / 5.2))
    u = along - n * 5.2
    tone = hash01(n, seed, 6)
    r, g, b = 0.42 + 0.3 * tone, 0.40 + 0.22 * hash01(n, seed, 7), 0.36 + 0.22 * hash01(n, seed, 8)
    floor = int(np.floor((y - 0.35) / 2.7))
    wu = (u - 0.35) % 1.5
    column = int(np.floor((u - 0.35) / 1.5))
    wv = y - 0.35 - floor * 2.7
    inside = 0.28 < wu < 1.22 and 0.75 < wv < 2.15 and 0.35 < u < 4.85 and 0 <= floor < 2
    frame = 0.20 < wu < 1.30 and 0.67 < wv < 2.22 and 0.35 < u < 4.85 and 0 <= floor < 2
    if inside:
        bar = abs(wu - 0.75) < 0.03 or abs(wv - 1.45) < 0.03
        lit = hash01(n * 7 + column, floor, seed + 11)
        if bar:
            return 0.5, 0.48, 0.44, 0.0
        if lit > 0.56:
            curtain = 0.55 + 0.45 * smooth(0.10, 0.35, abs(wu - 0.75)) * hash01(n, column, 5)
            fold = 0.82 + 0.25 * noise(wu * 22.0, 0.4, 1.0 * n)
            fade = 0.55 + 0.6 * smooth(0.6, 2.1, wv)
            return 0.03, 0.03, 0.03, (1.3 + 1.6 * hash01(n, column, floor)) * curtain * fold * fade
        return 0.02, 0.024, 0.03, 0.0
    if frame:
        return 0.55, 0.53, 0.48, 0.0
    if 2.05 < u < 3.05 and y < 2.15:
        return 0.10 + 0.2 * tone, 0.06, 0.07 + 0.15 * (1 - tone), 0.0
    return r, g, b, 0.0


@njit(fastmath=True)
def lamp_light(x: float, y: float, z: float, nx: float, ny: float, nz: float, seed: int) -> float:
    total = 0.0
    for n in range(LAMPS):
        lx = LAMP_X + 0.22 * (hash01(seed, n, 1) - 0.5) - x
        ly = LAMP_Y + 0.22 * (hash01(seed, n, 2) - 0.5) - y
        lz = LAMP_FIRST + n * LAMP_STEP + 0.22 * (hash01(seed, n, 3) - 0.5) - z
        square = lx * lx + ly * ly + lz * lz
        far = np.sqrt(square)
        facing = (nx * lx + ny * ly + nz * lz) / far
        if facing <= 0 or square > 1400.0:
            continue
        strength = facing / (square + 0.15)
        if strength < 0.0006:
            continue
        total += strength * shadow(x + nx * 0.02, y + ny * 0.02, z + nz * 0.02, lx / far, ly / far, lz / far, far - 0.36, 60.0, 40)
    return total


@njit(fastmath=True)
def surface(
    x: float, y: float, z: float, t: float, dx: float, dy: float, dz: float, seed: int
) -> tuple[float, float, float, float, float, float, float]:
    """Radiance leaving a point toward the eye without reflection; then the normal, then wetness."""
    nx, ny, nz = normal(x, y, z, 0.0007 * t + 0.0012)
    wet = 0.0
    glow = 0.0
    if globes(x, y, z) < 0.01:
        edge = abs(nx * dx + ny * dy + nz * dz)
        return 9.0 * edge + 4.0, 5.4 * edge + 2.0, 2.3 * edge + 0.7, nx, ny, nz, 0.0
    if houses(x, y, z) < 0.012:
        wall = 0.8 + 0.4 * fbm(x * 1.5, y * 1.5, z * 1.5, 4)
        if ny > 0.3:
            slate = 0.7 + 0.5 * hash01(int(np.floor(y * 6.0)), int(np.floor((x + z) * 3.0)), 3)
            ar, ag, ab = 0.10 * slate, 0.105 * slate, 0.125 * slate
        elif abs(nx) > abs(nz):
            ar, ag, ab, glow = facade(z - 1.0, y, 7) if nx < 0 else (0.4, 0.38, 0.35, 0.0)
        else:
            ar, ag, ab, glow = facade(x + 1.0, y, 8) if nz < 0 else (0.4, 0.38, 0.35, 0.0)
        ar, ag, ab = ar * wall, ag * wall, ab * wall
    elif lamps(x, y, z) < 0.01:
        ar, ag, ab, wet = 0.03, 0.035, 0.04, 0.12
    elif boats(x, y, z) < 0.012:
        h = y - WATER
        grain = 0.7 + 0.5 * noise(x * 6.0, y * 30.0, z * 2.0)
        pick = hash01(int(np.floor(z / 7.3)), 4, 4)
        ar, ag, ab = 0.05 + 0.3 * pick, 0.10 + 0.10 * (1 - pick), 0.16 + 0.10 * (1 - pick)
        if h > 0.46 or abs(x) > 100:
            ar, ag, ab = 0.36 * grain, 0.24 * grain, 0.13 * grain
        wet = 0.08
    elif things(x, y, z) < 0.012:
        slat = 0.6 + 0.5 * noise(x * 3.0, y * 26.0, z * 3.0)
        ar, ag, ab = 0.27 * slat, 0.19 * slat, 0.11 * slat
        if x < 0:
            ar, ag, ab, wet = 0.06, 0.06, 0.065, 0.15
    else:
        stone = 0.55 + 0.8 * fbm(x * 3.5, y * 3.5, z * 3.5, 5)
        shade = 0.75 + 0.5 * hash01(int(np.floor(x / 0.30)), int(np.floor(z / 0.22)), 8)
        ar, ag, ab = 0.115 * stone * shade, 0.108 * stone * shade, 0.102 * stone * shade
        if ny > 0.6:
            pool = smooth(0.44, 0.60, fbm(x * 0.45 + 2.0, z * 0.28, 0.0, 4))
            wet = 0.25 + 0.75 * pool
            ar, ag, ab = ar * (1 - 0.45 * wet), ag * (1 - 0.45 * wet), ab * (1 - 0.45 * wet)
            flat = 1 - 0.93 * pool
            ripple = 0.010 * pool
            nx = nx * flat * 0.8 + ripple * (noise(x * 9.0, z * 9.0, 1.0) - 0.5)
            nz = nz * flat * 0.8 + ripple * (noise(x * 9.0, z * 9.0, 5.0) - 0.5)
            n = 1.0 / np.sqrt(nx * nx + ny * ny + nz * nz)
            nx, ny, nz = nx * n, ny * n, nz * n
    light = lamp_light(x, y, z, nx, ny, nz, seed)
    open_ = openness(x, y, z, nx, ny, nz, 0.8)
    ambient = open_ * (0.6 + 0.4 * ny)
    spill = open_ * 0.035 * max(0.2, 1.0 - y / 8.0)
    r = ar * (LAMP_RED * light + 0.075 * ambient + 1.3 * spill) + 1.15 * glow
    g = ag * (LAMP_GREEN * light + 0.095 * ambient + 0.75 * spill) + 0.66 * glow
    b = ab * (LAMP_BLUE * light + 0.165 * ambient + 0.30 * spill) + 0.24 * glow
    return r, g, b, nx, ny, nz, wet


@njit(fastmath=True)
def hazed(r: float, g: float, b: float, t: float) -> tuple[float, float, float]:
    haze = 1 - np.exp(-t * 0.006)
    return mix(r, 0.075, haze), mix(g, 0.082, haze), mix(b, 0.125, haze)


@njit(fastmath=True)
def look(
    ox: float, oy: float, oz: float, dx: float, dy: float, dz: float, steps: int, seed: int
) -> tuple[float, float, float, float, float, float, float, float]:
    """What a ray sees without reflection: radiance, distance (-1: nothing), normal and wetness."""
    far = 90.0
    water = (WATER - oy) / dy if dy < -1e-6 and oy > WATER else 1e9
    t = march(ox, oy, oz, dx, dy, dz, 0.05, far, steps)
    if t > far or water < t:
        if water < 400.0 and ox + dx * water < QUAY_EDGE + 0.2:
            x, z = ox + dx * water, oz + dz * water
            e = 0.01 + 0.002 * water
            h = fbm(x * 1.1, z * 0.7, 0.0, 4)
            nx = -(fbm((x + e) * 1.1, z * 0.7, 0.0, 4) - h) / e * 0.10
            nz = -(fbm(x * 1.1, (z + e) * 0.7, 0.0, 4) - h) / e * 0.10
            n = 1.0 / np.sqrt(nx * nx + 1.0 + nz * nz)
            return 0.006, 0.010, 0.014, water, nx * n, n, nz * n, 2.0
        r, g, b = sky(dx, dy, dz)
        return r, g, b, -1.0, 0.0, 1.0, 0.0, 0.0
    x, y, z = ox + dx * t, oy + dy * t, oz + dz * t
    r, g, b, nx, ny, nz, wet = surface(x, y, z, t, dx, dy, dz, seed)
    return r, g, b, t, nx, ny, nz, wet


@njit(fastmath=True)
def radiance(ox: float, oy: float, oz: float, dx: float, dy: float, dz: float, seed: int) -> tuple[float, float, float]:
    r, g, b, t, nx, ny, nz, wet = look(ox, oy, oz, dx, dy, dz, 200, seed)
    if t < 0:
        return r, g, b
    if wet > 0.03:
        x, y, z = ox + dx * t, oy + dy * t, oz + dz * t
        if wet < 1.5:
            rough = 0.05 * (1.1 - min(wet, 1.0))
            nx += rough * (hash01(seed, 1, 7) - 0.5)
            nz += rough * (hash01(seed, 2, 7) - 0.5)
        facing = dx * nx + dy * ny + dz * nz
        rx, ry, rz = dx - 2 * facing * nx, dy - 2 * facing * ny, dz - 2 * facing * nz
        if ry < 0.002 and ny > 0.5:
            ry = 0.002
        fresnel = 0.03 + 0.97 * (1 - min(abs(facing), 1.0)) ** 5
        share = min(wet, 1.0) * fresnel
        lift = 0.012 + 0.001 * t
        br, bg, bb, bt, _, _, _, _ = look(x + nx * lift, y + ny * lift, z + nz * lift, rx, ry, rz, 110, seed + 31)
        if bt > 0:
            br, bg, bb = hazed(br, bg, bb, bt)
        r, g, b = r + share * br, g + share * bg, b + share * bb
    return hazed(r, g, b, t)


@njit(fastmath=True)
def beside(ox: float, oy: float, oz: float, dx: float, dy: float, dz: float, seed: int) -> tuple[float, float, float]:
    """Whether the ray meets the subject, the houses (1 or 0), how far away it ends, and whether in the sky."""
    t = march(ox, oy, oz, dx, dy, dz, 0.05, 90.0, 200)
    if t > 90.0:
        return 0.0, 90.0, 1.0 if dy > 0 and not on_far_shore(dx, dy, dz) else 0.0
    x, y, z = ox + dx * t, oy + dy * t, oz + dz * t
    return (1.0 if houses(x, y, z) < 0.02 and y > 0.02 else 0.0), t, 0.0
