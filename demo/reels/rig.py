"""The rigs of the demo reels: the sun followed, the figure's matte carried from a few frames, rays behind the figure.

`python -m demo.reels.rig` makes them after `python -m demo.reels.ferry` and `python -m demo.reels.passing`.
"""

from __future__ import annotations

import base64
import hashlib
import json
from collections.abc import Mapping, Sequence
from fractions import Fraction
from typing import Any

import numpy as np

from aurelon.core import Reel, check_rig, open_reel
from aurelon.core.analysis.carried_matte import carried
from aurelon.core.analysis.follow import follow
from aurelon.core.reels.writers.video import grey_reel
from demo.marching import Floats
from demo.reels import ferry, passing
from demo.reels.deck import RATE
from demo.reels.files import HERE

Settings = dict[str, Any]
GLOW = {"id": "glow", "name": "Glow", "kind": "bloom", "look_at": "below", "merge": {"intensity": 0.4}}
DARKER = {"prepare": {"exposure": -0.25, "contrast": 0.06}, "house": {"level": 0.85}}


def carried_part(reel: Reel, known: Mapping[int, Floats]) -> tuple[Settings, Settings]:
    """A part of a mask that is carried from the frames at which it is known, and the file that holds it."""
    mattes = grey_reel(carried(reel, known), Fraction(RATE))
    file = hashlib.sha256(mattes).hexdigest()
    part = {"part": "carried", "combine": "add", "file": file, "hinted": sorted(known)}
    return part, {file: base64.b64encode(mattes).decode()}


def figure(film: str, hints: Sequence[int]) -> dict[int, Floats]:
    """The true matte at some frames."""
    truth = open_reel(HERE / f"{film}.mkv").footage
    return {hint: truth.raster(hint).samples.mean(axis=2, dtype=np.float32) / np.float32(255) for hint in hints}


def matte_of(*parts: Settings) -> Settings:
    return {"mattes": [{"id": "figure", "name": "Figure", "mask": {"start": "nothing", "parts": list(parts)}}]}


def sun_keys(reel: Reel, name: str, begin: int) -> Settings:
    """Keys of the sun's place where it is seen, followed from the frame `begin`."""
    truth = json.loads((HERE / f"{name}.json").read_text())["sun"]
    seen = [one for one in follow(reel, begin, tuple(truth[begin])) if one.sure > 0]
    return {"between": "linear", "at": [[one.frame, [round(part, 5) for part in one.place]] for one in seen]}


def low_sun(**spread: Any) -> Settings:
    shape = {"reach": 0.6, "disc_strength": 0.0, "aureole_strength": 0.35, "variety": 0.5, "count": 56, "seed": 4}
    return {
        "id": "low-sun",
        "name": "Low sun",
        "kind": "shafts",
        "behind": {"matte": "figure", "spill": 0.06},
        "source": {"threshold": 0.55, "knee": 0.35},
        "spread": shape | spread,
        "merge": {"intensity": 0.9},
    }


def of_ferry() -> Settings:
    reel, hint, last = open_reel(HERE / "ferry.webm"), 12, ferry.FRAMES - 1
    part, files = carried_part(reel, figure("ferry-mattes", [hint]))
    last_rays = {
        "id": "last-rays",
        "name": "Last rays",
        "kind": "shafts",
        "behind": {"matte": "figure", "spill": 0.1},
        "source": {"threshold": 0.5, "knee": 0.4},
        "spread": {"mode": "parallel", "angle": -22, "reach": 0.35, "softness": 1.6, "seed": 7},
        "merge": {"intensity": 0.45},
    }
    keys = {
        "low-sun": {"spread.position": sun_keys(reel, "ferry", hint)},
        "last-rays": {
            "spread.angle": {"between": "smooth", "at": [[0, -26], [last, -17]]},
            "merge.intensity": {"between": "smooth", "at": [[0, 0.25], [ferry.FRAMES // 2, 0.5], [last, 0.35]]},
        },
    }
    return DARKER | matte_of(part) | {"lights": [low_sun(), last_rays, GLOW], "keys": keys, "files": files}


def of_passing() -> Settings:
    """The sun shines in the first shot, the doorway in the second."""
    reel, cut = open_reel(HERE / "passing.webm"), passing.CUT
    by_hand = [4, *range(22, 32), 44, cut + 2, *range(58, 65), passing.FRAMES - 2]
    part, files = carried_part(reel, figure("passing-mattes", by_hand))
    # The one who passes goes before everything, and is known at every frame.
    passer, others = carried_part(reel, figure("passing-passer", range(passing.FRAMES)))
    doorway = {
        "id": "doorway",
        "name": "Doorway",
        "kind": "shafts",
        "behind": {"matte": "figure", "spill": 0.1},
        "source": {"threshold": 0.5, "knee": 0.4},
        "spread": {"position": [0.53, 0.5], "reach": 0.4, "disc_strength": 0.0, "aureole_strength": 0.2, "seed": 9},
        "colour": {"temperature": 3200},
        "merge": {"intensity": 0.8},
    }
    keys = {
        "low-sun": {"on": {"between": "hold", "at": [[0, True], [cut, False]]}, "spread.position": sun_keys(reel, "passing", 2)},
        "doorway": {"on": {"between": "hold", "at": [[0, False], [cut, True]]}},
    }
    return DARKER | matte_of(part, passer) | {"lights": [low_sun(), doorway, GLOW], "keys": keys, "files": files | others}


def main() -> None:
    for name, rig in (("ferry", of_ferry()), ("passing", of_passing())):
        whole = {"format": "aurelon-rig", "version": 2, **rig}
        check_rig(whole)
        (HERE.parent / "rigs" / f"{name}.json").write_text(json.dumps(whole) + "\n")


if __name__ == "__main__":
    main()
