"""The ferry reel's rig: the sun followed, the figure's matte carried from one frame, rays behind the figure.

`python -m demo.reels.rig` makes it after `python -m demo.reels.ferry`.
"""

from __future__ import annotations

import base64
import hashlib
import json
from fractions import Fraction

import numpy as np

from aurelon.core import check_rig, open_reel
from aurelon.core.analysis.carried_matte import carried
from aurelon.core.analysis.follow import follow
from aurelon.core.reels.writers.video import grey_reel
from demo.reels.deck import RATE
from demo.reels.ferry import FRAMES
from demo.reels.files import HERE

HINT = 12  # frame at which the figure is known


def main() -> None:
    reel, truth = open_reel(HERE / "ferry.webm"), json.loads((HERE / "ferry.json").read_text())
    known = open_reel(HERE / "ferry-mattes.mkv").footage.raster(HINT).samples.mean(axis=2, dtype=np.float32) / np.float32(255)
    mattes = grey_reel(carried(reel, {HINT: known}), Fraction(RATE))
    file = hashlib.sha256(mattes).hexdigest()
    sun = [[seen.frame, [round(part, 5) for part in seen.place]] for seen in follow(reel, HINT, tuple(truth["sun"][HINT]))]
    rig = {
        "prepare": {"exposure": -0.25, "contrast": 0.06},
        "house": {"level": 0.85},
        "mattes": [
            {
                "id": "figure",
                "name": "Figure",
                "mask": {"start": "nothing", "parts": [{"part": "carried", "combine": "add", "file": file, "hinted": [HINT]}]},
            }
        ],
        "lights": [
            {
                "id": "low-sun",
                "name": "Low sun",
                "kind": "shafts",
                "behind": {"matte": "figure", "spill": 0.06},
                "source": {"threshold": 0.55, "knee": 0.35},
                "spread": {"reach": 0.6, "disc_strength": 0.0, "aureole_strength": 0.35, "variety": 0.5, "count": 56, "seed": 4},
                "merge": {"intensity": 0.9},
            },
            {
                "id": "last-rays",
                "name": "Last rays",
                "kind": "shafts",
                "behind": {"matte": "figure", "spill": 0.1},
                "source": {"threshold": 0.5, "knee": 0.4},
                "spread": {"mode": "parallel", "angle": -22, "reach": 0.35, "softness": 1.6, "seed": 7},
                "merge": {"intensity": 0.45},
            },
            {"id": "glow", "name": "Glow", "kind": "bloom", "look_at": "below", "merge": {"intensity": 0.4}},
        ],
        "keys": {
            "low-sun": {"spread.position": {"between": "linear", "at": sun}},
            "last-rays": {
                "spread.angle": {"between": "smooth", "at": [[0, -26], [FRAMES - 1, -17]]},
                "merge.intensity": {"between": "smooth", "at": [[0, 0.25], [FRAMES // 2, 0.5], [FRAMES - 1, 0.35]]},
            },
        },
        "files": {file: base64.b64encode(mattes).decode()},
    }
    whole = {"format": "aurelon-rig", "version": 2, **rig}
    check_rig(whole)
    (HERE.parent / "rigs" / "ferry.json").write_text(json.dumps(whole) + "\n")


if __name__ == "__main__":
    main()
