"""Something that is so or not."""

from __future__ import annotations

from typing import Any, Literal, Unpack

from aurelon.core.settings.base import Common, Setting


class Flag(Setting):
    """On or off."""

    type: Literal["flag"] = "flag"


def flag(default: bool, help: str, **common: Unpack[Common]) -> Any:
    """A setting that is on or off."""
    return Flag(help=help, **common).field(default)


SETTING = Flag
