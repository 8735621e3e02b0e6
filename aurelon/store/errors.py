"""What can go wrong with kept things, said for people."""

from __future__ import annotations

from aurelon.core import AurelonError


class StoreError(AurelonError):
    """A data file that cannot be used."""


class Unknown(AurelonError):
    """There is no plate, take or saved rig of that number."""

    def __init__(self, noun: str, number: int) -> None:
        super().__init__(f"there is no {noun} number {number}; it may have been deleted")
