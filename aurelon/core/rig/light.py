"""A light in a rig. The models are put together from the kinds in `lights/`, so a kind needs no entry here."""

from __future__ import annotations

from collections.abc import Iterator
from functools import reduce
from operator import or_
from typing import Annotated, Any, Literal, Self, cast

from pydantic import Field, create_model

from aurelon.core.lights import kinds
from aurelon.core.lights.shared.kind import AnyKind, Colour, LookAt, Merge
from aurelon.core.masks.shared.mask import Mask
from aurelon.core.rig.names import ID, NAME_LENGTH
from aurelon.core.settings import Settings, flag, matte_setting, number, settings_of


class Behind(Settings):
    """What stands before a light."""

    matte: str = matte_setting("What stands before the light", essential=True)
    spill: float = number(
        0.0, "How much light still reaches what stands before it", unit="share", low=0, high=1, step=0.01, essential=True
    )


class Light(Settings):
    """One live light. Each kind adds its own `kind`, `source` and `spread`."""

    id: str = Field(pattern=ID, description="Names the light within its rig")
    name: str = Field("", max_length=NAME_LENGTH, description="What the light is called on the desk")
    kind: str
    on: bool = flag(True, "Whether the light shines", label="Shines", keyed=True)
    group: str = Field("", max_length=64, description="Lights of one group share their settings, but for where they are")
    look_at: LookAt = Field("prepared", description="Which picture the light reads")
    behind: Behind = Field(Behind(), description="What stands before the light")
    source: Settings
    spread: Settings
    colour: Colour = Colour()
    mask: Mask = Mask()
    merge: Merge = Merge()

    def read_mattes(self) -> list[str]:
        """Ids of the mattes that its source reads."""
        return [matte for stage, name in self._refers() if stage == "source" and (matte := getattr(self.source, name))]

    def _refers(self) -> Iterator[tuple[str, str]]:
        """Stage and name of every setting of its own that names a matte."""
        for stage in ("source", "spread", "behind"):
            for name, setting in settings_of(type(getattr(self, stage))):
                if setting.type == "matte":
                    yield stage, name

    def mattes(self) -> list[str]:
        """Ids of the mattes that it refers to, its mask included."""
        own = [getattr(getattr(self, stage), name) for stage, name in self._refers()]
        return [*(matte for matte in own if matte), *self.mask.mattes()]

    def with_mattes(self, names: dict[str, str]) -> Self:
        """The light with the mattes that it refers to called as `names` says."""
        update: dict[str, Any] = {"mask": self.mask.with_mattes(names)}
        for stage, name in self._refers():
            group = update.get(stage, getattr(self, stage))
            now = getattr(group, name)
            update[stage] = group.model_copy(update={name: names.get(now, now)})
        return self.model_copy(update=update)


def _model_of(kind: AnyKind) -> type[Light]:
    fields: dict[str, Any] = {
        "kind": (Literal[kind.name], ...),
        "look_at": (LookAt, Field(kind.look_at, description="Which picture the light reads")),
        "source": (kind.source_settings, kind.source_settings()),
        "spread": (kind.spread_settings, kind.spread_settings()),
        "colour": (Colour, kind.colour),
        "merge": (Merge, kind.merge),
    }
    name = f"{kind.name.title().replace('-', '')}Light"
    return cast(type[Light], create_model(name, __base__=Light, __doc__=kind.summary, **fields))


LIGHT_MODELS: dict[str, type[Light]] = {name: _model_of(kind) for name, kind in kinds().items()}
# Read by Pydantic, not by the type checker, which cannot follow a union made at run time.
AnyLight: Any = Annotated[reduce(or_, LIGHT_MODELS.values()), Field(discriminator="kind")]
