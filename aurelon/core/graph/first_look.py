"""The first look at a picture file that is brought in: what there is to know of it, and its small picture."""

from __future__ import annotations

from dataclasses import dataclass

from aurelon.core.graph.renderer import Renderer
from aurelon.core.graph.small_pictures import thumbnail
from aurelon.core.plate import glance
from aurelon.core.rig import Rig


@dataclass(frozen=True)
class FirstLook:
    """What there is to know of a plate before it is opened, see `Plate`; and its small picture, a JPEG."""

    size: tuple[int, int]
    depth: str
    notices: tuple[str, ...]
    rig: str
    thumbnail: bytes


def look(data: bytes, name: str) -> FirstLook:
    """Reads a picture file, but does not develop camera raw, which is done when it is opened. Raises PlateError in a sentence where
    it cannot be read."""
    plate, size = glance(data, name)
    return FirstLook(size, plate.depth, plate.notices, plate.rig, thumbnail(Renderer(plate), Rig()))
