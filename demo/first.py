"""Renders the three pictures that the first screen shows: python -m demo.first."""

from __future__ import annotations

from pathlib import Path

from aurelon.core import Renderer, parse_rig, read_plate
from aurelon.core.graph.small_pictures import thumbnail
from aurelon.core.rig.model import Rig

DEMO = Path(__file__).parent
FIRST = DEMO / "first"


def main() -> None:
    """The headland as it was shot, with its sun's rays alone, and with its whole rig."""
    FIRST.mkdir(exist_ok=True)
    renderer = Renderer(read_plate((DEMO / "plates" / "headland.jpg").read_bytes(), "headland.jpg"))
    whole = parse_rig((DEMO / "rigs" / "headland.json").read_bytes())
    rays = whole.model_copy(update={"lights": whole.lights[:1]})
    for name, rig in (("shot", Rig()), ("rays", rays), ("whole", whole)):
        (FIRST / f"{name}.jpg").write_bytes(thumbnail(renderer, rig))


if __name__ == "__main__":
    main()
