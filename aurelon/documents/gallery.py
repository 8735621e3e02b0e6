"""docs/kinds/: every kind as it is when it is added, on a demo plate."""

from __future__ import annotations

import base64
import hashlib
from pathlib import Path
from typing import Any

from aurelon.core import Plate, Renderer, Rig, read_plate
from aurelon.core.graph.renderer import seen_frame
from aurelon.core.imaging.frame import fit_within
from aurelon.core.imaging.screen import encode_jpeg, encode_png, to_screen
from aurelon.core.lights import kinds
from aurelon.core.rig.light import LIGHT_MODELS

PLATES = Path(__file__).resolve().parents[2] / "demo" / "plates"
# The plate on which a kind reads best; any other kind is shown on the harbour.
SHOWN_ON = {"shafts": "headland", "velvet": "headland", "lamp": "brasslens", "beam": "boatshed", "edge": "brasslens"}
EDGE, QUALITY = 720, 85
# Strokes as a hand would paint them over the water, drawn out sideways.
PAINTED = [
    {"size": 0.012, "hardness": 0.4, "flow": 0.6, "points": [0.3 + 0.02 * k, y, 1.0, 0.36 + 0.02 * k, y, 1.0]}
    for k, y in enumerate((0.66, 0.71, 0.77, 0.84))
]


def _content(name: str, plate: Plate) -> dict[str, Any]:
    """A rig's lights and files for kinds that have nothing to show of themselves."""
    if name == "strokes":
        return {
            "lights": [
                {"id": name, "kind": name, "source": {"strokes": PAINTED}, "spread": {"distance": 0.05}, "merge": {"intensity": 3}}
            ]
        }
    if name == "picture":
        # A light pass of another kind, as if it came from elsewhere.
        flare = {"id": "flare", "kind": "flare", **kinds()["flare"].initial(plate)}
        light = Renderer(plate).render(
            Rig.model_validate({"lights": [flare]}), size=fit_within(plate.size, EDGE), show="light:flare"
        )
        data = encode_png(to_screen(light, plate.space))
        sha = hashlib.sha256(data).hexdigest()
        shown = {"id": name, "kind": name, "source": {"file": sha}, "spread": {"rotation": 12}}
        return {"lights": [shown], "files": {sha: base64.b64encode(data).decode()}}
    return {}


def write_gallery(folder: Path) -> None:
    """Writes a JPEG for each kind; kinds that need a file are shown a stroke and a pass that were made up for it."""
    folder.mkdir(exist_ok=True)
    for name, kind in kinds().items():
        path = PLATES / f"{SHOWN_ON.get(name, 'harbour')}.jpg"
        plate = read_plate(path.read_bytes(), path.name)
        light = LIGHT_MODELS[name].model_validate({"id": name, "kind": name, **kind.seen_by(plate)})
        rig = Rig.model_validate({"prepare": {"exposure": -0.5}, "lights": [light.model_dump()], **_content(name, plate)})
        rows, columns = seen_frame(plate, rig).shape
        pixels = Renderer(plate).render(rig, size=fit_within((columns, rows), EDGE))
        (folder / f"{name}.jpg").write_bytes(encode_jpeg(to_screen(pixels, plate.space), QUALITY))
