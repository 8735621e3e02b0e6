"""A rig on a plate resolved into nodes, once and from the bottom up: the cost is linear in its lights."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import partial

from aurelon.core.graph.backdrop import Backdrop
from aurelon.core.graph.grading import prepare, under_house_light
from aurelon.core.graph.light_nodes import LightNodes, light_nodes
from aurelon.core.graph.mask_nodes import MaskNodes, grey_of
from aurelon.core.graph.nodes import PictureNode, Work, digest_of
from aurelon.core.graph.space_nodes import form_node, space_nodes
from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.frame import Frame, fit_within
from aurelon.core.imaging.headroom import depth_of, restored
from aurelon.core.masks.shared.mask import Mask
from aurelon.core.plate import Plate
from aurelon.core.rig.model import Rig

WORKING_EDGE = 768  # long edge of the grid that light travels on; it is soft, and enlarged by a spline
DRAFT_EDGE = 384
DRAFT_READING_EDGE = 1536  # a draft reads the plate's highlights from a reduced version of this size


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
    distance: PictureNode | None
    form: PictureNode | None
    mattes: Mapping[str, PictureNode | None]
    all_lights: tuple[LightNodes, ...]
    result: PictureNode

    @property
    def lights(self) -> list[LightNodes]:
        return [nodes for nodes in self.all_lights if nodes.light.on]

    def of(self, light_id: str) -> LightNodes:
        """The nodes of a light. Raises RigError when no light has that id."""
        light = self.rig.light(light_id)
        return next(nodes for nodes in self.all_lights if nodes.light is light)


def resolve(plate: Plate, rig: Rig, *, draft: bool = False, edge: int | None = None) -> Graph:
    """The nodes of a rig on a plate; nothing is computed yet. `edge` is that of the grid of light, where it is given."""
    rig = rig.at(plate.frame)
    reading = Frame.whole(fit_within(plate.size, DRAFT_READING_EDGE) if draft else plate.size)

    def file_of(name: str) -> bytes | None:
        return rig.file(name) or plate.file_of(name)

    backdrop = Backdrop(plate, file_of, reading, edge or (DRAFT_EDGE if draft else WORKING_EDGE), draft)
    original = PictureNode(digest_of("original", plate.key, plate.frame), lambda work, frame: plate.at(frame), kept=False)
    prepared = _prepared(backdrop, rig, original)
    masks = MaskNodes(backdrop, original, prepared)
    for matte in rig.mattes:
        masks.add_matte(matte.id, matte.mask)
    space = space_nodes(backdrop, rig.distance, original, masks.mattes, partial(grey_of, backdrop))
    form = form_node(backdrop, space, original)
    house_mask = masks.node(rig.house.mask)
    base = _base(backdrop, rig, prepared, house_mask)
    below, stack = base, []
    for light in rig.stack:
        nodes = light_nodes(
            backdrop, light, {"original": original, "prepared": prepared, "below": below}, below, masks, space, form
        )
        stack.append(nodes)
        if light.on:
            below = nodes.merged
    return Graph(
        plate, rig, original, prepared, base, house_mask, space and space.distance, form, masks.mattes, tuple(stack), below
    )


def _prepared(backdrop: Backdrop, rig: Rig, original: PictureNode) -> PictureNode:
    # What is seen of the picture changes nothing that lights read.
    settings = rig.prepare.model_copy(update={"straighten": 0.0, "crop": None})
    if settings == type(settings)():
        return original
    space = backdrop.plate.space
    read = _restored(backdrop, original, settings.headroom) if settings.headroom else original
    return PictureNode(
        digest_of("prepared", read.digest, settings.digest), lambda work, frame: prepare(work.at(read, frame), settings, space)
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
