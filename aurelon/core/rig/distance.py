"""What a rig says of how far things are in its plate."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from aurelon.core.rig.names import ID
from aurelon.core.settings import Settings, choice, file_setting, number


class Standing(Settings):
    """How near a matte stands, where that is said by hand."""

    nearness: float = number(
        0.5,
        "0 is infinitely far, 1 the nearest thing seen",
        label="Stands at",
        unit="share",
        low=0,
        high=1,
        step=0.01,
        essential=True,
    )


class Distance(Settings):
    """How far everything in the plate is, as nearness: 1 the nearest thing seen, 0 infinitely far."""

    origin: Literal["found", "horizon", "file", "none"] = choice(
        "found",
        "Where it is known from how far things are",
        label="Distance from",
        words={
            "found": "The picture",
            "horizon": "A horizon set by hand",
            "file": "A depth picture",
            "none": "Nothing: all is flat",
        },
        essential=True,
    )
    horizon: float = number(
        0.5,
        "Height of the horizon in the plate, from its top",
        unit="share",
        low=-0.5,
        high=1.5,
        step=0.005,
        handle="level",
        when={"origin": ["horizon"]},
        essential=True,
    )
    file: str = file_setting("The depth picture", when={"origin": ["file"]}, essential=True)
    near_is: Literal["white", "black"] = choice(
        "white",
        "Which tone of the depth picture is near",
        words={"white": "White", "black": "Black"},
        when={"origin": ["file"]},
        essential=True,
    )
    stands: dict[Annotated[str, Field(pattern=ID)], Annotated[float, Field(ge=0, le=1)]] = Field(
        {}, max_length=64, description="How near mattes stand, by their ids"
    )
