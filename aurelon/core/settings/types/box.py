"""A loose box round something."""

from __future__ import annotations

from typing import Annotated, Any, Literal, Unpack

from pydantic import Field

from aurelon.core.settings.base import Common, Setting

Side = Annotated[float, Field(ge=-1, le=2)]
Corners = tuple[Side, Side, Side, Side]


class BoxSetting(Setting):
    """Left, top, right and bottom in plate fractions, or none."""

    type: Literal["box"] = "box"
    own: bool = True


def box_setting(help: str, **common: Unpack[Common]) -> Any:
    """A setting that is a box, or none."""
    return BoxSetting(help=help, **common).field(None)


SETTING = BoxSetting
