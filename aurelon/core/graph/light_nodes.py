"""The five stages of a light as nodes."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import partial
from typing import Any

import numpy as np

from aurelon.core.graph.backdrop import Backdrop
from aurelon.core.graph.grading import levels_of, tint_of
from aurelon.core.graph.mask_nodes import MaskNodes
from aurelon.core.graph.nodes import PictureNode, ValueNode, Work, digest_of
from aurelon.core.graph.space_nodes import SpaceNodes, falling
from aurelon.core.imaging.arrays import Floats, f32
from aurelon.core.imaging.blend.blending import Blending, blending
from aurelon.core.imaging.colour_matrix import NEUTRAL, Tint
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.merging import NO_LEVELS, Fall, Levels, lay, picture_of
from aurelon.core.imaging.picture_rows import PictureRows
from aurelon.core.lights import kinds
from aurelon.core.lights.shared.air import NEUTRAL as NO_AIR
from aurelon.core.lights.shared.air import air_of
from aurelon.core.lights.shared.kind import AnyKind, LightField, LookAt, NearnessAt, Reading, Scene
from aurelon.core.masks.sky import Sky as SkyPart
from aurelon.core.rig.light import Light

LAID_PIXELS = 1 << 20  # pixels of a light that are laid in one go; to begin anew costs as much as laying a tenth of them
SKY = SkyPart()
NO_PICTURE = np.zeros((1, 1, 3), np.float32)  # for kinds that read none


@dataclass(frozen=True)
class LightNodes:
    """The five stages of a light as nodes; `unlevelled` is Colour before its levels. `mask` is None where the light may
    be everywhere; `below` is the picture that it is laid on, `merged` that picture with the light, `alone` the light on
    black as a pass."""

    light: Light
    kind: AnyKind
    source: PictureNode
    detected: ValueNode[Any] | None
    field: ValueNode[LightField]
    spread: PictureNode
    unlevelled: PictureNode
    colour: PictureNode
    mask: PictureNode | None
    below: PictureNode
    merged: PictureNode
    alone: PictureNode


def light_nodes(
    backdrop: Backdrop,
    light: Light,
    pictures: Mapping[LookAt, PictureNode],
    below: PictureNode,
    masks: MaskNodes,
    space: SpaceNodes | None,
    form: PictureNode | None,
) -> LightNodes:
    """The nodes of one light. `pictures` are those that it may look at, `below` is the one that it is laid on, `space` how near
    everything is, `form` its slopes."""
    kind, plate = kinds()[light.kind], backdrop.plate
    read = pictures[light.look_at]
    seen = read.digest if kind.reads else plate.size
    used = {name: masks.mattes[name] for name in light.read_mattes() if name in masks.mattes}
    named = [(name, node and node.digest) for name, node in used.items()]
    drifts = any(getattr(group, "evolution", 0.0) > 0 for group in (light.source, light.spread))
    seconds = plate.seconds if drifts else 0.0
    distance = space and space.distance
    near = distance if kind.uses_distance(light.spread) else None
    shape = form if kind.uses_form(light.source) else None
    of_source = (light.kind, seen, backdrop.reading.size, light.source.digest, named, seconds, shape and shape.digest)

    def nearness_at(work: Work) -> NearnessAt | None:
        return None if near is None else partial(work.at, near)

    def reading(work: Work, detected: Any, rows: PictureRows) -> Reading[Any]:
        ground = masks.ground(used, work)

        def area_of(name: str, at: Frame) -> Floats | None:
            return ground.mattes[name].at(at) if name in ground.mattes else None

        slopes_at = None if shape is None else partial(work.at, shape)
        return Reading(rows, plate.space, detected, backdrop.file_of, area_of, partial(SKY.cover, ground), seconds, slopes_at)

    def read_whole(work: Work) -> PictureRows:
        return work.rows(read, backdrop.reading) if kind.reads else PictureRows.of(NO_PICTURE)

    detect = kind.detect
    detected: ValueNode[Any] | None = None
    if detect is not None:
        detected = ValueNode(
            digest_of("detected", *of_source), lambda work: detect(reading(work, None, read_whole(work)), light.source)
        )

    def found(work: Work) -> Any:
        return None if detected is None else work.evaluate(detected)

    def make_source(work: Work, frame: Frame) -> Floats:
        if kind.at_frame:
            return kind.source(reading(work, None, PictureRows.of(work.at(read, frame))), light.source, frame)
        return kind.source(reading(work, found(work), read_whole(work)), light.source, frame)

    # A source that is the very picture is kept already, as that picture.
    source = PictureNode(digest_of("source", *of_source), make_source, kept=not kind.at_frame)

    def scene(work: Work, view: Frame) -> Scene[Any]:
        return Scene(
            source_at=partial(work.at, source),
            picture_at=partial(work.at, read),
            detected=found(work),
            size=plate.size,
            space=plate.space,
            working_edge=backdrop.edge,
            view=view,
            file_of=backdrop.file_of,
            nearness_at=nearness_at(work),
            seconds=seconds,
        )

    # How light travels does not depend on what of it is seen in the air before things.
    through = air_of(light.spread)
    seen_where = falling(space, form, through, kind.origin(light.source, light.spread, plate.size), plate.size, read)
    in_air = light.spread if through is None else light.spread.model_copy(update=NO_AIR)
    field: ValueNode[LightField] = ValueNode(
        digest_of("field", source.digest, in_air.digest, backdrop.edge, near and near.digest),
        lambda work: kind.spread(scene(work, backdrop.reading), light.source, light.spread),
    )
    tint, levels = tint_of(light.colour, plate.space, shifts_white=kind.shifts_white), levels_of(light.colour)
    mask = masks.node(light.mask, light.behind)
    m = light.merge
    how = blending(mode=m.mode, intensity=m.intensity, opacity=m.opacity, keep_darks=m.keep_darks, opaque=kind.opaque)
    coloured = digest_of("colour", field.digest, seen_where.digest, light.colour.digest)
    masked_as = mask and mask.digest
    merged = PictureNode(
        digest_of("merged", below.digest, coloured, masked_as, m.digest),
        _merging(
            below,
            read if kind.at_frame else None,
            near,
            field,
            seen_where.masked(mask),
            seen_where.at,
            plate.space.luminance,
            scene,
            tint,
            levels,
            how,
            backdrop.draft,
        ),
    )

    def travelled(by: Tint, by_levels: Levels) -> Callable[[Work, Frame], Floats]:
        def make(work: Work, frame: Frame) -> Floats:
            result = picture_of(work.evaluate(field).at(scene(work, frame), frame, by), frame, plate.space.luminance, by_levels)
            return seen_where.of(result, work, frame)

        return make

    colour = PictureNode(coloured, travelled(tint, levels), kept=False)

    def alone(work: Work, frame: Frame) -> Floats:
        shown = work.at(colour, frame) * f32(m.intensity * m.opacity)
        return shown if mask is None else shown * work.at(mask, frame)[:, :, None]

    return LightNodes(
        light=light,
        kind=kind,
        source=source,
        detected=detected,
        field=field,
        spread=PictureNode(digest_of("spread", field.digest, seen_where.digest), travelled(NEUTRAL, NO_LEVELS), kept=False),
        unlevelled=PictureNode(digest_of("unlevelled", coloured), travelled(tint, NO_LEVELS), kept=False),
        colour=colour,
        mask=mask,
        below=below,
        merged=merged,
        alone=PictureNode(digest_of("alone", coloured, masked_as, m.digest), alone, kept=False),
    )


def _merging(
    below: PictureNode,
    read: PictureNode | None,
    near: PictureNode | None,
    field: ValueNode[LightField],
    mask: PictureNode | None,
    fall_at: Callable[[Work, Frame], Fall | None],
    luminance: Floats,
    scene: Callable[[Work, Frame], Scene[Any]],
    tint: Tint,
    levels: Levels,
    how: Blending,
    draft: bool,
) -> Callable[[Work, Frame], Floats]:
    """Lays a light on what is below it, band by band, with nothing of the frame's size in between. `read` is the picture
    that a source is, where it is one; `near` how near everything is, where the light asks for it."""

    def make(work: Work, frame: Frame) -> Floats:
        under = work.at(below, frame)
        cover = None if mask is None else work.at(mask, frame)
        fall = fall_at(work, frame)
        out = np.empty((*frame.shape, 3), np.float32)
        # A source that is the very picture is read band by band, out of the hand.
        held = {below.digest: (below, under)}
        if read is not None:
            held[read.digest] = (read, under if read is below else work.at(read, frame))
        if near is not None:
            held[near.digest] = (near, work.at(near, frame))
        for node, pixels in held.values():
            # What a lamp stands on is looked up exactly, in drafts too.
            work.hold(node, frame, pixels, reducible=draft and node is not near)
        try:
            light = work.evaluate(field)
            seen = scene(work, frame)
            for band in frame.bands(LAID_PIXELS):
                work.go_on()
                part = slice(band.y0 - frame.y0, band.y1 - frame.y0)
                lay(
                    under[part],
                    light.at(seen, band, tint),
                    band,
                    None if cover is None else cover[part],
                    luminance,
                    levels,
                    how,
                    out[part],
                    None if fall is None else fall.part(part),
                )
        finally:
            for node, _ in held.values():
                work.drop(node)
        return out

    return make
