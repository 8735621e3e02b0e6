"""Headland at dawn: the Merrow Point lighthouse and gorse against a low sun behind broken cloud."""

from __future__ import annotations

import numpy as np
from numba import njit

from demo.marching import Camera, box, ellipsoid, fbm, hash01, make_march, mix, noise, rod, smooth, upright_cone

CAMERA = Camera((0.0, 17.0, -6.0), (4.6, 18.4, 60.0), 50.0, 0.012, 30.0)
EXPOSURE, GRAIN, SAMPLES, SEED = 0.86, 0.022, 6, 11

SUN = np.array([0.063, 0.118, 1.0])  # half hidden by the tower
SUN /= np.linalg.norm(SUN)
SX, SY, SZ = float(SUN[0]), float(SUN[1]), float(SUN[2])
TOWER_X, TOWER_Z, TOWER_Y = 3.5, 74.0, 17.2


@njit(fastmath=True)
def ground(x: float, z: float) -> float:
    edge = 9.0 - 0.10 * z + 25.0 * np.exp(-(((z - 80.0) / 26.0) ** 2)) + 3.0 * (noise(z * 0.13, 0.3, 0.0) - 0.5)
    edge -= 0.02 * max(z - 100.0, 0.0) ** 2
    top = 13.2 + 3.0 * (fbm(x * 0.045, z * 0.045, 0.0, 3) - 0.5) + 3.4 * np.exp(-((x - TOWER_X) ** 2 + (z - TOWER_Z) ** 2) / 900.0)
    top += 0.9 * np.exp(-(((z + 1.0) / 7.0) ** 2))
    rock = 1.6 * (fbm(x * 0.35, z * 0.35, 0.0, 4) - 0.5)
    fall = smooth(-0.25, 1.0, (edge - x) / 7.0 + 0.22 * rock)
    path = np.exp(-(((x - 1.2 - 2.2 * np.sin(z * 0.07)) / 0.9) ** 2))
    fine = 0.16 * (fbm(x * 1.9, z * 1.9, 0.0, 3) - 0.5) * (1 - 0.8 * path)
    return mix(-5.0 + 1.2 * rock, top - 0.15 * path, fall) + fine + rock * 0.55 * fall * (1 - fall) * 4


@njit(fastmath=True)
def gorse(x: float, y: float, z: float) -> float:
    """Bushes in a jittered grid, on either side of the path, thinning out with distance."""
    if z > 62.0 or z < -5.0:
        return max(z - 62.0, -5.0 - z) + 0.5
    cell = 2.4
    cx, cz = np.floor(x / cell), np.floor(z / cell)
    best = 1.2
    for i in range(2):
        for j in range(2):
            gx = cx + (i if x / cell - cx > 0.5 else -i)
            gz = cz + (j if z / cell - cz > 0.5 else -j)
            chance = hash01(int(gx), int(gz), 5)
            bx = (gx + 0.5 + 0.5 * (hash01(int(gx), int(gz), 1) - 0.5)) * cell
            bz = (gz + 0.5 + 0.5 * (hash01(int(gx), int(gz), 2) - 0.5)) * cell
            away = abs(bx - 1.2 - 2.2 * np.sin(bz * 0.07))
            if chance > 0.72 or away < 1.7 or bx > 7.5 - 0.10 * bz:
                continue
            size = 0.55 + 0.75 * hash01(int(gx), int(gz), 3)
            d = ellipsoid(x - bx, y - ground(bx, bz) - 0.25 * size, z - bz, 1.15 * size, 0.85 * size, 1.15 * size)
            best = min(best, d)
    if best < 0.5:
        best += 0.34 * (fbm(x * 3.1, y * 3.1, z * 3.1, 3) - 0.55)
        best += 0.13 * (noise(x * 17.0, y * 17.0, z * 17.0) - 0.5)
    return best


@njit(fastmath=True)
def tower(x: float, y: float, z: float) -> float:
    x, y, z = x - TOWER_X, y - TOWER_Y, z - TOWER_Z
    d = upright_cone(x, y - 6.5, z, 6.5, 2.3, 1.55)
    d = min(d, upright_cone(x, y - 13.2, z, 0.22, 2.25, 2.25))
    lantern = upright_cone(x, y - 14.6, z, 1.25, 1.15, 1.15)
    panes = abs(((np.arctan2(z, x) / (2 * np.pi) * 10) % 1.0) - 0.5)
    d = min(d, lantern + (0.1 if panes < 0.42 and 13.7 < y < 15.6 else 0.0))
    d = min(d, ellipsoid(x, y - 15.85, z, 1.45, 0.95, 1.45))
    d = min(d, rod(x, y, z, 0.0, 16.6, 0.0, 0.0, 18.2, 0.0, 0.05))
    if 13.3 < y < 14.6:
        ring = np.sqrt(x * x + z * z) - 2.15
        d = min(d, np.sqrt(ring * ring + (y - 14.35) ** 2) - 0.035)
        post = ((np.arctan2(z, x) / (2 * np.pi) * 22) % 1.0 - 0.5) * 2 * np.pi * 2.15 / 22
        d = min(d, max(np.sqrt(ring * ring + post * post) - 0.03, abs(y - 13.8) - 0.55))
    house = box(x - 6.2, y - 1.4, z - 1.0, 3.0, 1.6, 2.1)
    roof = max(abs(z - 1.0) * 0.78 + (y - 4.5) * 0.63, abs(x - 6.2) - 3.2, 2.8 - y)
    d = min(d, min(house, roof))
    d = min(d, box(x - 8.2, y - 4.6, z - 1.0, 0.35, 0.9, 0.35))
    wall = box(x + 3.0, y + 0.1, z + 6.5, 9.5, 0.75, 0.25)
    return min(d, wall)


@njit(fastmath=True)
def distance(x: float, y: float, z: float) -> float:
    above = y - ground(x, z)
    if y < 13.0 and above < 2.0:
        # Strata and blocks of the cliff, in three dimensions so that they do not run straight down.
        rough = smooth(13.0, 10.5, y)
        above += rough * (2.2 * (fbm(x * 0.30, y * 0.75, z * 0.30, 4) - 0.5) + 0.5 * (noise(x * 0.2, y * 2.6, z * 0.2) - 0.5))
    d = 0.5 * above
    if above < 3.0:
        d = min(d, 0.62 * gorse(x, y, z))
    else:
        d = min(d, max(above - 2.0, 0.4))
    reach = np.sqrt((x - TOWER_X) ** 2 + (z - TOWER_Z) ** 2)
    return min(d, tower(x, y, z) if reach < 18.0 else reach - 15.0)


march, normal, shadow, openness = make_march(distance, 0.85)


@njit(fastmath=True)
def cloud(x: float, z: float) -> float:
    broad = fbm(x * 0.6 + 3.4, z * 1.25, 1.7, 6)
    return smooth(0.41, 0.63, broad + 0.10 * (noise(x * 0.2, z * 0.25, 9.0) - 0.5))


@njit(fastmath=True)
def sky(dx: float, dy: float, dz: float) -> tuple[float, float, float]:
    up = max(dy, 0.0)
    toward = max(dx * SX + dy * SY + dz * SZ, 0.0)
    low = np.exp(-up * 7.0)
    r = mix(0.15, 0.62, low) + 0.9 * toward**60 + 0.35 * toward**8 * low
    g = mix(0.24, 0.43, low) + 0.52 * toward**60 + 0.16 * toward**8 * low
    b = mix(0.42, 0.40, low) + 0.20 * toward**60 + 0.04 * toward**8 * low
    near = 1 - toward
    disc = 34.0 * smooth(0.000075, 0.00004, near) + 2.4 * np.exp(-near * 900.0)
    if up > 0.002:
        scale = 1.0 / (dy + 0.055)
        px, pz = dx * scale, dz * scale
        fade = smooth(0.002, 0.05, dy)
        thick = cloud(px, pz) * fade
        toward_sun = cloud(px + 0.10 * (SX - dx) * scale + 0.012 * scale, pz - 0.035 * scale) * fade
        lit = np.exp(-2.2 * toward_sun)
        rim = 2.6 * toward**14 * (1 - thick) * thick * 4
        body = 0.35 + 0.65 * lit
        cr = (0.20 + 0.30 * low) * body + (0.95 * lit * toward**5 + rim * 0.55) * 0.9
        cg = (0.205 + 0.15 * low) * body + (0.52 * lit * toward**5 + rim * 0.31) * 0.9
        cb = (0.27 + 0.10 * low) * body + (0.28 * lit * toward**5 + rim * 0.15) * 0.9
        cover = min(thick * 1.05, 0.97)
        r, g, b = mix(r, cr, cover), mix(g, cg, cover), mix(b, cb, cover)
        disc *= np.exp(-3.6 * thick)
    return r + disc, g + disc * 0.80, b + disc * 0.52


@njit(fastmath=True)
def hazed(r: float, g: float, b: float, t: float, dx: float, dy: float, dz: float) -> tuple[float, float, float]:
    toward = max(dx * SX + dy * SY + dz * SZ, 0.0)
    haze = 1 - np.exp(-t * 0.0015)
    hr, hg, hb = 0.52 + 0.75 * toward**10, 0.43 + 0.42 * toward**10, 0.44 + 0.17 * toward**10
    return mix(r, hr, haze), mix(g, hg, haze), mix(b, hb, haze)


@njit(fastmath=True)
def sea(ox: float, oy: float, oz: float, dx: float, dy: float, dz: float) -> tuple[float, float, float]:
    t = oy / max(-dy, 1e-5)
    x, z = ox + dx * t, oz + dz * t
    rough = 0.17 / (1 + t * 0.0009)
    e = 0.05 + t * 0.0006
    h = fbm(x * 0.22, z * 0.16, 0.0, 5)
    nx = -(fbm((x + e) * 0.22, z * 0.16, 0.0, 5) - h) / e * rough * 8
    nz = -(fbm(x * 0.22, (z + e) * 0.16, 0.0, 5) - h) / e * rough * 8
    n = 1 / np.sqrt(nx * nx + 1 + nz * nz)
    nx, ny, nz = nx * n, n, nz * n
    facing = dx * nx + dy * ny + dz * nz
    rx, ry, rz = dx - 2 * facing * nx, abs(dy - 2 * facing * ny), dz - 2 * facing * nz
    sr, sg, sb = sky(rx, max(ry, 0.004), rz)
    fresnel = 0.03 + 0.97 * (1 - min(abs(facing), 1.0)) ** 5
    fresnel = min(fresnel, 0.75)
    r, g, b = mix(0.016, min(sr, 8.0), fresnel), mix(0.034, min(sg, 8.0), fresnel), mix(0.044, min(sb, 8.0), fresnel)
    return hazed(r, g, b, min(t, 1500.0), dx, dy, dz)


@njit(fastmath=True)
def radiance(ox: float, oy: float, oz: float, dx: float, dy: float, dz: float, seed: int) -> tuple[float, float, float]:
    far = 240.0 if dy > -0.01 else min(240.0, (oy + 3.0) / -dy)
    t = march(ox, oy, oz, dx, dy, dz, 0.4, far, 240)
    water = oy / -dy if dy < 0 else 1e9
    if t > far or water < t:
        return sea(ox, oy, oz, dx, dy, dz) if dy < -0.0004 else sky(dx, dy, dz)
    x, y, z = ox + dx * t, oy + dy * t, oz + dz * t
    nx, ny, nz = normal(x, y, z, 0.0012 * t + 0.002)
    above = y - ground(x, z)
    ar, ag, ab, through = 0.06, 0.08, 0.03, 0.0
    built = tower(x, y, z) < 0.02
    if built:
        dirt = 0.75 + 0.4 * (fbm(x * 1.3, y * 0.5, z * 1.3, 4) - 0.3)
        ar, ag, ab = 0.62 * dirt, 0.60 * dirt, 0.56 * dirt
        h = y - TOWER_Y
        if (6.0 < h < 9.2 and abs(x - TOWER_X) < 2.4) or 12.9 < h < 16.9:
            ar, ag, ab = 0.33 * dirt, 0.055 * dirt, 0.045 * dirt
        if abs(x - TOWER_X - 6.2) < 3.4 and h > 2.9:
            ar, ag, ab = 0.10 * dirt, 0.10 * dirt, 0.115 * dirt
        if z < TOWER_Z - 5.0:
            ar, ag, ab = 0.25 * dirt, 0.23 * dirt, 0.20 * dirt
    elif gorse(x, y, z) < above * 0.9 and z < 62.0:
        speck = noise(x * 34.0, y * 34.0, z * 34.0)
        bloom = smooth(0.60, 0.78, noise(x * 9.0, y * 9.0, z * 9.0) * 0.6 + noise(x * 2.0, z * 2.0, 4.0) * 0.5)
        dark = 0.45 + 0.9 * speck
        ar, ag, ab = 0.055 * dark, 0.080 * dark, 0.025 * dark
        flower = bloom * smooth(0.42, 0.6, speck)
        ar, ag, ab = mix(ar, 0.62, flower), mix(ag, 0.42, flower), mix(ab, 0.03, flower)
        through = 0.5
    else:
        steep = smooth(0.75, 0.45, ny)
        path = np.exp(-(((x - 1.2 - 2.2 * np.sin(z * 0.07)) / 0.75) ** 2))
        tuft = fbm(x * 5.0, z * 5.0, y * 3.0, 4)
        blade = noise(x * 40.0, y * 14.0, z * 40.0)
        ar, ag, ab = 0.085 + 0.13 * tuft * blade, 0.095 + 0.10 * tuft * blade, 0.03 + 0.02 * blade
        stone = 0.5 + 0.8 * fbm(x * 2.0, y * 5.0, z * 2.0, 5)
        ar, ag, ab = (
            mix(ar, 0.23 * stone, max(steep, 0.8 * path)),
            mix(ag, 0.20 * stone, max(steep, 0.8 * path)),
            mix(ab, 0.16 * stone, max(steep, 0.8 * path)),
        )
        through = 0.25 * (1 - steep) * (1 - path)
    lambert = nx * SX + ny * SY + nz * SZ
    e = 0.02 + 0.0006 * t
    sun = shadow(x + nx * e, y + ny * e, z + nz * e, SX, SY, SZ, 60.0, 28.0, 60)
    open_ = openness(x, y, z, nx, ny, nz, 1.1)
    back = (dx * SX + dy * SY + dz * SZ) ** 4 if dx * SX + dy * SY + dz * SZ > 0 else 0.0
    direct = sun * (max(lambert, 0.0) + through * back * 0.9)
    ambient = open_ * (0.55 + 0.45 * ny)
    bounce = open_ * 0.16 * max(-nz, 0.0)
    r = ar * (2.9 * direct + 0.40 * ambient + bounce)
    g = ag * (1.85 * direct + 0.45 * ambient + bounce)
    b = ab * (0.95 * direct + 0.60 * ambient + bounce)
    return hazed(r, g, b, t, dx, dy, dz)


@njit(fastmath=True)
def beside(ox: float, oy: float, oz: float, dx: float, dy: float, dz: float, seed: int) -> tuple[float, float, float]:
    """Whether the ray meets the subject, the lighthouse and its cottage (1 or 0), how far away it ends, and whether in
    the sky."""
    t = march(ox, oy, oz, dx, dy, dz, 0.4, 240.0, 240)
    if t > 240.0:
        return 0.0, 240.0, 1.0 if dy >= -0.0004 else 0.0
    x, y, z = ox + dx * t, oy + dy * t, oz + dz * t
    built = tower(x, y, z) < 0.05 and z > TOWER_Z - 5.0
    return (1.0 if built else 0.0), t, 0.0
