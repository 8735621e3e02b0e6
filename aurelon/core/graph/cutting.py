"""Cuts a subject out of a plate ahead of its being shown, with progress."""

from __future__ import annotations

from collections.abc import Callable

from aurelon.core.graph.cache import Cache
from aurelon.core.graph.pipeline import Evaluation, engine
from aurelon.core.masks.subject import Subject
from aurelon.core.plate import Plate
from aurelon.core.rig.model import Rig


def cut_subject(
    plate: Plate, subject: Subject, cache: Cache, *, progress: Callable[[float], None], cancelled: Callable[[], bool]
) -> None:
    """The cut is kept in `cache`, where every later rendering finds it. Raises Cancelled."""
    with engine:
        evaluation = Evaluation(plate, Rig(), cache, cancelled=cancelled)
        if subject.counts(evaluation.ground):
            subject.cut(evaluation.ground, progress)
