"""What all nodes of a plate and a rig share."""

from __future__ import annotations

from dataclasses import dataclass

from aurelon.core.imaging.frame import Frame
from aurelon.core.lights.shared.kind import FileOf
from aurelon.core.plate import Plate


@dataclass(frozen=True)
class Backdrop:
    """What all nodes of a plate and a rig share. `reading` is the size at which the plate is read, `edge` that of the
    grid that light travels on, both smaller for a `draft`."""

    plate: Plate
    file_of: FileOf
    reading: Frame
    edge: int
    draft: bool = False
