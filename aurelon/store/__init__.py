"""Plates, their rigs and all that belongs to them, kept in one SQLite file."""

from aurelon.store.errors import DataFileError, StoreError, Unknown, unwritten
from aurelon.store.plates import PlateRecord
from aurelon.store.revisions import BenchState, Conflict
from aurelon.store.rigs import SavedRig
from aurelon.store.runs import Result, RunItemRecord, RunRecord, RunStage
from aurelon.store.store import Store
from aurelon.store.takes import Take

__all__ = [
    "BenchState",
    "Conflict",
    "DataFileError",
    "PlateRecord",
    "Result",
    "RunItemRecord",
    "RunRecord",
    "RunStage",
    "SavedRig",
    "Store",
    "StoreError",
    "Take",
    "Unknown",
    "unwritten",
]
