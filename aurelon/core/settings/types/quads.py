"""Areas of four corners in perspective."""

from __future__ import annotations

from typing import Any, Literal, Unpack

from aurelon.core.settings.base import Carry, Common, Setting
from aurelon.core.settings.types.place import Place

Quad = tuple[Place, Place, Place, Place]


class Quads(Setting):
    """Each quad has its four corners in order. One more is laid as the next of the row."""

    type: Literal["quads"] = "quads"
    own: bool = True
    keyed: bool = True

    def carried(self, value: Any, to: Carry) -> Any:
        return [[to(corner) for corner in quad] for quad in value]


def quads_setting(default: tuple[Quad, ...], help: str, *, max_quads: int, **common: Unpack[Common]) -> Any:
    """A setting that is a list of quads."""
    return Quads(help=help, **common).field(default, max_length=max_quads)


SETTING = Quads
