"""Brass lens: a close view of the lighthouse lens, its rings of prisms and its brass frame."""

from __future__ import annotations

import numpy as np
from numba import njit

from demo.marching import Camera, box, fbm, hash01, make_march, mix, noise, rod, smooth

CAMERA = Camera((-0.46, 0.30, -1.42), (0.06, 0.10, 0.0), 60.0, 0.012, 1.45)
EXPOSURE, GRAIN, SAMPLES, SEED = 1.2, 0.026, 10, 51

EYE, RING, RINGS = 0.150, 0.0575, 8  # radius of the bull's eye, width and number of the rings
RIM = EYE + RING * RINGS
BAND_HIGH, BAND_STEP, BANDS = 0.80, 0.083, 7
LAMP_X, LAMP_Y, LAMP_Z, LAMP_R = 0.06, -0.02, 0.50, 0.11
GLASS_INDEX = 1.52
KX, KY, KZ = -0.55, 0.62, -0.56  # the window that the brass sees


@njit(fastmath=True)
def relief(r: float) -> float:
    """How far the glass stands out toward the eye at a radius: a cap, then prisms with a steep step each."""
    if r < EYE:
        return 0.030 + 0.045 * np.sqrt(max(1.0 - (r / EYE) ** 2, 0.0))
    u = (r - EYE) / RING
    n = np.floor(u)
    u -= n
    rise = smooth(0.0, 0.10, u)
    return 0.010 + rise * (0.050 * (1.0 - u) ** 0.85 + 0.004 * n / RINGS)


@njit(fastmath=True)
def glass(x: float, y: float, z: float) -> float:
    r = np.sqrt(x * x + y * y)
    d = max((-relief(r) - z) * 0.42, max(r - RIM, z - 0.05))
    if y > BAND_HIGH - 0.1:  # the upper prisms, bent round the lamp
        far = np.sqrt(x * x + (z - 0.85) ** 2)
        for k in range(BANDS):
            up = y - BAND_HIGH - BAND_STEP * k
            a = far - 0.88
            tri = max(abs(up) * 0.80 + a * 0.60, -a * 0.9) - 0.026
            d = min(d, tri * 0.8)
    return d


@njit(fastmath=True)
def brass(x: float, y: float, z: float) -> float:
    r = np.sqrt(x * x + y * y)
    outer = max(abs(r - RIM - 0.034), abs(z + 0.012) * 0.8) - 0.030
    lip = np.sqrt((r - RIM - 0.004) ** 2 + (z + 0.046) ** 2) - 0.008
    eye = max(abs(r - EYE) - 0.0045, abs(z + 0.045) - 0.022)
    d = min(min(outer, lip), eye)
    turn = np.arctan2(y, x)
    step = 2 * np.pi / 24
    a = (turn / step - np.floor(turn / step) - 0.5) * step
    px, py = r * np.cos(a) - RIM - 0.036, r * np.sin(a)
    d = min(d, np.sqrt(px * px + py * py + (z + 0.043) ** 2 * 2.2) - 0.0125)
    # Spokes that part the lens, and the posts and bars that carry it.
    for k in range(4):
        c, s = np.cos(0.7854 * k + 0.3927), np.sin(0.7854 * k + 0.3927)
        along, across = x * c + y * s, y * c - x * s
        d = min(d, max(max(abs(across) - 0.0055, abs(z + 0.060) - 0.010), max(abs(along) - RIM, EYE - abs(along))))
    d = min(d, box(abs(x) - 0.745, y - 0.2, z + 0.02, 0.030, 1.5, 0.045) - 0.004)
    d = min(d, box(x, y - 0.715, z + 0.02, 0.72, 0.022, 0.05) - 0.004)
    d = min(d, box(x, y + 0.700, z + 0.02, 0.72, 0.022, 0.05) - 0.004)
    for k in range(4):
        d = min(d, rod(abs(x), y, z, 0.745, -0.6 + 0.4 * k, -0.07, 0.745, -0.6 + 0.4 * k, -0.03, 0.013))
    return d


@njit(fastmath=True)
def distance(x: float, y: float, z: float) -> float:
    return min(glass(x, y, z), brass(x, y, z))


march, normal, shadow, openness = make_march(distance, 0.85)


@njit(fastmath=True)
def room(x: float, y: float, z: float, dx: float, dy: float, dz: float) -> tuple[float, float, float]:
    """What a ray sees that leaves: the lamp behind the lens, the panes of the lantern room, dusk outside."""
    bx, by, bz = x - LAMP_X, y - LAMP_Y, z - LAMP_Z
    b = bx * dx + by * dy + bz * dz
    disc = b * b - (bx * bx + by * by + bz * bz - LAMP_R * LAMP_R)
    if disc > 0 and b < 0:
        core = np.sqrt(disc) / LAMP_R
        # Not brighter than this, or one sample of a pixel would whiten it all and rims would be jagged.
        return 1.4 * core + 1.3, 1.2 * core + 1.05, 0.9 * core + 0.7
    near = np.sqrt(max(-disc + LAMP_R * LAMP_R, 0.0)) if b < 0 else 9.0
    glow = 0.55 / (1.0 + (near / 0.10) ** 2)
    up = smooth(-0.25, 0.6, dy)
    r, g, bl = mix(0.34, 0.10, up), mix(0.22, 0.145, up), mix(0.20, 0.27, up)
    cloud = fbm(dx * 3.0 + 4.0, dy * 9.0, dz * 3.0, 4)
    r, g, bl = r * (0.7 + 0.6 * cloud), g * (0.75 + 0.5 * cloud), bl * (0.8 + 0.4 * cloud)
    # Panes: dark bars between them, and the dark floor and roof of the room.
    turn = np.arctan2(dx, dz) / 0.42
    bar = smooth(0.035, 0.055, abs(turn - np.floor(turn) - 0.5))
    high = dy / 0.34
    bar *= smooth(0.02, 0.045, abs(high - np.floor(high) - 0.5))
    inside = smooth(-0.42, -0.30, dy) * smooth(0.92, 0.75, dy)
    lit = 0.06 + 0.94 * bar * inside
    if dz > 0.0:
        lit *= 0.55
    key = max(dx * KX + dy * KY + dz * KZ, 0.0)
    pane = smooth(0.80, 0.90, key)
    return r * lit + 1.9 * pane + glow, g * lit + 2.0 * pane + 0.62 * glow, bl * lit + 2.3 * pane + 0.26 * glow


@njit(fastmath=True)
def radiance(ox: float, oy: float, oz: float, dx: float, dy: float, dz: float, seed: int) -> tuple[float, float, float]:
    t = march(ox, oy, oz, dx, dy, dz, 0.2, 4.5, 260)
    if t > 4.5:
        return room(ox, oy, oz, dx, dy, dz)
    x, y, z = ox + dx * t, oy + dy * t, oz + dz * t
    is_glass = glass(x, y, z) < brass(x, y, z)
    nx, ny, nz = normal(x, y, z, 0.0005)
    facing = min(dx * nx + dy * ny + dz * nz, -1e-3)
    rx, ry, rz = dx - 2 * facing * nx, dy - 2 * facing * ny, dz - 2 * facing * nz
    if is_glass:
        f0 = ((GLASS_INDEX - 1) / (GLASS_INDEX + 1)) ** 2
        fresnel = f0 + (1 - f0) * (1 + facing) ** 5
        mr, mg, mb = room(x, y, z, rx, ry, rz)
        red = green = blue = 0.0
        # Each colour bends a little more than the last.
        for c in range(3):
            eta = 1 / (GLASS_INDEX + 0.012 * (c - 1))
            k = 1 - eta * eta * (1 - facing * facing)
            m = -eta * facing - np.sqrt(max(k, 0.0))
            gx, gy, gz = eta * dx + m * nx, eta * dy + m * ny, eta * dz + m * nz
            # The far face is flat: the ray bends again as it leaves.
            gx, gy = gx * GLASS_INDEX, gy * GLASS_INDEX
            flat = 1 - gx * gx - gy * gy
            if flat <= 0:  # total reflection: what the glass sees in front of it
                seen = room(x, y, z, gx, gy, -np.sqrt(max(gz * gz, 0.01)))
            else:
                seen = room(x, y, z, gx, gy, np.sqrt(flat))
            if c == 0:
                red = seen[0] * 0.90
            elif c == 1:
                green = seen[1] * 0.95
            else:
                blue = seen[2] * 0.91
        smear = 0.9 + 0.2 * fbm(x * 9.0, y * 9.0, 3.0, 4)
        closed = openness(x, y, z, nx, ny, nz, 0.05)
        r = mix(red, mr, fresnel) * smear * (0.5 + 0.5 * closed)
        g = mix(green, mg, fresnel) * smear * (0.5 + 0.5 * closed)
        b = mix(blue, mb, fresnel) * smear * (0.5 + 0.5 * closed)
    else:
        # Brushed brass: the mirror direction is thrown about along the grain.
        worn = smooth(0.46, 0.66, fbm(x * 7.0 + 3.0, y * 7.0, z * 7.0, 5))
        rough = mix(0.06, 0.24, worn) + 0.03 * noise(x * 160.0, y * 160.0, 2.0)
        sx, sy, sz = hash01(seed, 3, 1) - 0.5, hash01(seed, 3, 2) - 0.5, hash01(seed, 3, 3) - 0.5
        qx, qy, qz = rx + 2 * rough * sx, ry + 2 * rough * sy, rz + 2 * rough * sz
        n = 1 / np.sqrt(qx * qx + qy * qy + qz * qz)
        mr, mg, mb = room(x + nx * 0.02, y + ny * 0.02, z + nz * 0.02, qx * n, qy * n, qz * n)
        mr, mg, mb = min(mr, 6.0), min(mg, 6.0), min(mb, 6.0)
        lambert = max(nx * KX + ny * KY + nz * KZ, 0.0)
        if lambert > 0:
            lambert *= shadow(x + nx * 0.004, y + ny * 0.004, z + nz * 0.004, KX, KY, KZ, 1.2, 60.0, 40)
        open_ = openness(x, y, z, nx, ny, nz, 0.10)
        ar, ag, ab = mix(0.86, 0.50, worn), mix(0.60, 0.30, worn), mix(0.27, 0.12, worn)
        shade = open_ * open_
        r = ar * (1.15 * mr * shade + 0.55 * lambert + 0.06 * open_)
        g = ag * (1.15 * mg * shade + 0.55 * lambert + 0.06 * open_)
        b = ab * (1.15 * mb * shade + 0.58 * lambert + 0.07 * open_)
    return r, g, b


@njit(fastmath=True)
def beside(ox: float, oy: float, oz: float, dx: float, dy: float, dz: float, seed: int) -> tuple[float, float, float]:
    """Whether the ray meets the subject, the lens and its brass ring (1 or 0), and how far away it ends."""
    t = march(ox, oy, oz, dx, dy, dz, 0.2, 4.5, 260)
    if t > 4.5:
        return 0.0, 4.5, 0.0
    x, y = ox + dx * t, oy + dy * t
    return (1.0 if np.sqrt(x * x + y * y) < RIM + 0.066 else 0.0), t, 0.0
