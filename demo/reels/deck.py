"""The deck of a ferry off Merrow Point at dusk, with people on it. Lengths are metres, y is up, the deck lies at 0."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import njit, prange

from demo.marching import Floats, box, ellipsoid, fbm, hash01, make_march, mix, noise, rod, smooth, upright_cone

RATE, SIZE = 24, (960, 540)
SAMPLES, EXPOSURE, GRAIN = 8, 1.0, 0.012
SHUTTER = 0.3  # of the time from one frame to the next
SUN = (-9.0, 4.2)  # azimuth and height in degrees
ABOVE_MIDDLE = 0.035  # of what is seen at 1 m: how far the middle of the frame lies above the horizon
WALL_Z, RAIL_Z, SEA = 6.0, 5.5, -4.0
DOOR_LEFT, DOOR_RIGHT, DOOR_TOP = 1.75, 2.75, 2.1
FAR = 14.0
NOTHING, DECK, WALL, RAIL, DOOR, LAMP, SOMEBODY = 0, 1, 2, 3, 4, 5, 6  # from SOMEBODY on, each of the people


class Camera(NamedTuple):
    """Where it stands, how it is turned to the right and rolled, in radians, and degrees across."""

    x: float
    y: float
    z: float
    yaw: float
    roll: float
    across: float


class Walker(NamedTuple):
    """Somebody on deck: where, which way (1 to the right, -1 to the left), the phase of the step, metres and radians a second, how
    tall beside the first, and the colour of the coat."""

    x: float
    z: float
    way: float
    phase: float
    speed: float
    pace: float
    tall: float
    coat: float


DARK, OCHRE = 0.0, 1.0


@njit(fastmath=True)
def figure(x: float, y: float, z: float, phase: float) -> float:
    """Somebody in a long coat, walking to the right; `phase` is that of the step."""
    swing = 0.34 * np.sin(phase)
    bob = 0.025 * np.cos(2 * phase)
    y -= bob
    head = ellipsoid(x - 0.03, y - 1.64, z, 0.105, 0.135, 0.115)
    cap = ellipsoid(x - 0.05, y - 1.72, z, 0.135, 0.06, 0.125)
    neck = rod(x, y, z, 0.0, 1.40, 0.0, 0.02, 1.56, 0.0, 0.06)
    chest = ellipsoid(x, y - 1.22, z, 0.17, 0.30, 0.22)
    coat = upright_cone(x - 0.015, y - 0.82, z, 0.36, 0.24, 0.17)
    lift = max(np.sin(phase), 0.0) * 0.12
    other = max(-np.sin(phase), 0.0) * 0.12
    left = min(
        rod(x, y, z, 0.0, 0.86, -0.09, swing * 0.55, 0.48, -0.09, 0.085),
        rod(x, y, z, swing * 0.55, 0.48, -0.09, swing, 0.06 + lift, -0.09, 0.065),
    )
    right = min(
        rod(x, y, z, 0.0, 0.86, 0.09, -swing * 0.55, 0.48, 0.09, 0.085),
        rod(x, y, z, -swing * 0.55, 0.48, 0.09, -swing, 0.06 + other, 0.09, 0.065),
    )
    feet = min(
        ellipsoid(x - swing - 0.06, y - 0.05 - lift, z + 0.09, 0.14, 0.05, 0.055),
        ellipsoid(x + swing - 0.06, y - 0.05 - other, z - 0.09, 0.14, 0.05, 0.055),
    )
    near = min(
        rod(x, y, z, 0.0, 1.40, -0.25, -swing * 0.5, 1.10, -0.28, 0.06),
        rod(x, y, z, -swing * 0.5, 1.10, -0.28, -swing * 0.6 + 0.08, 0.84, -0.25, 0.05),
    )
    far = min(
        rod(x, y, z, 0.0, 1.40, 0.25, swing * 0.5, 1.10, 0.28, 0.06),
        rod(x, y, z, swing * 0.5, 1.10, 0.28, swing * 0.6 + 0.08, 0.84, 0.25, 0.05),
    )
    body = min(min(head, cap), min(neck, min(chest, coat)))
    return min(min(body, feet), min(min(left, right), min(near, far))) * 0.9


@njit(fastmath=True)
def rail(x: float, y: float, z: float) -> float:
    n = np.floor(x / 1.25 + 0.5)
    post = max(rod(x - n * 1.25, y, z - RAIL_Z, 0.0, 0.0, 0.0, 0.0, 1.1, 0.0, 0.03), x - 1.3)
    top = rod(x, y, z - RAIL_Z, -9.0, 1.12, 0.0, 1.2, 1.12, 0.0, 0.036)
    bars = min(
        rod(x, y, z - RAIL_Z, -9.0, 0.78, 0.0, 1.2, 0.78, 0.0, 0.014), rod(x, y, z - RAIL_Z, -9.0, 0.44, 0.0, 1.2, 0.44, 0.0, 0.014)
    )
    return min(post, min(top, bars))


@njit(fastmath=True)
def house(x: float, y: float, z: float) -> float:
    wall = box(x - 3.7, y - 1.6, z - WALL_Z - 1.0, 2.5, 1.75, 1.0)
    door = box(x - (DOOR_LEFT + DOOR_RIGHT) / 2, y - DOOR_TOP / 2, z - WALL_Z, (DOOR_RIGHT - DOOR_LEFT) / 2, DOOR_TOP / 2, 0.5)
    return max(wall, -door)


@njit(fastmath=True)
def lamp(x: float, y: float, z: float) -> float:
    return ellipsoid(x - 1.42, y - 2.35, z - WALL_Z + 0.1, 0.09, 0.12, 0.09)


@njit(fastmath=True)
def still(x: float, y: float, z: float) -> float:
    deck = max(y, z - 6.2)
    return min(min(deck, rail(x, y, z)), min(house(x, y, z), lamp(x, y, z)))


march, normal, shadow, openness = make_march(still, 0.9)


@njit(fastmath=True)
def sky(dx: float, dy: float, dz: float, sx: float, sy: float, sz: float) -> tuple[float, float, float]:
    up = max(dy, 0.0)
    low = np.exp(-up * 6.0)
    towards = max(dx * sx + dy * sy + dz * sz, 0.0)
    warm = towards**24
    r = mix(0.050, 0.26 + 0.75 * warm, low)
    g = mix(0.075, 0.17 + 0.36 * warm, low)
    b = mix(0.150, 0.17 + 0.10 * warm, low)
    scale = 1.0 / (up + 0.09)
    bank = smooth(0.50, 0.74, fbm(dx * scale * 0.6 + 2.0, dz * scale * 1.3, 1.7, 5)) * smooth(0.03, 0.16, up)
    r, g, b = mix(r, 0.13 + 0.30 * warm, 0.75 * bank), mix(g, 0.10 + 0.12 * warm, 0.75 * bank), mix(b, 0.14, 0.75 * bank)
    glow = max(towards - 0.99, 0.0) / 0.01
    halo = 1.6 * glow**6
    r, g, b = r + halo, g + 0.55 * halo, b + 0.20 * halo
    if towards > 0.99990:
        r, g, b = 60.0, 30.0, 11.0
    if -0.002 < dy < 0.010 + 0.008 * fbm(np.arctan2(dx, dz) * 9.0, 0.4, 0.0, 4):
        a = np.arctan2(dx, dz)
        r, g, b = 0.055 + 0.25 * warm, 0.050 + 0.10 * warm, 0.075
        n = int(np.floor(a * 60.0))
        spot = (a * 60.0 - n - 0.5) ** 2 / 0.006 + (dy - 0.0045 - 0.002 * hash01(n, 5, 2)) ** 2 / 0.0000007
        if hash01(n, 3, 9) > 0.45 and a > -0.02:
            shine = 5.0 * np.exp(-spot)
            r, g, b = r + shine, g + 0.66 * shine, b + 0.28 * shine
    return r, g, b


@njit(fastmath=True)
def sea(
    px: float, pz: float, dx: float, dy: float, dz: float, t: float, seconds: float, sx: float, sy: float, sz: float
) -> tuple[float, float, float]:
    """What the water sends back to the eye from a point: the sky in its waves, and its own dark."""
    near = 1.0 / (1.0 + t * 0.012)
    wx = (noise(px * 0.9 + seconds * 0.8, pz * 0.5, seconds * 0.9) - 0.5) * 0.9 + (
        noise(px * 2.7, pz * 1.7 + seconds, seconds * 1.6 + 9) - 0.5
    ) * 0.5
    wz = (noise(px * 0.7 + 31.0, pz * 0.45 - seconds * 0.6, seconds * 0.9) - 0.5) * 0.9 + (
        noise(px * 2.4 + 7.0, pz * 1.5, seconds * 1.6) - 0.5
    ) * 0.5
    nx, nz = 0.22 * wx * near, 0.30 * wz * near
    n = 1.0 / np.sqrt(nx * nx + 1.0 + nz * nz)
    nx, ny, nz = nx * n, n, nz * n
    facing = max(-(dx * nx + dy * ny + dz * nz), 0.02)
    rx, ry, rz = dx + 2 * facing * nx, dy + 2 * facing * ny, dz + 2 * facing * nz
    r, g, b = sky(rx, abs(ry), rz, sx, sy, sz)
    back = 0.03 + 0.97 * (1.0 - facing) ** 5
    return mix(0.012, min(r, 26.0), back), mix(0.020, min(g, 14.0), back), mix(0.030, min(b, 6.0), back)


@njit(fastmath=True)
def somebody(x: float, y: float, z: float, one: Floats, late: float) -> float:
    """How far one of the people is, so many seconds after the middle of the frame; `one` is a Walker."""
    tall = one[6]
    across = x - one[0] - one[4] * late
    # Far from the upright cylinder that holds somebody, the way to that is enough.
    outside = max(np.sqrt(across * across + (z - one[1]) ** 2) - 0.75 * tall, y - 1.9 * tall)
    if outside > 0.2:
        return outside
    return figure(one[2] * across / tall, y / tall, one[2] * (z - one[1]) / tall, one[3] + one[5] * late) * tall


@njit(fastmath=True)
def whole(x: float, y: float, z: float, people: Floats, late: float) -> float:
    result = still(x, y, z)
    for one in people:
        result = min(result, somebody(x, y, z, one, late))
    return result


@njit(fastmath=True)
def what_is(x: float, y: float, z: float, people: Floats, late: float) -> int:
    for n in range(people.shape[0]):
        if somebody(x, y, z, people[n], late) < 0.004:
            return SOMEBODY + n
    if lamp(x, y, z) < 0.004:
        return LAMP
    if rail(x, y, z) < 0.004:
        return RAIL
    if DOOR_LEFT < x < DOOR_RIGHT and 0.01 < y < DOOR_TOP and z > WALL_Z + 0.02:
        return DOOR
    return WALL if house(x, y, z) < 0.006 else DECK


@njit(fastmath=True)
def radiance(
    ox: float, oy: float, oz: float, dx: float, dy: float, dz: float, people: Floats, late: float, seconds: float, sun: Floats
) -> tuple[float, float, float, int, float]:
    """Red, green and blue, what is seen, and how far it is."""
    sx, sy, sz = sun[0], sun[1], sun[2]
    t = 0.6
    hit = False
    for _ in range(150):
        d = whole(ox + dx * t, oy + dy * t, oz + dz * t, people, late)
        if d < 0.0012:
            hit = True
            break
        t += d * 0.9
        if t > FAR:
            break
    if not hit:
        if dy < -0.0005:
            t = (SEA - oy) / dy
            r, g, b = sea(ox + dx * t, oz + dz * t, dx, dy, dz, t, seconds, sx, sy, sz)
            haze = 1.0 - np.exp(-t * 0.0006)
            hr, hg, hb = sky(dx, 0.012, dz, sx, sy, sz)
            return mix(r, min(hr, 1.2), haze), mix(g, min(hg, 0.7), haze), mix(b, min(hb, 0.5), haze), NOTHING, t
        r, g, b = sky(dx, dy, dz, sx, sy, sz)
        return r, g, b, NOTHING, 1e4
    x, y, z = ox + dx * t, oy + dy * t, oz + dz * t
    what = what_is(x, y, z, people, late)
    if what == LAMP:
        return 5.5, 3.9, 2.2, what, t
    if what == DOOR:
        inside = 0.40 + 0.45 * smooth(0.2, 1.9, y) + 0.12 * noise(x * 6.0, y * 0.7, 1.0)
        inside *= 0.55 if abs(x - 2.05) < 0.02 or abs(y - 1.15) < 0.015 else 1.0
        # A bench along the back wall, and what hangs over it.
        inside *= 0.35 if y < 0.52 or (2.3 < x < 2.52 and 0.95 < y < 1.6) else 1.0
        return 1.35 * inside, 0.72 * inside, 0.29 * inside, what, t
    e = 0.002
    a = whole(x + e, y - e, z - e, people, late)
    b_ = whole(x - e, y - e, z + e, people, late)
    c = whole(x - e, y + e, z - e, people, late)
    d = whole(x + e, y + e, z + e, people, late)
    nx, ny, nz = a - b_ - c + d, -a - b_ + c + d, -a + b_ - c + d
    n = 1.0 / max(np.sqrt(nx * nx + ny * ny + nz * nz), 1e-9)
    nx, ny, nz = nx * n, ny * n, nz * n
    red, green, blue = 0.20, 0.19, 0.18
    if what == DECK:
        plank = 0.75 + 0.35 * hash01(int(np.floor(z / 0.14)), 3, 1) + 0.25 * (fbm(x * 3.0, z * 26.0, 0.0, 3) - 0.5)
        seam = 0.35 if (z / 0.14) % 1.0 < 0.06 else 1.0
        red, green, blue = 0.26 * plank * seam, 0.19 * plank * seam, 0.14 * plank * seam
    elif what == WALL:
        panel = 0.85 if abs((x / 0.95) % 1.0 - 0.5) > 0.485 else 1.0
        red, green, blue = 0.50 * panel, 0.50 * panel, 0.49 * panel
        if y < 0.7:
            red, green, blue = 0.10 * panel, 0.17 * panel, 0.24 * panel
    elif what == RAIL:
        red, green, blue = 0.45, 0.44, 0.42
    elif what >= SOMEBODY:
        one = people[what - SOMEBODY]
        high = y / one[6]
        if high > 1.56:
            red, green, blue = 0.16, 0.10, 0.08
            if high > 1.68:
                red, green, blue = 0.06, 0.07, 0.10
        elif high > 0.48:
            red, green, blue = (0.055, 0.060, 0.085) if one[7] == DARK else (0.30, 0.19, 0.06)
        else:
            red, green, blue = 0.045, 0.04, 0.04
    lit = max(nx * sx + ny * sy + nz * sz, 0.0)
    if lit > 0.0:
        lit *= shadow(x + nx * 0.01, y + ny * 0.01, z + nz * 0.01, sx, sy, sz, 4.0, 40.0, 40)
    above = 0.5 + 0.5 * ny
    r = red * (1.5 * lit + 0.10 * above + 0.05)
    g = green * (0.75 * lit + 0.12 * above + 0.05)
    b = blue * (0.30 * lit + 0.20 * above + 0.06)
    # From the doorway: an upright patch of light, taken as one point before it, and as what grazes past.
    lx, ly, lz = 2.25 - x, 1.2 - y, WALL_Z - 0.15 - z
    far = np.sqrt(lx * lx + ly * ly + lz * lz)
    towards = max((nx * lx + ny * ly + nz * lz) / max(far, 1e-6), 0.0) * max(lz / max(far, 1e-6) + 0.15, 0.0)
    warm = 2.4 * towards / (0.4 + far * far)
    r, g, b = r + red * 2.1 * warm, g + green * 1.28 * warm, b + blue * 0.6 * warm
    return r, g, b, what, t


@njit(parallel=True, fastmath=True)
def film(out: Floats, mattes: Floats, depth: Floats, camera: Camera, people: Floats, seconds: float, sun: Floats) -> None:
    """One frame: its light (h, w, 3), the share of each of the people in each pixel (h, w, n), and one over the distance (h, w)."""
    rows, columns, _ = out.shape
    half = np.tan(np.deg2rad(camera.across) / 2)
    yaw, roll = camera.yaw, camera.roll
    for y in prange(rows):
        for x in range(columns):
            red = green = blue = far = 0.0
            for n in range(people.shape[0]):
                mattes[y, x, n] = 0.0
            for s in range(SAMPLES):
                jx = (s + hash01(x, y, s)) / SAMPLES
                jy = (((s * 5 + 2) % SAMPLES) + hash01(x, y, s + 97)) / SAMPLES
                u = ((x + jx) / columns * 2 - 1) * half
                v = (1 - (y + jy) / rows * 2) * half * rows / columns + ABOVE_MIDDLE
                u, v = u * np.cos(roll) - v * np.sin(roll), u * np.sin(roll) + v * np.cos(roll)
                n = 1.0 / np.sqrt(u * u + v * v + 1.0)
                dx, dy, dz = u * n, v * n, n
                dx, dz = dx * np.cos(yaw) + dz * np.sin(yaw), dz * np.cos(yaw) - dx * np.sin(yaw)
                # People move while the shutter is open.
                late = ((s + hash01(x, y, s + 511)) / SAMPLES - 0.5) * SHUTTER / RATE
                r, g, b, what, t = radiance(camera.x, camera.y, camera.z, dx, dy, dz, people, late, seconds, sun)
                red, green, blue = red + min(r, 40.0), green + min(g, 40.0), blue + min(b, 40.0)
                if what >= SOMEBODY:
                    mattes[y, x, what - SOMEBODY] += 1.0 / SAMPLES
                far += 1.0 / min(t, 1e4)
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = red / SAMPLES, green / SAMPLES, blue / SAMPLES
            depth[y, x] = far / SAMPLES


def sun_direction() -> Floats:
    across, up = np.deg2rad(SUN)
    return np.array([np.sin(across) * np.cos(up), np.sin(up), np.cos(across) * np.cos(up)], np.float32)


def place_of(camera: Camera, direction: Floats) -> tuple[float, float]:
    """Where what lies in a direction, infinitely far, is on the plate, in its fractions."""
    x, y, z = (float(part) for part in direction)
    yaw, roll = camera.yaw, camera.roll
    x, z = x * np.cos(yaw) - z * np.sin(yaw), z * np.cos(yaw) + x * np.sin(yaw)
    u, v = x / z, y / z
    u, v = u * np.cos(roll) + v * np.sin(roll), v * np.cos(roll) - u * np.sin(roll)
    half = np.tan(np.deg2rad(camera.across) / 2)
    return float((u / half + 1) / 2), float((1 - (v - ABOVE_MIDDLE) / (half * SIZE[1] / SIZE[0])) / 2)
