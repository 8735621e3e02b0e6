"""Nodes for how near the things in a plate are, what form they have, and how much of a light is seen in the air and on them."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from aurelon.core.graph.backdrop import Backdrop
from aurelon.core.graph.nodes import PictureNode, ValueNode, Work, digest_of
from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.enlarge import enlarge_to
from aurelon.core.imaging.fastmath import encode_array
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.merging import Fall
from aurelon.core.imaging.reduce import reduce_to
from aurelon.core.lights.shared.air import EVERYWHERE, FOREMOST, Air, not_nearer, seen_in_air
from aurelon.core.masks.shared.guided import drawn_to_edges, lines_of, on_lines
from aurelon.core.masks.shared.part import resampled
from aurelon.core.optics.facing import Origin, facing
from aurelon.core.optics.shading import placement
from aurelon.core.rig.distance import Distance
from aurelon.core.space.form import OPEN, slopes_of
from aurelon.core.space.found import found_distance

FORM_EDGE = 160  # long edge of the version on which form is found
HALF_LIT = 0.1  # nearness at which half as much light falls on things as on near ones
OUTLINE = (0.4, 0.7)  # cover at which a thing begins, and from which it is whole
GUIDE_EDGE = 768  # long edge of the guide picture
RADIUS, CONTRAST = 8, 0.02  # of the guided filter: pixels of the guide, and a display-encoded step

GreyOf = Callable[[Work, str], Floats | None]
Draw = Callable[[Floats, Floats, int, float], Floats]


class SpaceNodes(NamedTuple):
    """Nearness (h, w) in 0..1 of a plate at any frame, and the mask (h, w) of all that stands before its sky."""

    distance: PictureNode
    things: PictureNode


def space_nodes(
    backdrop: Backdrop, distance: Distance, original: PictureNode, mattes: Mapping[str, PictureNode | None], grey_of: GreyOf
) -> SpaceNodes | None:
    """How near everything is; None where the rig turns it off, and for frames of a reel."""
    if distance.origin == "none" or backdrop.plate.of_reel:
        return None
    standing = [(node, near) for name, near in distance.stands.items() if name in mattes for node in [mattes[name]]]
    guide = Frame.canonical(backdrop.plate.size, GUIDE_EDGE)
    horizon = distance.horizon if distance.origin == "horizon" else None
    in_file = backdrop.plate.nearness is not None and horizon is None
    known = ValueNode(digest_of("found", original.digest, horizon), lambda _: found_distance(backdrop.plate, horizon))

    def drawn(work: Work, draw: Draw, coarse: Floats, frame: Frame) -> Floats:
        """A coarse map (h, w) enlarged to the frame along the picture's edges."""

        def lines() -> Floats:
            return draw(enlarge_to(coarse[:, :, None], guide)[:, :, 0], encode_array(work.at(original, guide)), RADIUS, CONTRAST)

        kept = work.keep((draw.__name__, original.digest, horizon), guide, lines)
        return on_lines(enlarge_to(kept, frame), encode_array(work.at(original, frame)))

    def stored(work: Work, frame: Frame) -> Floats | None:
        picture = grey_of(work, distance.file) if distance.origin == "file" and distance.file else None
        if picture is not None:
            result = np.clip(resampled(picture, frame), 0, 1)
            return 1 - result if distance.near_is == "black" else result
        return resampled(backdrop.plate.nearness, frame) if in_file and backdrop.plate.nearness is not None else None

    def before_sky(work: Work, frame: Frame) -> Floats | None:
        """A crisp mask of things, which keeps light off their rim; None where none was found."""
        things = work.evaluate(known).things
        return None if things is None else drawn(work, drawn_to_edges, things, frame)

    def nearness_at(work: Work, frame: Frame) -> Floats:
        nearness = stored(work, frame)
        if nearness is None:
            nearness = drawn(work, lines_of, work.evaluate(known).nearness, frame)
            things = before_sky(work, frame)
            nearness = nearness if things is None else nearness * things
        for node, near in standing:
            cover = np.float32(1) if node is None else work.at(node, frame)
            nearness = nearness + cover * (np.float32(near) - nearness)
        return np.asarray(nearness, np.float32)

    def things_at(work: Work, frame: Frame) -> Floats:
        things = before_sky(work, frame) if stored(work, frame) is None else None
        # Half covered is the outline: what is less is the sky beside it.
        mask = _ramp(work.at(nearness_node, frame), OPEN / 2, OPEN) if things is None else _ramp(things, *OUTLINE)
        for node, near in standing:
            cover = np.float32(1) if node is None else work.at(node, frame)
            mask = mask + cover * (np.float32(near > OPEN) - mask)
        return np.asarray(mask, np.float32)

    digests = [(node and node.digest, near) for node, near in standing]
    key = digest_of("distance", original.digest, distance.digest, digests)
    nearness_node = PictureNode(key, nearness_at)
    return SpaceNodes(nearness_node, PictureNode(digest_of("before the sky", key), things_at))


def _ramp(values: Floats, low: float, high: float) -> Floats:
    """0 below `low`, 1 above `high`, smooth between."""
    share = np.clip((values - np.float32(low)) / np.float32(high - low), 0, 1)
    return np.asarray(share * share * (3 - 2 * share), np.float32)


def form_node(backdrop: Backdrop, space: SpaceNodes | None, original: PictureNode) -> PictureNode | None:
    """Slopes (h, w, 2) of things at any frame (see `form.py`); None where it is not known how far they are."""
    if space is None:
        return None
    distance = space.distance
    small = Frame.canonical(backdrop.plate.size, FORM_EDGE)

    def find(work: Work) -> Floats:
        return slopes_of(work.at(distance, small), np.clip(encode_array(work.at(original, small)), 0, 1))

    found = ValueNode(digest_of("slopes", original.digest, distance.digest), find)
    return PictureNode(digest_of("form", found.digest), lambda work, frame: _at(work.evaluate(found), frame))


def _at(slopes: Floats, frame: Frame) -> Floats:
    smaller = slopes.shape[1] >= frame.width and slopes.shape[0] >= frame.height
    return reduce_to(slopes, frame) if smaller else enlarge_to(slopes, frame)


def lit_things_node(
    space: SpaceNodes | None, form: PictureNode | None, air: Air, origin: Origin | None, size: tuple[int, int]
) -> PictureNode:
    """The gain (h, w) by which a light lights the things that it falls on: those that face it, and that are not nearer than it."""

    def make(work: Work, frame: Frame) -> Floats:
        gain = np.full(frame.shape, air.things, np.float32)
        if form is not None and origin is not None:
            facing(np.ascontiguousarray(work.at(form, frame)), origin, placement(frame, size), gain)
            gain *= np.float32(air.things)
        if space is None:
            return gain
        nearness = work.at(space.distance, frame)
        # Light that is seen to run over a picture hardly reaches to its horizon.
        gain *= work.at(space.things, frame) * nearness / (nearness + np.float32(HALF_LIT))
        return gain * not_nearer(nearness, air) if air.stands_at < FOREMOST else gain

    near, shape = space and space.distance.digest, form and form.digest
    return PictureNode(digest_of("lit things", near, shape, air, origin), make)


def air_node(distance: PictureNode | None, air: Air | None) -> PictureNode | None:
    """The share of a light (h, w) that is seen in the air before things; None where that is all of it."""
    if distance is None or air is None or (air.thickness >= EVERYWHERE and air.stands_at >= FOREMOST):
        return None
    air = air._replace(things=0.0)
    return PictureNode(digest_of("air", distance.digest, air), lambda work, frame: seen_in_air(work.at(distance, frame), air))


@dataclass(frozen=True)
class Falling:
    """Where a light is seen: the share of it in the `air` before things (None where that is all of it), and its gain on `things`
    (None where it lights none), which give it back as the `picture` says."""

    air: PictureNode | None
    things: PictureNode | None
    picture: PictureNode

    @property
    def digest(self) -> object:
        return self.air and self.air.digest, self.things and (self.things.digest, self.picture.digest)

    def masked(self, mask: PictureNode | None) -> PictureNode | None:
        """The mask of a light, with the air where no thing is lit."""
        return mask if self.things is not None else _times(mask, self.air)

    def at(self, work: Work, frame: Frame) -> Fall | None:
        """For lights that light things."""
        if self.things is None:
            return None
        share = np.ones(frame.shape, np.float32) if self.air is None else work.at(self.air, frame)
        return Fall(share, work.at(self.things, frame), work.at(self.picture, frame))

    def of(self, light: Floats, work: Work, frame: Frame) -> Floats:
        """What is seen of a picture of light (h, w, 3)."""
        if (fall := self.at(work, frame)) is not None:
            return fall.on(light)
        return light if self.air is None else light * work.at(self.air, frame)[:, :, None]


def falling(
    space: SpaceNodes | None,
    form: PictureNode | None,
    air: Air | None,
    origin: Origin | None,
    size: tuple[int, int],
    picture: PictureNode,
) -> Falling:
    """Where a light of an `air` is seen, which comes from its `origin` on a plate of `size`."""
    things = None if air is None or air.things == 0 else lit_things_node(space, form, air, origin, size)
    return Falling(air_node(space and space.distance, air), things, picture)


def _times(one: PictureNode | None, other: PictureNode | None) -> PictureNode | None:
    """What both let through, (h, w)."""
    if one is None or other is None:
        return one or other
    return PictureNode(
        digest_of("times", one.digest, other.digest), lambda work, frame: work.at(one, frame) * work.at(other, frame), kept=True
    )
