"""The areas of a plate that are proposed by themselves: its sky, what stands before it, and its subject."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np

from aurelon.core.finding import sky, subject
from aurelon.core.finding.sky import Sky, find_sky, looked_at
from aurelon.core.finding.subject import Box, FoundSubject, find_subject
from aurelon.core.imaging.frame import Frame
from aurelon.core.plate import Plate

AreaName = Literal["sky", "foreground", "subject"]
TITLES: dict[AreaName, str] = {"sky": "Sky", "foreground": "Foreground", "subject": "Subject"}
ABOUT: dict[AreaName, str] = {
    "sky": "The sky, also where it shines through",
    "foreground": "What stands before the sky",
    "subject": "What differs most from its surroundings",
}


@dataclass(frozen=True)
class Area:
    """An area of the picture, and how surely it is one, 0..1; those that are not `sure` need not be shown. A subject is
    to be cut out of its `box`."""

    name: AreaName
    title: str
    about: str
    confidence: float
    sure: bool
    box: Box | None = None


def sky_of(plate: Plate) -> Sky:
    """The sky of the picture as shot."""
    return plate.found("sky", lambda: find_sky(plate.at(looked_at(plate.size))))


def sure_sky_of(plate: Plate) -> Sky | None:
    """The sky, where it is surely one."""
    found = sky_of(plate)
    return found if found.confidence >= sky.SURE else None


def subject_of(plate: Plate) -> FoundSubject:
    """The subject of the picture as shot; it is never part of a sky that is sure."""

    def find() -> FoundSubject:
        frame = Frame.canonical(plate.size, subject.EDGE)
        known = sure_sky_of(plate)
        cover = None if known is None else cv2.resize(known.cover, frame.size, interpolation=cv2.INTER_AREA)
        return find_subject(plate.at(frame), None if cover is None else np.asarray(cover, np.float32))

    return plate.found("subject", find)


def areas_of(plate: Plate) -> list[Area]:
    """Every area that was looked for, sure or not."""
    heaven, thing = sky_of(plate), subject_of(plate)

    def area(name: AreaName, confidence: float, least: float, box: Box | None = None) -> Area:
        return Area(name, TITLES[name], ABOUT[name], round(confidence, 3), confidence >= least, box)

    return [
        area("foreground", heaven.confidence, sky.SURE),
        area("sky", heaven.confidence, sky.SURE),
        area("subject", thing.confidence, subject.SURE, thing.box),
    ]
