"""A rig on a plate resolved into nodes, once and from the bottom up: the cost is linear in its lights."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import partial
from io import BytesIO
from typing import Any

import numpy as np

from aurelon.core.analysis.areas import sky_of
from aurelon.core.graph.nodes import PictureNode, ValueNode, Work, digest_of
from aurelon.core.imaging.arrays import Floats, f32
from aurelon.core.imaging.blend.blending import Blending, blending
from aurelon.core.imaging.colour_matrix import NEUTRAL, Tint
from aurelon.core.imaging.frame import Frame, fit_within
from aurelon.core.imaging.headroom import depth_of, restored
from aurelon.core.imaging.merging import NO_LEVELS, Levels, lay, picture_of
from aurelon.core.imaging.picture_rows import PictureRows
from aurelon.core.imaging.tone import levels_of, prepare, tint_of, under_house_light
from aurelon.core.lights import kinds
from aurelon.core.lights.shared.kind import AnyKind, FileOf, LightField, LookAt, Reading, Scene
from aurelon.core.masks.shared.mask import Mask, masked
from aurelon.core.masks.shared.part import Ground, Keyed
from aurelon.core.masks.sky import Sky as SkyPart
from aurelon.core.plate import Plate, read_grey
from aurelon.core.reel import grey_frame, is_reel
from aurelon.core.rig.model import Behind, Light, Rig

WORKING_EDGE = 768  # long edge of the grid that light travels on; it is soft, and enlarged by a spline
DRAFT_EDGE = 384
DRAFT_READING_EDGE = 1536  # a draft reads the plate's highlights from a reduced version of this size
LAID_PIXELS = 1 << 20  # pixels of a light that are laid in one go; to begin anew costs as much as laying a tenth of them

SKY = SkyPart()
NO_PICTURE = np.zeros((1, 1, 3), np.float32)  # for kinds that read none


@dataclass(frozen=True)
class Backdrop:
    """What all nodes of a plate and a rig share. `reading` is the size at which the plate is read, `edge` that of the
    grid that light travels on, both smaller for a draft."""

    plate: Plate
    file_of: FileOf
    reading: Frame
    edge: int


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


@dataclass(frozen=True)
class Graph:
    """Everything that a rig on a plate is made of. `lights` has those that are on, lowest first; `all_lights` those
    that are off as well, each where it would be."""

    plate: Plate
    rig: Rig
    original: PictureNode
    prepared: PictureNode
    base: PictureNode
    house_mask: PictureNode | None
    mattes: Mapping[str, PictureNode | None]
    all_lights: tuple[LightNodes, ...]
    result: PictureNode

    @property
    def lights(self) -> list[LightNodes]:
        return [nodes for nodes in self.all_lights if nodes.light.on]

    def of(self, light_id: str) -> LightNodes:
        """The nodes of a light. Raises RigError when the rig has none of that id."""
        light = self.rig.light(light_id)
        return next(nodes for nodes in self.all_lights if nodes.light is light)


def resolve(plate: Plate, rig: Rig, *, draft: bool = False) -> Graph:
    """The nodes of a rig on a plate, of which nothing is made yet."""
    rig = rig.at(plate.frame)
    reading = Frame.whole(fit_within(plate.size, DRAFT_READING_EDGE) if draft else plate.size)

    def file_of(name: str) -> bytes | None:
        return rig.file(name) or plate.file_of(name)

    backdrop = Backdrop(plate, file_of, reading, DRAFT_EDGE if draft else WORKING_EDGE)
    original = PictureNode(digest_of("original", plate.key, plate.frame), lambda work, frame: plate.at(frame), kept=False)
    prepared = _prepared(backdrop, rig, original)
    masks = _Masks(backdrop, original, prepared)
    for matte in rig.mattes:
        masks.add_matte(matte.id, matte.mask)
    house_mask = masks.node(rig.house.mask)
    base = _base(backdrop, rig, prepared, house_mask)
    below, made = base, []
    for light in rig.stack:
        nodes = _light(backdrop, light, {"original": original, "prepared": prepared, "below": below}, below, masks)
        made.append(nodes)
        if light.on:
            below = nodes.merged
    return Graph(plate, rig, original, prepared, base, house_mask, masks.mattes, tuple(made), below)


# The picture below the lights


def _prepared(backdrop: Backdrop, rig: Rig, original: PictureNode) -> PictureNode:
    # What is seen of the picture changes nothing that lights read.
    settings = rig.prepare.model_copy(update={"straighten": 0.0, "crop": None})
    if settings == type(settings)():
        return original
    space = backdrop.plate.space
    read = _restored(backdrop, original, settings.headroom) if settings.headroom else original
    return PictureNode(
        digest_of("prepared", original.digest, settings.digest), lambda work, frame: prepare(work.at(read, frame), settings, space)
    )


def _restored(backdrop: Backdrop, original: PictureNode, stops: float) -> PictureNode:
    """The picture with light given back where it is clipped, which does not commute with a reduction: it is measured at
    the size at which the plate is read, and reduced afterwards."""
    plate, reading = backdrop.plate, backdrop.reading

    def make(work: Work, frame: Frame) -> Floats:
        depth = plate.found("headroom", lambda: depth_of(plate.pixels))
        if frame.width >= reading.width:
            return restored(work.at(original, frame), depth, stops, frame)
        return work.rows(node, reading).reduced_to(frame)

    node = PictureNode(digest_of("restored", original.digest, reading.size, stops), make)
    return node


def _base(backdrop: Backdrop, rig: Rig, prepared: PictureNode, mask: PictureNode | None) -> PictureNode:
    house = rig.house.model_copy(update={"mask": Mask()})
    if house == type(house)():
        return prepared
    space = backdrop.plate.space

    def make(work: Work, frame: Frame) -> Floats:
        return under_house_light(work.at(prepared, frame), house, space, None if mask is None else work.at(mask, frame))

    return PictureNode(digest_of("base", prepared.digest, house.digest, mask and mask.digest), make)


# Masks


class _Masks:
    """Makes the nodes of masks. A mask may use the mattes that were added before."""

    def __init__(self, backdrop: Backdrop, original: PictureNode, prepared: PictureNode) -> None:
        self._backdrop = backdrop
        self._original = original
        self._prepared = prepared
        self.mattes: dict[str, PictureNode | None] = {}

    def add_matte(self, name: str, mask: Mask) -> None:
        self.mattes[name] = self.node(mask)

    def node(self, mask: Mask, behind: Behind | None = None) -> PictureNode | None:
        """What a mask covers, (h, w) in 0..1, less what stands before the light, but for what spills: 1 - a (1 - spill).
        None for all of the plate."""
        past = self._past(behind)
        if not mask.parts and mask.start == "everything":
            return past
        of_picture = (self._prepared.digest, self._backdrop.reading.size) if mask.reads_picture else None
        used = {name: self.mattes[name] for name in mask.mattes() if name in self.mattes}
        digests = [(name, node and node.digest) for name, node in used.items()]

        def make(work: Work, frame: Frame) -> Floats:
            begun = None if past is None else work.at(past, frame)
            made = masked(mask, self.ground(used, work), frame, begun)
            if made is None:
                return np.ones(frame.shape, np.float32)
            # Where light is painted in on nothing, what stands before it hides that too.
            return made if begun is None or mask.start == "everything" else made * begun

        return PictureNode(digest_of("mask", self._original.digest, mask.digest, of_picture, digests, past and past.digest), make)

    def _past(self, behind: Behind | None) -> PictureNode | None:
        """What gets past that which stands before a light; None for all of it."""
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
        grey=partial(_grey, backdrop, work),
        passing=lambda frame: ground_for(backdrop, original, prepared, mattes, work.passing(frame)),
        keep=work.keep,
        peek=work.peek,
        cancelled=work.cancelled,
    )


def _grey(backdrop: Backdrop, work: Work, name: str) -> Floats | None:
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


# The five stages


def _light(
    backdrop: Backdrop, light: Light, pictures: Mapping[LookAt, PictureNode], below: PictureNode, masks: _Masks
) -> LightNodes:
    kind, plate = kinds()[light.kind], backdrop.plate
    read = pictures[light.look_at]
    seen = read.digest if kind.reads else plate.size
    used = {name: masks.mattes[name] for name in light.read_mattes() if name in masks.mattes}
    named = [(name, node and node.digest) for name, node in used.items()]
    drifts = any(getattr(group, "evolution", 0.0) > 0 for group in (light.source, light.spread))
    seconds = plate.seconds if drifts else 0.0
    of_source = (light.kind, seen, backdrop.reading.size, light.source.digest, named, seconds)

    def reading(work: Work, detected: Any, rows: PictureRows) -> Reading[Any]:
        ground = masks.ground(used, work)

        def area_of(name: str, at: Frame) -> Floats | None:
            return ground.mattes[name].at(at) if name in ground.mattes else None

        return Reading(rows, plate.space, detected, backdrop.file_of, area_of, partial(SKY.cover, ground), seconds)

    def read_whole(work: Work) -> PictureRows:
        return work.rows(read, backdrop.reading) if kind.reads else PictureRows.of(NO_PICTURE)

    detect = kind.detect
    detected: ValueNode[Any] | None = None
    if detect is not None:
        detected = ValueNode(
            digest_of("detected", *of_source), lambda work: detect(reading(work, None, read_whole(work)), light.source)
        )

    def found(work: Work) -> Any:
        return None if detected is None else work.once(detected)

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
            seconds=seconds,
        )

    field: ValueNode[LightField] = ValueNode(
        digest_of("field", source.digest, light.spread.digest, backdrop.edge),
        lambda work: kind.spread(scene(work, backdrop.reading), light.source, light.spread),
    )
    tint, levels = tint_of(light.colour, plate.space, shifts_white=kind.shifts_white), levels_of(light.colour)
    mask = masks.node(light.mask, light.behind)
    m = light.merge
    how = blending(mode=m.mode, intensity=m.intensity, opacity=m.opacity, keep_darks=m.keep_darks, opaque=kind.opaque)
    coloured = digest_of("colour", field.digest, light.colour.digest)
    masked_as = mask and mask.digest
    merged = PictureNode(
        digest_of("merged", below.digest, coloured, masked_as, m.digest),
        _merging(below, read if kind.at_frame else None, field, mask, plate.space.luminance, scene, tint, levels, how),
    )

    def travelled(by: Tint, through: Levels) -> Callable[[Work, Frame], Floats]:
        return lambda work, frame: picture_of(
            work.once(field).at(scene(work, frame), frame, by), frame, plate.space.luminance, through
        )

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
        spread=PictureNode(digest_of("spread", field.digest), travelled(NEUTRAL, NO_LEVELS), kept=False),
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
    field: ValueNode[LightField],
    mask: PictureNode | None,
    luminance: Floats,
    scene: Callable[[Work, Frame], Scene[Any]],
    tint: Tint,
    levels: Levels,
    how: Blending,
) -> Callable[[Work, Frame], Floats]:
    """Lays a light on what is below it, band by band, with nothing of the frame's size in between. `read` is the picture
    that a source is, where it is one."""

    def make(work: Work, frame: Frame) -> Floats:
        under = work.at(below, frame)
        cover = None if mask is None else work.at(mask, frame)
        light = work.once(field)
        out = np.empty((*frame.shape, 3), np.float32)
        # A source that is the very picture is read band by band, out of the hand.
        held = {below.digest: (below, under)}
        if read is not None:
            held[read.digest] = (read, under if read is below else work.at(read, frame))
        for node, pixels in held.values():
            work.hold(node, frame, pixels)
        try:
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
                )
        finally:
            for node, _ in held.values():
                work.drop(node)
        return out

    return make
