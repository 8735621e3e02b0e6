"""A place on the plate, in or outside the frame."""

from __future__ import annotations

import math
from typing import Annotated, Any, Literal, Unpack

from pydantic import Field

from aurelon.core.settings.base import Carry, Common, Setting

LEAST, MOST = -10.0, 11.0
DOWN = -90.0  # degrees
SAME_PLACE = 1e-4  # of the frame, within which the middle lies in no direction
# Fractions of the uncropped plate, x to the right and y down; what lies outside the frame is allowed.
Coordinate = Annotated[float, Field(ge=LEAST, le=MOST)]
Place = tuple[Coordinate, Coordinate]


# How a place is marked on the picture: a cross where something is, a ring where it points or ends, a disc where it is full.
Mark = Literal["cross", "ring", "disc"]


class PlaceSetting(Setting):
    """A place that a handle on the picture moves; each coordinate from `low` to `high`. `mark` tells it from others;
    `joined` is the place from which a line is drawn to it, along which something goes."""

    type: Literal["place"] = "place"
    low: float = LEAST
    high: float = MOST
    step: float = 0.005
    own: bool = True
    keyed: bool = True
    mark: Mark = "cross"
    joined: str = ""

    @property
    def bounds(self) -> dict[str, Any]:
        """None of its own: each coordinate has them."""
        return {}

    def carried(self, value: Any, to: Carry) -> Any:
        return to(value)


def toward_middle(place: tuple[float, float], width: float, height: float) -> float:
    """The direction in degrees from a place to the middle of a plate of those proportions; down where the place is the middle."""
    across, down = (0.5 - place[0]) * width, (0.5 - place[1]) * height
    return DOWN if math.hypot(across, down) < SAME_PLACE * width else math.degrees(math.atan2(-down, across))


def within_reach(place: tuple[float, float]) -> tuple[float, float]:
    """A place (plate fractions), as far as places can lie."""
    return (min(max(place[0], LEAST), MOST), min(max(place[1], LEAST), MOST))


def shifted_by(across: float, down: float) -> Carry:
    """Moves places by plate fractions."""
    return lambda place: within_reach((place[0] + across, place[1] + down))


def mirrored_place(place: Any) -> tuple[float, float]:
    """The place as far on the other side of the plate's upright middle line."""
    return within_reach((1 - place[0], place[1]))


def place_setting(default: Place, help: str, *, mark: Mark = "cross", joined: str = "", **common: Unpack[Common]) -> Any:
    """A setting that is a place."""
    return PlaceSetting(help=help, mark=mark, joined=joined, **common).field(default)


SETTING = PlaceSetting
