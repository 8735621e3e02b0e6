"""A path through places."""

from __future__ import annotations

from typing import Any, Literal, Unpack

from aurelon.core.settings.base import Carry, Common, Setting
from aurelon.core.settings.types.place import Place


class Path(Setting):
    """Places in the order in which the path runs through them."""

    type: Literal["path"] = "path"
    own: bool = True
    keyed: bool = True

    def carried(self, value: Any, to: Carry) -> Any:
        return [to(one) for one in value]


def path_setting(default: tuple[Place, ...], help: str, *, max_points: int, **common: Unpack[Common]) -> Any:
    """A setting that is a path."""
    return Path(help=help, **common).field(default, max_length=max_points)


SETTING = Path
