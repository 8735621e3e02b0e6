"""A matte of the rig."""

from __future__ import annotations

from typing import Any, Literal, Unpack

from aurelon.core.settings.base import Common, Setting


class MatteSetting(Setting):
    """A matte by its id, or none."""

    type: Literal["matte"] = "matte"


def matte_setting(help: str, **common: Unpack[Common]) -> Any:
    """A setting that names a matte, none to begin with."""
    return MatteSetting(help=help, **common).field("", max_length=64)


SETTING = MatteSetting
