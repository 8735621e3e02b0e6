"""Plates and their rigs, kept in one SQLite file."""

from aurelon.store.store import BenchState, Conflict, PlateRecord, SavedRig, Store, Take, Unknown, UnknownPlate

__all__ = ["BenchState", "Conflict", "PlateRecord", "SavedRig", "Store", "Take", "Unknown", "UnknownPlate"]
