"""Something that is so or not."""

from __future__ import annotations

from typing import Any, Literal, Unpack

from aurelon.core.settings.base import Common, Setting


class Flag(Setting):
    """On or off."""

    type: Literal["flag"] = "flag"

    def numbers(self, value: bool) -> list[float]:
        return []  # there is nothing between on and off


def flag(default: bool, help: str, *, keyed: bool = False, **common: Unpack[Common]) -> Any:
    """A setting that is on or off; `keyed`, it may change over frames."""
    return Flag(help=help, keyed=keyed, **common).field(default)


SETTING = Flag
