"""Light in fog by the scenes' own geometry, to hold the lights' shortcuts against: python -m demo.fog [SCENE ...].

Single scattering in a homogeneous fog: along every ray of the camera light comes in from the source wherever the scene's
signed distance field does not stand between, weakened on its way, scattered by Henyey and Greenstein's phase function
(1941). Written once into demo/beside as 16-bit grey, in share of its brightest pixel.
"""

from __future__ import annotations

import argparse
import importlib
import time
from typing import NamedTuple

import cv2
import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from demo.marching import Camera, hash01
from demo.render import BESIDE

SIZE = (300, 200)
SHARP = 300.0  # how hard shadows are: a source half a degree wide
FORWARD = 0.75  # g of the phase function


class Fog(NamedTuple):
    """How much a metre scatters, how far a ray goes, and the source: a direction (`near` false) or a place. `opening`, where
    there is one, is all that lets its light in: left, right, bottom and top of it, and how far ahead it is."""

    density: float
    far: float
    near: bool
    source: tuple[float, float, float]
    opening: tuple[float, float, float, float, float] = (-1e9, 1e9, -1e9, 1e9, 1e9)
    steps: int = 48  # along a ray of the camera; more where the light fills little of it


# The sun of the headland, the nearest lamp of the harbour, and the sun through the hatch of the boatshed. (All that comes
# through the gaps between its planks beside that is many beams, which no one light stands for.)
FOGS = {
    "headland": Fog(0.010, 240.0, False, (0.063, 0.118, 1.0)),
    "harbour": Fog(0.05, 60.0, True, (-2.6, 3.9, 5.0)),
    "boatshed": Fog(0.05, 26.0, False, (0.46, 0.52, 0.80), (0.9, 2.5, 1.9, 3.35, 10.5), 400),
}


def scattered(name: str, size: tuple[int, int] = SIZE) -> NDArray[np.float32]:
    """Light that fog scatters toward the camera, (h, w), relative."""
    scene = importlib.import_module(f"demo.scenes.{name}")
    march, shadow, fog = scene.march, scene.shadow, FOGS[name]
    camera: Camera = scene.CAMERA
    position = np.array(camera.position)
    forward = np.array(camera.aim) - position
    forward /= np.linalg.norm(forward)
    right = np.cross([0.0, 1.0, 0.0], forward)
    right /= np.linalg.norm(right)
    up = np.cross(forward, right)
    half = float(np.tan(np.deg2rad(camera.view) / 2))
    source = np.array(fog.source)
    if not fog.near:
        source = source / np.linalg.norm(source)
    density, far, near, steps = fog.density, fog.far, fog.near, fog.steps
    left, right_end, bottom, top, ahead = fog.opening
    g = FORWARD

    @njit(parallel=True, fastmath=True)
    def film(out: NDArray[np.float32]) -> None:
        rows, columns = out.shape
        for y in prange(rows):
            for x in range(columns):
                u = ((x + 0.5) / columns * 2 - 1) * half
                v = (1 - (y + 0.5) / rows * 2) * half * rows / columns
                dx = forward[0] + u * right[0] + v * up[0]
                dy = forward[1] + u * right[1] + v * up[1]
                dz = forward[2] + u * right[2] + v * up[2]
                n = 1.0 / np.sqrt(dx * dx + dy * dy + dz * dz)
                dx, dy, dz = dx * n, dy * n, dz * n
                end = min(march(position[0], position[1], position[2], dx, dy, dz, 0.05, far, 240), far)
                step = end / steps
                total = 0.0
                for k in range(steps):
                    t = (k + hash01(x, y, k)) * step
                    px, py, pz = position[0] + dx * t, position[1] + dy * t, position[2] + dz * t
                    lx, ly, lz = source[0], source[1], source[2]
                    reach, strength = far, 1.0
                    if near:
                        lx, ly, lz = lx - px, ly - py, lz - pz
                        reach = np.sqrt(lx * lx + ly * ly + lz * lz)
                        lx, ly, lz = lx / reach, ly / reach, lz / reach
                        strength = np.exp(-density * reach) / (reach * reach + 0.04)
                        reach -= 0.45  # its own globe
                    if ahead < far:
                        out_there = (ahead - pz) / lz
                        hx, hy = px + lx * out_there, py + ly * out_there
                        if out_there <= 0.0 or hx < left or hx > right_end or hy < bottom or hy > top:
                            continue
                    if reach > 0.05:
                        strength *= shadow(px, py, pz, lx, ly, lz, reach, SHARP, 200)
                        if strength <= 0.0:
                            continue
                    cosine = dx * lx + dy * ly + dz * lz
                    phase = (1 - g * g) / (1 + g * g - 2 * g * cosine) ** 1.5
                    total += strength * phase * density * step * np.exp(-density * t)
                out[y, x] = total

    out = np.zeros((size[1], size[0]), np.float32)
    film(out)
    return out


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("scenes", nargs="*", default=sorted(FOGS))
    for name in parser.parse_args().scenes:
        begun = time.time()
        light = scattered(name)
        cv2.imwrite(str(BESIDE / f"{name}-fog.png"), np.round(light / light.max() * 65535).astype(np.uint16))
        print(f"{name}: {time.time() - begun:.0f} s")


if __name__ == "__main__":
    main()
