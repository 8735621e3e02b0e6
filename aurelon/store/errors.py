"""What can go wrong with kept things, said for people."""

from __future__ import annotations

from peewee import OperationalError

from aurelon.core import AurelonError

DataFileError = OperationalError  # what SQLite says where the data file cannot be read or written at the moment


class StoreError(AurelonError):
    """A data file that cannot be used."""


def unwritten(error: DataFileError) -> str:
    """Why the data file cannot be written at the moment, and what to do."""
    said = str(error)
    if "full" in said:
        return "there is no room left on the data file's disk; make room there"
    if "locked" in said or "busy" in said:
        return "the data file is held by another program; close that one"
    if "readonly" in said or "unable to open" in said:
        return f"the data file cannot be written to ({said}); allow it"
    return f"the data file cannot be written ({said}); see to its disk"


class Unknown(AurelonError):
    """There is no plate, take or saved rig of that number."""

    def __init__(self, noun: str, number: int) -> None:
        super().__init__(f"there is no {noun} number {number}; it may have been deleted")
