"""What can be shown of a rig on a plate, as data and, for the command line, as one word."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Literal, get_args

import numpy as np
from pydantic import Field, TypeAdapter, ValidationError

from aurelon.core.errors import RigError
from aurelon.core.graph.nodes import PictureNode, Work
from aurelon.core.graph.resolve import Graph
from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.overlay import contrasting, mark_covered
from aurelon.core.lights.shared.air import FOREMOST, air_of, not_nearer
from aurelon.core.rig.owner import HouseOwner, LightOwner, MatteOwner, Owner
from aurelon.core.settings import Settings
from aurelon.core.space.form import normals_of

Stage = Literal["source", "spread", "colour", "mask", "merge"]
STAGES: tuple[Stage, ...] = get_args(Stage)
COLOUR_EDGE = 64


class ShowResult(Settings):
    """The picture with all its lights."""

    what: Literal["result"] = "result"


class ShowBefore(Settings):
    """The picture as shot."""

    what: Literal["before"] = "before"


class ShowBase(Settings):
    """The prepared picture under the house light, on which the lights are laid."""

    what: Literal["base"] = "base"


class ShowDistance(Settings):
    """How near everything is, in grey: white the nearest thing seen, black infinitely far."""

    what: Literal["distance"] = "distance"


class ShowForm(Settings):
    """The normals of things: red to the right, green up, blue toward the eye, each from 0 to 1."""

    what: Literal["form"] = "form"


class ShowStage(Settings):
    """One stage of a light; Merge is the picture with this light and those below it."""

    what: Literal["stage"] = "stage"
    light: str
    stage: Stage


class ShowLight(Settings):
    """A light by itself on black where its mask lets it be: its pass."""

    what: Literal["light"] = "light"
    light: str


class ShowMask(Settings):
    """The mask of a light, a matte or the house light, in grey."""

    what: Literal["mask"] = "mask"
    owner: Owner


class ShowCover(Settings):
    """The result, tinted where a mask holds the light off or, where it begins with nothing, lets it in."""

    what: Literal["cover"] = "cover"
    owner: Owner


class ShowCut(Settings):
    """The result, tinted where things are nearer than a light stands and hide it."""

    what: Literal["cut"] = "cut"
    light: str


Show = Annotated[
    ShowResult | ShowBefore | ShowBase | ShowDistance | ShowForm | ShowStage | ShowLight | ShowMask | ShowCover | ShowCut,
    Field(discriminator="what"),
]
RESULT, BEFORE = ShowResult(), ShowBefore()
_SHOW: TypeAdapter[Show] = TypeAdapter(Show)
WORDS = (
    "result, before, base, distance, form, stage:LIGHT:STAGE, light:LIGHT, cut:LIGHT, mask:LIGHT, matte:MATTE or house-mask, and "
    "over: before one of the masks"
)


def parse_show(text: str) -> Show:
    """What a word of the command line asks for: `result`, `stage:LIGHT:STAGE`, `over:mask:LIGHT` and so on.

    Raises RigError for anything else.
    """
    data = _spelled_out(text.split(":"))
    try:
        if data is not None:
            return _SHOW.validate_python(data)
    except ValidationError:
        pass  # said below, with all that there is
    stages = ", ".join(STAGES)
    raise RigError([("show", f"'{text}' cannot be shown; ask for {WORDS}, with a stage of {stages}")])


def _spelled_out(words: list[str]) -> dict[str, object] | None:
    match words:
        case ["result" | "before" | "base" | "distance" | "form"]:
            return {"what": words[0]}
        case ["cut", light]:
            return {"what": "cut", "light": light}
        case ["stage", light, stage]:
            return {"what": "stage", "light": light, "stage": stage}
        case ["light", light]:
            return {"what": "light", "light": light}
        case ["over", *rest]:
            inner = _spelled_out(rest)
            return {**inner, "what": "cover"} if inner and inner["what"] == "mask" else None
        case ["mask", light]:
            return {"what": "mask", "owner": {"of": "light", "id": light}}
        case ["matte", matte]:
            return {"what": "mask", "owner": {"of": "matte", "id": matte}}
        case ["house-mask"]:
            return {"what": "mask", "owner": {"of": "house"}}
    return None


Draw = Callable[[Work, Frame], Floats]


def drawing_of(graph: Graph, show: Show) -> Draw:
    """How what is asked for is drawn: (h, w, 3) linear light at an upright frame. Raises RigError for what is not there."""
    match show:
        case ShowResult():
            return _as_it_is(graph.result)
        case ShowBefore():
            return _as_it_is(graph.original)
        case ShowBase():
            return _as_it_is(graph.base)
        case ShowDistance():
            return _grey(graph.distance)
        case ShowForm():
            return _normals(graph.form)
        case ShowLight():
            return _as_it_is(graph.of(show.light).alone)
        case ShowStage(stage="source"):
            source = graph.of(show.light).source
            return lambda work, frame: work.at(source, frame)[:, :, :3]
        case ShowStage(stage="mask"):
            return _grey(graph.of(show.light).mask)
        case ShowStage():
            nodes = graph.of(show.light)
            return _as_it_is({"spread": nodes.spread, "colour": nodes.colour, "merge": nodes.merged}[show.stage])
        case ShowMask():
            return _grey(_area(graph, show.owner))
        case ShowCover():
            return _tinted(graph, show.owner)
        case ShowCut():
            return _cut(graph, show.light)


def _as_it_is(node: PictureNode) -> Draw:
    return lambda work, frame: work.at(node, frame)


def _area(graph: Graph, of: Owner) -> PictureNode | None:
    match of:
        case HouseOwner():
            return graph.house_mask
        case LightOwner():
            return graph.of(of.id).mask
        case MatteOwner():
            if of.id not in graph.mattes:
                raise RigError([("show", f"there is no matte with the id '{of.id}'")])
            return graph.mattes[of.id]


def _normals(form: PictureNode | None) -> Draw:
    def draw(work: Work, frame: Frame) -> Floats:
        slopes = np.zeros((*frame.shape, 2), np.float32) if form is None else work.at(form, frame)
        return normals_of(slopes) * np.float32(0.5) + np.float32(0.5)

    return draw


def _grey(mask: PictureNode | None) -> Draw:
    def draw(work: Work, frame: Frame) -> Floats:
        cover = np.ones(frame.shape, np.float32) if mask is None else work.at(mask, frame)
        return np.repeat(cover[:, :, None], 3, axis=2)

    return draw


def _cut(graph: Graph, light: str) -> Draw:
    air = air_of(graph.of(light).light.spread)
    distance = None if air is None or air.stands_at >= FOREMOST else graph.distance

    def draw(work: Work, frame: Frame) -> Floats:
        picture = work.at(graph.result, frame)
        if distance is None or air is None:  # nothing hides it
            return picture
        colour = contrasting(graph.plate.at(Frame.canonical(graph.plate.size, COLOUR_EDGE)))
        return mark_covered(picture, not_nearer(work.at(distance, frame), air), colour, held_off=True)

    return draw


def _tinted(graph: Graph, of: Owner) -> Draw:
    area = _area(graph, of)
    owner = graph.rig.house if isinstance(of, HouseOwner) else graph.of(of.id).light if isinstance(of, LightOwner) else None
    held_off = owner is not None and owner.mask.start == "everything"

    def draw(work: Work, frame: Frame) -> Floats:
        colour = contrasting(graph.plate.at(Frame.canonical(graph.plate.size, COLOUR_EDGE)))
        cover = None if area is None else work.at(area, frame)
        return mark_covered(work.at(graph.result, frame), cover, colour, held_off=held_off)

    return draw
