"""A seed: another number, another pattern of the same kind."""

from __future__ import annotations

from typing import Any, ClassVar, Literal, Unpack

from aurelon.core.settings.base import Common, Setting, Swept

HIGHEST = 9999


class Seed(Setting):
    """A whole number from `low` to `high` whose size means nothing."""

    type: Literal["seed"] = "seed"
    low: int = 0
    high: int = HIGHEST
    swept: Swept | None = "each"

    ON_A_STRIP: ClassVar[int] = 12

    def steps(self, present: Any, span: float, count: int) -> list[Any]:
        """The present seed and those that follow it."""
        return [(int(present) + k) % (self.high + 1) for k in range(count)]


def seed_setting(help: str, *, default: int = 1, **common: Unpack[Common]) -> Any:
    """A setting that chooses one of many random patterns."""
    return Seed(help=help, **common).field(default)


SETTING = Seed
