"""What a new light of every kind does on photographs that nobody here made: python -m tests.first_settings, or
make first-settings.

The photographs are those of Debian's packages of backgrounds, fetched into a cache beside the project and never committed, those
that scikit-image ships, and the demo's own, at a long edge of 600 pixels. A light is *seen* where 98 of the 100 pixels that it
changes most change by 0.05 of the display's range; it *keeps whites* where it clips less than 2 % of the picture anew, and *keeps
blacks* where half of the picture's darkest sixth rise by less than 0.03.
"""

from __future__ import annotations

import os
import subprocess
import sys
from collections import Counter
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np
import skimage
from numpy.typing import NDArray

from aurelon.core import Rig, open_plate, render
from aurelon.core.graph.cache import Cache
from aurelon.core.graph.new_light import DARKS, new_light
from aurelon.core.imaging.fastmath import encode_array
from aurelon.core.imaging.frame import fit_within
from aurelon.core.imaging.kernels import use_threads
from aurelon.core.imaging.screen import WHITE_CODE
from aurelon.core.lights import kinds
from demo.render import PLATES
from tests.browser.window import ROOT

CACHE = ROOT / ".suites" / "photographs"
# Of each package the files that are photographs; the rest is drawn.
PACKAGES: dict[str, tuple[str, ...]] = {
    "mate-backgrounds": ("nature/*.jpg",),
    "lxqt-themes": ("flowers.png", "fog.jpg", "after-the-rain.jpg", "*utterfly*", "Valendas.png", "appleflower.png", "drop.png"),
    "plasma-workspace-wallpapers": (
        *(f"{name}/contents/images/2560x1600.jpg" for name in ("FallenLeaf", "Path", "DarkestHour", "Autumn", "Kite")),
        *(f"{name}/contents/images/2560x1600.jpg" for name in ("ColorfulCups", "OneStandsOut", "ColdRipple", "EveningGlow")),
        "BytheWater/contents/images/2560x1600.jpg",
    ),
    "ukui-wallpapers": ("calla.png", "string.jpg", "city.png", "the-mouse.jpg", "goldfish.png", "desert.png", "2004default.jpg"),
}
SHIPPED = (
    "astronaut.png",
    "camera.png",
    "chelsea.png",
    "coffee.png",
    "rocket.jpg",
    "motorcycle_left.png",
    "grass.png",
    "gravel.png",
)
EDGE = 600
SEEN, MOST_CHANGED, MOST_CLIPPED, MOST_LIFTED = 0.05, 98, 0.02, 0.03
RULES = ("seen", "keeps whites", "keeps blacks")


def photographs() -> Iterator[Path]:
    """All of them; fetches the packages that are not there."""
    CACHE.mkdir(parents=True, exist_ok=True)
    for package, patterns in PACKAGES.items():
        folder = CACHE / package
        if not folder.exists():
            subprocess.run(["apt-get", "download", "-qq", package], cwd=CACHE, check=True, stderr=subprocess.DEVNULL)
            (archive,) = CACHE.glob(f"{package}_*.deb")
            subprocess.run(["dpkg-deb", "-x", archive, folder], check=True)
            archive.unlink()
        for pattern in patterns:
            yield from sorted(folder.rglob(pattern))
    yield from (Path(skimage.__file__).parent / "data" / name for name in SHIPPED)
    yield from sorted(PLATES.glob("*.jpg"))


def named(path: Path) -> str:
    """What a photograph is called; one package names its files by their size."""
    return path.parts[-4] if path.stem == "2560x1600" else path.stem


def judged(path: Path) -> list[tuple[str, tuple[bool, bool, bool]]]:
    """Of every kind, whether it keeps each rule on a photograph."""
    plate = open_plate(path)
    size, cache = fit_within(plate.size, EDGE), Cache(1 << 29)
    before = encode_array(render(plate, Rig(), size=size, cache=cache))
    dark: NDArray[np.bool_] = before.mean(axis=2) <= np.quantile(before.mean(axis=2), DARKS)
    result: list[tuple[str, tuple[bool, bool, bool]]] = []
    for name, kind in kinds().items():
        if kind.needs_file or kind.example is not None:
            continue  # begins with nothing
        light = new_light(name, plate, Rig(), cache=cache)
        rig = Rig.model_validate({"lights": [light.model_dump()]})
        after = encode_array(render(plate, rig, size=size, cache=cache))
        change = np.abs(after - before).max(axis=2)
        clipped = ((after >= WHITE_CODE).any(axis=2) & ~(before >= WHITE_CODE).any(axis=2)).mean()
        lifted = float(np.median((after - before).mean(axis=2)[dark]))
        kept = (float(np.sort(change, axis=None)[-MOST_CHANGED]) >= SEEN, clipped < MOST_CLIPPED, lifted < MOST_LIFTED)
        result.append((name, (bool(kept[0]), bool(kept[1]), bool(kept[2]))))
    return result


def main() -> int:
    paths = list(photographs())
    counts: dict[str, Counter[str]] = {}
    with ProcessPoolExecutor(os.cpu_count(), initializer=use_threads, initargs=(1,)) as workers:
        for path, verdicts in zip(paths, workers.map(judged, paths), strict=True):
            for kind, kept in verdicts:
                counts.setdefault(kind, Counter()).update(rule for rule, good in zip(RULES, kept, strict=True) if good)
            broken = [f"{kind}: not {rule}" for kind, kept in verdicts for rule, good in zip(RULES, kept, strict=True) if not good]
            print(f"{named(path):24} {'; '.join(broken)}", flush=True)
    print(f"\nof {len(paths)}   {'   '.join(RULES)}")
    for kind, count in counts.items():
        print(f"{kind:10} " + "   ".join(f"{count[rule]:{len(rule)}}" for rule in RULES))
    return 0


if __name__ == "__main__":
    sys.exit(main())
