"""Nodes for the nearness of a plate, and for the share of a light that is seen in its air."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np

from aurelon.core.graph.backdrop import Backdrop
from aurelon.core.graph.nodes import PictureNode, ValueNode, Work, digest_of
from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.enlarge import enlarge_to
from aurelon.core.imaging.fastmath import encode_array
from aurelon.core.imaging.frame import Frame
from aurelon.core.lights.shared.air import Air, seen_in_air
from aurelon.core.masks.shared.guided import drawn_to_edges, lines_of, on_lines
from aurelon.core.masks.shared.part import resampled
from aurelon.core.rig.distance import Distance
from aurelon.core.space.found import found_distance

GUIDE_EDGE = 768  # long edge of the guide picture
RADIUS, CONTRAST = 8, 0.02  # of the guided filter: pixels of the guide, and a display-encoded step

GreyOf = Callable[[Work, str], Floats | None]
Draw = Callable[[Floats, Floats, int, float], Floats]


def distance_node(
    backdrop: Backdrop, distance: Distance, original: PictureNode, mattes: Mapping[str, PictureNode | None], grey_of: GreyOf
) -> PictureNode | None:
    """Nearness (h, w) in 0..1 of a plate at any frame; None where the rig turns it off, and for frames of a reel."""
    if distance.origin == "none" or backdrop.plate.of_reel:
        return None
    standing = [(node, near) for name, near in distance.stands.items() if name in mattes for node in [mattes[name]]]

    def make(work: Work, frame: Frame) -> Floats:
        nearness = _from_file(work, frame) if distance.origin == "file" else None
        if nearness is None:
            nearness = _found(work, frame)
        for node, near in standing:
            cover = np.float32(1) if node is None else work.at(node, frame)
            nearness = nearness + cover * (np.float32(near) - nearness)
        return np.asarray(nearness, np.float32)

    def _from_file(work: Work, frame: Frame) -> Floats | None:
        stored = grey_of(work, distance.file) if distance.file else None
        if stored is None:
            return None
        result = np.clip(resampled(stored, frame), 0, 1)
        return 1 - result if distance.near_is == "black" else result

    def _found(work: Work, frame: Frame) -> Floats:
        guide = Frame.canonical(backdrop.plate.size, GUIDE_EDGE)
        horizon = distance.horizon if distance.origin == "horizon" else None
        if backdrop.plate.nearness is not None and horizon is None:
            return resampled(backdrop.plate.nearness, frame)
        known = ValueNode(digest_of("found", original.digest, horizon), lambda _: found_distance(backdrop.plate, horizon))
        found = work.evaluate(known)

        def drawn(draw: Draw, coarse: Floats) -> Floats:
            """A coarse map (h, w) enlarged to the frame along the picture's edges."""

            def lines() -> Floats:
                return draw(
                    enlarge_to(coarse[:, :, None], guide)[:, :, 0], encode_array(work.at(original, guide)), RADIUS, CONTRAST
                )

            kept = work.keep((draw.__name__, original.digest, horizon), guide, lines)
            return on_lines(enlarge_to(kept, frame), encode_array(work.at(original, frame)))

        nearness = drawn(lines_of, found.nearness)
        # A crisp mask keeps light off the rim of things.
        return nearness if found.things is None else nearness * drawn(drawn_to_edges, found.things)

    digests = [(node and node.digest, near) for node, near in standing]
    return PictureNode(digest_of("distance", original.digest, distance.digest, digests), make)


def air_node(distance: PictureNode | None, air: Air | None) -> PictureNode | None:
    """The share of a light (h, w) that is seen in the air before things; None where that is all of it."""
    if distance is None or air is None:
        return None
    return PictureNode(digest_of("air", distance.digest, air), lambda work, frame: seen_in_air(work.at(distance, frame), air))
