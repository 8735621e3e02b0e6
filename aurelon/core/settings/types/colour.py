"""A colour that is picked by eye or typed."""

from __future__ import annotations

from typing import Any, Literal, Unpack

from aurelon.core.settings.base import Common, Setting


class ColourSetting(Setting):
    """An sRGB colour as "#rrggbb"."""

    type: Literal["colour"] = "colour"


def colour_setting(default: str, help: str, **common: Unpack[Common]) -> Any:
    """A setting that is a colour."""
    return ColourSetting(help=help, **common).field(default, pattern=r"^#[0-9a-f]{6}$")


SETTING = ColourSetting
