"""Renders the made-up plates: python -m demo.render [SCENE ...] [--size 2400x1600] [--samples N] [--to DIR]."""

from __future__ import annotations

import argparse
import importlib
import pkgutil
import time
from pathlib import Path

from PIL import Image

from demo import scenes
from demo.marching import develop, expose

SCENES = sorted(m.name for m in pkgutil.iter_modules(scenes.__path__))
PLATES = Path(__file__).parent / "plates"


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("scenes", nargs="*", default=SCENES, help=f"of {', '.join(SCENES)}")
    parser.add_argument("--size", default="2400x1600")
    parser.add_argument("--samples", type=int, help="rays a pixel; the scene's own number where left out")
    parser.add_argument("--to", type=Path, default=PLATES)
    options = parser.parse_args()
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


if __name__ == "__main__":
    main()
