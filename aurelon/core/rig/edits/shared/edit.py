"""An edit of a rig: something that is done to it in one press, by a rule that the screen does not know."""

from __future__ import annotations

from dataclasses import dataclass, field

from aurelon.core.rig.model import Rig
from aurelon.core.rig.owner import Owner
from aurelon.core.settings import Settings


@dataclass(frozen=True)
class Edited:
    """The rig after an edit, what it was, in a few words, and what a person should know of it. `owner`, and where it is
    a part of a mask, `part`, is what should be selected now; None leaves the selection."""

    rig: Rig
    label: str
    owner: Owner | None = None
    part: int | None = None
    notes: list[str] = field(default_factory=list)


class Edit(Settings):
    """One edit: its kind adds `do` and what it needs to know."""

    do: str

    def apply(self, rig: Rig) -> Edited:
        """Raises RigError where the rig does not have what the edit is about."""
        raise TypeError(f"{type(self).__name__} does not say what it does")
