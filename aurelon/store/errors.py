"""What can go wrong with kept things, said for people."""

from __future__ import annotations

from peewee import OperationalError

from aurelon.core import AurelonError

DataFileError = OperationalError  # what SQLite says where the data file cannot be read or written at the moment


class StoreError(AurelonError):
    """A data file that cannot be used."""


def unwritten(error: DataFileError) -> str:
    """Why the data file cannot be written at the moment, and what to do."""
    sentence = str(error)
    if "full" in sentence:
        return "there is no room left on the data file's disk; make room there"
    if "locked" in sentence or "busy" in sentence:
        return "the data file is held by another program; close that one"
    if "readonly" in sentence or "unable to open" in sentence:
        return f"the data file cannot be written to ({sentence}); allow it"
    return f"the data file cannot be written ({sentence}); see to its disk"


class Unknown(AurelonError):
    """There is no plate, take or saved rig of that number."""

    def __init__(self, noun: str, number: int) -> None:
        super().__init__(f"there is no {noun} number {number}; it may have been deleted")
