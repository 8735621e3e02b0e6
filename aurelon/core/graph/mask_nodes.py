"""Masks as nodes: what each covers of a plate, and what stands before a light."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial
from io import BytesIO

import numpy as np

from aurelon.core.finding.areas import sky_of
from aurelon.core.graph.backdrop import Backdrop
from aurelon.core.graph.nodes import PictureNode, Work, digest_of
from aurelon.core.imaging.arrays import Floats, f32
from aurelon.core.imaging.frame import Frame
from aurelon.core.masks.shared.mask import Mask, masked
from aurelon.core.masks.shared.part import Ground, Keyed
from aurelon.core.plate import read_grey
from aurelon.core.reel import grey_frame, is_reel
from aurelon.core.rig.light import Behind

# Masks


class MaskNodes:
    """Makes the nodes of masks and mattes. A mask may use the mattes that were added before."""

    def __init__(self, backdrop: Backdrop, original: PictureNode, prepared: PictureNode) -> None:
        self._backdrop = backdrop
        self._original = original
        self._prepared = prepared
        self.mattes: dict[str, PictureNode | None] = {}

    def add_matte(self, name: str, mask: Mask) -> None:
        self.mattes[name] = self.node(mask)

    def node(self, mask: Mask, behind: Behind | None = None) -> PictureNode | None:
        """The cover of a mask, (h, w) in 0..1, times the light that passes the occluder, 1 - a (1 - spill). None for all of
        the plate."""
        past = self._past(behind)
        if not mask.parts and mask.start == "everything":
            return past
        of_picture = (self._prepared.digest, self._backdrop.reading.size) if mask.reads_picture else None
        used = {name: self.mattes[name] for name in mask.mattes() if name in self.mattes}
        digests = [(name, node and node.digest) for name, node in used.items()]

        def make(work: Work, frame: Frame) -> Floats:
            open_to_light = None if past is None else work.at(past, frame)
            result = masked(mask, self.ground(used, work), frame, open_to_light)
            if result is None:
                return np.ones(frame.shape, np.float32)
            # Where light is painted in on nothing, what stands before it hides that too.
            return result if open_to_light is None or mask.start == "everything" else result * open_to_light

        return PictureNode(digest_of("mask", self._original.digest, mask.digest, of_picture, digests, past and past.digest), make)

    def _past(self, behind: Behind | None) -> PictureNode | None:
        """The share of the light that passes the occluder, (h, w); None where nothing stands before it."""
        if behind is None or behind.matte not in self.mattes:
            return None
        area, kept = self.mattes[behind.matte], f32(1 - behind.spill)

        def make(work: Work, frame: Frame) -> Floats:
            return np.full(frame.shape, f32(1) - kept, np.float32) if area is None else f32(1) - work.at(area, frame) * kept

        return PictureNode(digest_of("behind", area and area.digest, behind.spill), make)

    def ground(self, used: Mapping[str, PictureNode | None], work: Work) -> Ground:
        """What masks that use these mattes are made on."""
        return ground_for(self._backdrop, self._original, self._prepared, used, work)


def ground_for(
    backdrop: Backdrop, original: PictureNode, prepared: PictureNode, mattes: Mapping[str, PictureNode | None], work: Work
) -> Ground:
    """What masks are made on."""

    def area(node: PictureNode | None) -> Keyed:
        if node is None:
            return Keyed("everything", lambda frame: np.ones(frame.shape, np.float32))
        return Keyed(node.digest, partial(work.at, node))

    return Ground(
        size=backdrop.plate.size,
        space=backdrop.plate.space,
        picture=Keyed(prepared.digest, partial(work.at, prepared)),
        original=Keyed(original.digest, partial(work.at, original)),
        reading=backdrop.reading,
        mattes={name: area(node) for name, node in mattes.items()},
        sky=lambda: sky_of(backdrop.plate).cover,
        grey=partial(grey_of, backdrop, work),
        passing=lambda frame: ground_for(backdrop, original, prepared, mattes, work.passing(frame)),
        keep=work.keep,
        peek=work.peek,
        cancelled=work.cancelled,
    )


def grey_of(backdrop: Backdrop, work: Work, name: str) -> Floats | None:
    """A file by its name as (h, w) of its stored values in 0..1; None where it is not there."""
    whole = Frame.whole(backdrop.plate.size)
    known = work.peek(("grey", name), whole)
    if known is not None:
        return known
    data = backdrop.file_of(name)
    if data is None:
        return None
    if is_reel(BytesIO(data)):
        frame = grey_frame(name, lambda: data, backdrop.plate.frame)
        return None if frame is None else work.keep(("grey", name), whole, lambda: frame)
    return work.keep(("grey", name), whole, lambda: read_grey(data, name))
