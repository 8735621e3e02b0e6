"""Plates and their rigs, kept in one SQLite file."""

from aurelon.store.store import BenchState, Conflict, PlateRecord, Store, UnknownPlate

__all__ = ["BenchState", "Conflict", "PlateRecord", "Store", "UnknownPlate"]
