"""Compiles every kernel once, into the cache beside the code, so that the first picture is instant.

`python -m aurelon.core.warm`, run by `make setup`.
"""

from __future__ import annotations

import numpy as np

from aurelon.core.blend import MODES
from aurelon.core.codecs import codecs
from aurelon.core.export import ExportOptions, export
from aurelon.core.lights import kinds
from aurelon.core.plate import Plate, read_plate
from aurelon.core.rig import Rig
from aurelon.core.screen import to_screen
from aurelon.core.space import SRGB


def warm() -> None:
    """Reads, lights and writes a small plate in every way there is."""
    plate = Plate(np.full((1100, 1300, 3), 0.4, np.float32), SRGB)
    for kind in kinds():
        rig = Rig.model_validate({"lights": [{"id": kind, "kind": kind, "merge": {"mode": MODES[-1]}}]})
        for codec in codecs().values():
            for depth in codec.FORMAT.depths:
                data = export(plate, rig, ExportOptions(codec.FORMAT.name, depth, size=(97, 83)))
                read_plate(data, f"warm{codec.FORMAT.suffixes[0]}")
        export(plate, rig, ExportOptions("png", "8", profile="display-p3"))
    to_screen(plate.pixels, plate.space)


if __name__ == "__main__":
    warm()
