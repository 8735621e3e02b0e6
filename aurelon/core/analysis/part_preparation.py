"""Prepares a part of a mask ahead of its being shown, with progress."""

from __future__ import annotations

from collections.abc import Callable

from aurelon.core.graph.renderer import Renderer
from aurelon.core.masks.shared.part import Part
from aurelon.core.rig import Rig


def prepare_part(renderer: Renderer, part: Part, *, progress: Callable[[float], None], cancelled: Callable[[], bool]) -> None:
    """What the part keeps is kept in the renderer's cache, where every later rendering finds it. Raises Cancelled."""
    with renderer.working(Rig(), cancelled=cancelled) as now:
        if part.counts(now.ground):
            part.prepare(now.ground, progress)
