"""The corners of an area."""

from __future__ import annotations

from typing import Any, Literal, Unpack

from aurelon.core.settings.base import Carry, Common, Setting


class PolygonSetting(Setting):
    """Places in order; fewer than three enclose no area."""

    type: Literal["polygon"] = "polygon"
    own: bool = True
    keyed: bool = True

    def carried(self, value: Any, to: Carry) -> Any:
        return [to(one) for one in value]


def polygon_setting(help: str, *, max_points: int, **common: Unpack[Common]) -> Any:
    """A setting that is an area drawn corner by corner, empty to begin with."""
    return PolygonSetting(help=help, **common).field((), max_length=max_points)


SETTING = PolygonSetting
