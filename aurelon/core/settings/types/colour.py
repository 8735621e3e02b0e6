"""A colour that is picked by eye or typed."""

from __future__ import annotations

from typing import Any, Literal, Unpack

import numpy as np

from aurelon.core.imaging.rgb_space import SRGB_CURVE
from aurelon.core.settings.base import Common, Setting


class ColourSetting(Setting):
    """An sRGB colour as "#rrggbb"."""

    type: Literal["colour"] = "colour"
    keyed: bool = True

    def numbers(self, value: Any) -> list[float]:
        """In linear light, where colours mix as light does."""
        codes = np.array([int(value[place : place + 2], 16) / 255 for place in (1, 3, 5)])
        return [float(part) for part in SRGB_CURVE.decode(codes)]

    def of_numbers(self, like: Any, numbers: list[float]) -> Any:
        codes = SRGB_CURVE.encode(np.array(numbers, np.float32))
        return "#" + "".join(f"{round(float(code) * 255):02x}" for code in np.clip(codes, 0, 1))


def colour_setting(default: str, help: str, **common: Unpack[Common]) -> Any:
    """A setting that is a colour."""
    return ColourSetting(help=help, **common).field(default, pattern=r"^#[0-9a-f]{6}$")


SETTING = ColourSetting
