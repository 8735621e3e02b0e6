"""A mask: where a light may be. Parts in order, each of which adds, takes away or intersects."""

from __future__ import annotations

import hashlib
from functools import cached_property, reduce
from operator import or_
from typing import Annotated, Any, Literal, Self, cast

import numpy as np
from pydantic import Field

from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.frame import Frame
from aurelon.core.masks import parts
from aurelon.core.masks.shared.cover import covered
from aurelon.core.masks.shared.part import Combine, Ground, Part
from aurelon.core.settings import Settings, choice

# Read by Pydantic, not by the type checker, which cannot follow a union made at run time.
AnyPart: Any = Annotated[reduce(or_, parts().values()), Field(discriminator="part")]
START = {"everything": "Everything", "nothing": "Nothing"}


class Mask(Settings):
    """Where the light may be: all of the plate or none of it to begin with, then part by part.

    What is undone with the brush is undone whatever part before it did it.
    With m the mask so far and p what a part covers: add is m + p - m p, subtract m (1 - p), intersect m p.
    """

    start: Literal["everything", "nothing"] = choice(
        "everything",
        "What the mask holds before any part: everything, to paint away from, or nothing, to paint in",
        label="Begins with",
        words=START,
    )
    parts: tuple[AnyPart, ...] = Field((), max_length=32, description="The parts, in order")

    @property
    def stack(self) -> tuple[Part, ...]:
        return cast(tuple[Part, ...], self.parts)

    @property
    def has_keys(self) -> bool:
        return any(part.keys for part in self.stack)

    def at(self, frame: int) -> Self:
        """The mask as it is at a frame of a reel, counted from 0."""
        return self.model_copy(update={"parts": tuple(part.still(frame) for part in self.stack)})

    @cached_property
    def digest(self) -> str:
        """Names the mask as it is written; what it covers depends on the plate as well."""
        return hashlib.sha256("".join([self.start, *(part.digest for part in self.stack)]).encode()).hexdigest()

    def inverted(self) -> Self:
        """The mask that covers just what this one leaves, its parts as editable as before.

        By de Morgan's laws: the start turns round, adding becomes taking away and the reverse, and
        keeping what both cover becomes adding what the part leaves.
        """
        turn: dict[Combine, Combine] = {"add": "subtract", "subtract": "add", "intersect": "add"}
        turned = tuple(
            part.model_copy(update={"combine": turn[part.combine], "invert": part.invert != (part.combine == "intersect")})
            for part in self.stack
        )
        start = "nothing" if self.start == "everything" else "everything"
        return self.model_copy(update={"start": start, "parts": turned})

    @property
    def reads_picture(self) -> bool:
        return any(part.of_picture or part.fit for part in self.stack)

    def mattes(self) -> list[str]:
        """Ids of the mattes that its parts refer to."""
        return [matte for part in self.stack for matte in part.mattes()]

    def files(self) -> list[str]:
        """Names of the files that its parts refer to."""
        return [name for part in self.stack for name in part.files()]

    def with_mattes(self, names: dict[str, str]) -> Self:
        """The mask with the mattes that its parts refer to called as `names` says."""
        turned = []
        for part in self.stack:
            renamed = {
                name: names.get(getattr(part, name), getattr(part, name))
                for name, setting in part.own_settings().items()
                if setting.type == "matte"
            }
            turned.append(part.model_copy(update=renamed) if renamed else part)
        return self.model_copy(update={"parts": tuple(turned)})


def masked(mask: Mask, ground: Ground, frame: Frame, initial_cover: Floats | None = None) -> Floats | None:
    """(h, w) in 0..1, or None for all of the plate; a mask of everything begins with `initial_cover` (h, w)."""
    everything = mask.start == "everything"
    result = initial_cover if everything else None  # all or nothing, until a part changes it
    for part in mask.stack:
        # Where there is all already nothing can be added, and where there is nothing none taken.
        idle = result is None and everything == (part.combine == "add")
        if idle or not part.counts(ground):
            continue
        cover = covered(part, ground, frame)
        # What the hand does last wins: with p what was laid and not taken up again, and u what was undone since, m
        # becomes m (1 - p - u) + u where light is taken, and the same of 1 - m where it is added.
        undone = None if result is None or part.undone is None else covered(part.undone, ground, frame)
        if result is None:
            result = 1 - cover if part.combine == "subtract" else cover
        elif undone is not None:
            kept = np.maximum(1 - cover - undone, 0)
            result = result * kept + undone if part.combine == "subtract" else 1 - ((1 - result) * kept + undone)
        elif part.combine == "add":
            result = result + cover * (1 - result)
        else:
            result = result * (1 - cover if part.combine == "subtract" else cover)
    return np.zeros(frame.shape, np.float32) if result is None and not everything else result
