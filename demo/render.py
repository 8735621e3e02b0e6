"""Renders the made-up plates: python -m demo.render [SCENE ...] [--size 2400x1600] [--samples N] [--to DIR].

With --beside it writes what is known of each picture in their place: true masks of its subject and of its
sky, its nearness at a small size, and its depth (white is near).
"""

from __future__ import annotations

import argparse
import importlib
import pkgutil
import time
from pathlib import Path

import numpy as np
from PIL import Image

from demo import scenes
from demo.marching import develop, expose

SCENES = sorted(m.name for m in pkgutil.iter_modules(scenes.__path__))
PLATES = Path(__file__).parent / "plates"
BESIDE = Path(__file__).parent / "beside"
DEPTHS = ("brasslens",)  # scenes whose depth is used
BESIDE_SIZE, BESIDE_SAMPLES = (1200, 800), 9
SMALL = (300, 200)  # size at which nearness is written


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("scenes", nargs="*", default=SCENES, help=f"of {', '.join(SCENES)}")
    parser.add_argument("--size", default="2400x1600")
    parser.add_argument("--samples", type=int, help="rays a pixel; the scene's own number where left out")
    parser.add_argument("--to", type=Path, default=PLATES)
    parser.add_argument("--beside", action="store_true", help="write masks and depths in place of plates")
    options = parser.parse_args()
    if options.beside:
        for name in options.scenes:
            _write_beside(name)
        return
    width, height = (int(v) for v in options.size.split("x"))
    for name in options.scenes:
        scene = importlib.import_module(f"demo.scenes.{name}")
        begun = time.time()
        light = expose(scene.radiance, scene.CAMERA, (width, height), options.samples or scene.SAMPLES)
        picture = develop(light, scene.EXPOSURE, scene.GRAIN, scene.SEED)
        options.to.mkdir(parents=True, exist_ok=True)
        path = options.to / f"{name}.jpg"
        Image.fromarray(picture).save(path, quality=91, subsampling=0)
        print(f"{path.name}: {path.stat().st_size / 1e6:.2f} MB, {time.time() - begun:.0f} s")


def _write_beside(name: str) -> None:
    """The subject's and the sky's share of every pixel as 8 bits, nearness (1 the nearest, 0 the sky) as 16 bits, and where it is
    used nearness between nearest and farthest."""
    scene = importlib.import_module(f"demo.scenes.{name}")
    one_ray = expose(scene.beside, scene.CAMERA, SMALL, 1, most=1e4)
    near = np.where(one_ray[:, :, 2] > 0.5, 0.0, 1 / one_ray[:, :, 1])
    BESIDE.mkdir(exist_ok=True)
    Image.fromarray(np.round(near / near.max() * 65535).astype(np.uint16)).save(BESIDE / f"{name}-nearness.png")
    known = expose(scene.beside, scene.CAMERA, BESIDE_SIZE, BESIDE_SAMPLES, most=1e4)
    for what, share in (("subject", known[:, :, 0]), ("sky", known[:, :, 2])):
        if share.any():
            Image.fromarray(np.round(share * 255).astype(np.uint8)).save(BESIDE / f"{name}-{what}.png")
    if name not in DEPTHS:
        return
    near = 1 / known[:, :, 1]
    near = (near - near.min()) / (near.max() - near.min())
    Image.fromarray(np.round(near * 65535).astype(np.uint16)).save(BESIDE / f"{name}-depth.png")


if __name__ == "__main__":
    main()
