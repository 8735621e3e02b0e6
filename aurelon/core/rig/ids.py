"""Ids within a rig."""

from __future__ import annotations

from collections.abc import Collection
from itertools import count

STEM = 56  # characters of an id that are left of it when a number is added


def free_id(wanted: str, taken: Collection[str]) -> str:
    """`wanted`, or the same with the lowest number from 2 that makes it an id that is not taken."""
    if wanted not in taken:
        return wanted
    head, _, tail = wanted.rpartition("-")
    stem = (head if head and tail.isdigit() else wanted)[:STEM]
    return next(result for n in count(2) if (result := f"{stem}-{n}") not in taken)
