"""Kinds of moving pictures: one module each, found here by what is in the folder.

A module offers TITLE, SUFFIXES, `matches(head)` and `open_footage(file)`. Adding a kind is adding a file.
"""

from __future__ import annotations

import importlib
import pkgutil
from functools import cache
from typing import cast

from aurelon.core.reels.shared.footage import Kind


@cache
def kinds_of_reel() -> dict[str, Kind]:
    """Every kind by the name of its module."""
    names = sorted(m.name for m in pkgutil.iter_modules(__path__) if not m.ispkg)
    return {name: cast(Kind, importlib.import_module(f"{__name__}.{name}")) for name in names}


def reel_suffixes() -> set[str]:
    """File endings of moving pictures, with the dot."""
    return {suffix for kind in kinds_of_reel().values() for suffix in kind.SUFFIXES}
