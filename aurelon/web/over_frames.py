"""What is found over the frames of a reel, as jobs give it."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction

import numpy as np
from pydantic import BaseModel

from aurelon.core import Reel, Renderer, Rig, RigError
from aurelon.core.analysis.carried_matte import carried, corrected, frame_of_mattes
from aurelon.core.analysis.flicker import flicker
from aurelon.core.analysis.follow import follow_all
from aurelon.core.export.reels import ReelExport, trial_size
from aurelon.core.imaging.arrays import Floats
from aurelon.core.lights.shared.points import Points
from aurelon.core.masks.carried import Carried
from aurelon.core.reel import grey_frame
from aurelon.core.reels.writers.video import grey_reel
from aurelon.core.settings import Place
from aurelon.runs.jobs import Control
from aurelon.store import Store


class SeenAt(BaseModel):
    """Where places are at a frame, and how sure that is of the least sure of them; 0 where one was lost."""

    frame: int
    places: list[Place]
    sure: float


class FollowedCell(BaseModel):
    """Places over the frames of a reel."""

    seen: list[SeenAt]


class CarriedCell(BaseModel):
    """A matte over the frames of a reel: the file of its frames, the reel's key, and those at which it was made by hand."""

    file: str
    of: str
    hinted: list[int]


class FlickerCell(BaseModel):
    """How much of the light jumps from frame to frame, as a share of it, in the mean and at the worst frame."""

    share: float
    worst: int
    worst_share: float


class SizeCell(BaseModel):
    """About how many bytes the file of a lit reel will have."""

    about: int


def try_reel(reel: Reel, rig: Rig, options: ReelExport, control: Control) -> None:
    """Gives the size of the file, by writing a second of the middle."""
    control.give(SizeCell(about=trial_size(reel, rig, options, control.cancelled)))


def follow_places(reel: Reel, frame: int, places: Sequence[Place], control: Control) -> None:
    """Gives where places are at all frames, each followed by itself."""
    ways = follow_all(reel, frame, places, progress=control.progress, cancelled=control.cancelled)
    seen = [
        SeenAt(frame=at[0].frame, places=[one.place for one in at], sure=min(one.sure for one in at))
        for at in zip(*ways, strict=True)
    ]
    control.give(FollowedCell(seen=seen))


def follow_points(reel: Reel, renderer: Renderer, rig: Rig, light_id: str, control: Control) -> None:
    """Gives where a light's points are at all frames, from those that are found at the renderer's frame."""
    with renderer.working(rig, cancelled=control.cancelled) as now:
        detected = now.graph.of(light_id).detected
        found = None if detected is None else now.work.evaluate(detected)
    if not isinstance(found, Points) or not found.found.any():
        raise RigError([("source", "no points of light are found at this frame; go to one where they shine")])
    places = [(float(x), float(y)) for x, y in found.places[found.found]]
    follow_places(reel, renderer.plate.frame, places, control)


def carry_matte(
    store: Store, plate_id: int, reel: Reel, renderer: Renderer, rig: Rig, matte_id: str, onward: bool, control: Control
) -> None:
    """Gives the matte at all frames, from what it is at the renderer's frame and at those at which it was made by hand before.
    `onward`: where it was carried before, the renderer's frame counts from there on, and what comes before it stays."""
    matte = rig.matte(matte_id)
    if matte is None:
        raise RigError([("mattes", f"there is no matte with the id '{matte_id}'")])
    number, frame = renderer.plate.frame, frame_of_mattes(reel)
    with renderer.working(rig, cancelled=control.cancelled) as now:
        node = now.graph.mattes[matte_id]
        here: Floats = np.ones(frame.shape, np.float32) if node is None else now.work.at(node, frame)
    known = {number: here}
    before = next((part for part in matte.mask.stack if isinstance(part, Carried)), None)
    file = "" if before is None else before.file

    def then(at: int) -> Floats | None:
        result = grey_frame(file, lambda: store.files.get(file), at)
        return result if result is not None and result.shape == frame.shape else None

    def kept(at: int) -> Floats:
        result = then(at)
        if result is None:
            raise RigError([("mattes", f"the carried matte has no frame {at}; carry it over all frames")])
        return result

    for hinted in () if before is None else before.hinted:
        result = then(hinted)
        if result is not None and hinted != number:
            known[hinted] = result
    if onward and before is not None:
        mattes = corrected(reel, known, number, kept, progress=control.progress, cancelled=control.cancelled)
    else:
        mattes = carried(reel, known, progress=control.progress, cancelled=control.cancelled)
    data = grey_reel(mattes, Fraction(reel.fps).limit_denominator(1001))
    name = store.files.add(data, f"{matte.name or matte.id}.mkv", plate_id=plate_id)
    control.give(CarriedCell(file=name, of=reel.key, hinted=sorted(known)))


def measure_flicker(reel: Reel, rig: Rig, span: tuple[int, int], control: Control) -> None:
    """Gives how much the light flickers."""
    found = flicker(reel, rig, span, progress=control.progress, cancelled=control.cancelled)
    control.give(FlickerCell(share=found.share, worst=found.worst, worst_share=found.worst_share))
