"""What can go wrong with kept things, said for people."""

from __future__ import annotations

from typing import TYPE_CHECKING

from aurelon.core import AurelonError

if TYPE_CHECKING:
    from aurelon.store.revisions import BenchState


class StoreError(AurelonError):
    """A data file that cannot be used."""


class Unknown(AurelonError):
    """There is no plate, take or saved rig of that number."""

    def __init__(self, noun: str, number: int) -> None:
        super().__init__(f"there is no {noun} number {number}; it may have been deleted")


class Conflict(AurelonError):
    """A save on a revision that is no longer the present one. `state` is what is there now."""

    def __init__(self, state: BenchState) -> None:
        super().__init__("this plate was changed in another window since this one last saw it")
        self.state = state
