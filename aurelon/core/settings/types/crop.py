"""What of the straightened picture is seen."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, Literal, Self

from pydantic import Field, model_validator

from aurelon.core.settings.base import Setting, Settings

Share = Annotated[float, Field(ge=0, le=1)]
SMALLEST_CROP = 0.01


class Crop(Settings):
    """A box of the straightened picture, in fractions of the plate: left, top, right, bottom."""

    x0: Share = 0.0
    y0: Share = 0.0
    x1: Share = 1.0
    y1: Share = 1.0

    @model_validator(mode="after")
    def _has_an_inside(self) -> Self:
        if self.x1 - self.x0 < SMALLEST_CROP or self.y1 - self.y0 < SMALLEST_CROP:
            raise ValueError(f"the crop is too small; each side must be at least {SMALLEST_CROP:.0%} of the plate's")
        return self

    def shifted(self, across: float, down: float) -> Self:
        """The box moved, as large as it is, as far as the picture goes."""
        across = min(max(across, -self.x0), 1 - self.x1)
        down = min(max(down, -self.y0), 1 - self.y1)
        sides = {"x0": self.x0 + across, "x1": self.x1 + across, "y0": self.y0 + down, "y1": self.y1 + down}
        return type(self)(**{side: min(max(value, 0.0), 1.0) for side, value in sides.items()})


class CropSetting(Setting):
    """A box to which a picture is cropped, or none for all of it."""

    type: Literal["crop"] = "crop"
    keyed: bool = True

    def taken(self, value: Any) -> Any:
        return Crop.model_validate(value) if isinstance(value, Mapping) else value

    def numbers(self, value: Any) -> list[float]:
        crop = self.taken(value)
        return [] if crop is None else [crop.x0, crop.y0, crop.x1, crop.y1]

    def of_numbers(self, like: Any, numbers: list[float]) -> Any:
        return Crop(**dict(zip(("x0", "y0", "x1", "y1"), numbers, strict=True))) if numbers else None


def crop_setting(help: str) -> Any:
    """A setting that is a crop; all of the picture to begin with."""
    return CropSetting(help=help).field(None)


SETTING = CropSetting
