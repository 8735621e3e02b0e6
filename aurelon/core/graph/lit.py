"""A rig on a plate, for those who work with the core alone."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from aurelon.core.graph.renderer import render, seen_frame
from aurelon.core.graph.rendering import Rendering
from aurelon.core.imaging.frame import fit_within
from aurelon.core.imaging.screen import png_of
from aurelon.core.plate import SHOWN_EDGE, Plate
from aurelon.core.rig import Rig


@dataclass(frozen=True)
class Lit:
    """A rig on a plate, which a notebook shows as it looks."""

    plate: Plate
    rig: Rig

    def render(self, **options: Any) -> Rendering:
        """As `aurelon.core.render`."""
        return render(self.plate, self.rig, **options)

    def _repr_png_(self) -> bytes:
        size = fit_within(seen_frame(self.plate, self.rig).size, SHOWN_EDGE)
        return png_of(self.render(size=size), self.plate.space, SHOWN_EDGE)
