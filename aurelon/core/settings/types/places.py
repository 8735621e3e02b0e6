"""Points of light: placed by hand, or found ones that are switched off."""

from __future__ import annotations

from typing import Any, Literal, Unpack

from aurelon.core.settings.base import Carry, Common, Setting


class Places(Setting):
    """A list of places. Points of a list that is `adds` shine; those of the other are switched off."""

    type: Literal["places"] = "places"
    adds: bool = True
    own: bool = True
    keyed: bool = True

    def carried(self, value: Any, to: Carry) -> Any:
        return [to(one) for one in value]


def places_setting(help: str, *, max_points: int, adds: bool = True, **common: Unpack[Common]) -> Any:
    """A setting that is a list of places, empty to begin with."""
    return Places(help=help, adds=adds, **common).field((), max_length=max_points)


SETTING = Places
