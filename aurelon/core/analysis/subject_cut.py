"""Cuts a subject out of a plate ahead of its being shown, with progress."""

from __future__ import annotations

from collections.abc import Callable

from aurelon.core.graph.renderer import Renderer
from aurelon.core.masks.subject import Subject
from aurelon.core.rig import Rig


def cut_subject(renderer: Renderer, subject: Subject, *, progress: Callable[[float], None], cancelled: Callable[[], bool]) -> None:
    """The cut is kept in the renderer's cache, where every later rendering finds it. Raises Cancelled."""
    with renderer.working(Rig(), cancelled=cancelled) as now:
        if subject.counts(now.ground):
            subject.cut(now.ground, progress)
