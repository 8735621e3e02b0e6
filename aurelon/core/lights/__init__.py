"""The kinds of light: one file, one kind, found here by what is in the folder.

A kind's file ends with `KIND = Kind(...)`. Nothing else needs to know of it.
"""

from __future__ import annotations

import importlib
import pkgutil
from functools import cache

from aurelon.core.lights.shared.kind import Kind


@cache
def kinds() -> dict[str, Kind]:
    """Every kind by its name, in alphabetical order."""
    names = sorted(m.name for m in pkgutil.iter_modules(__path__) if not m.ispkg)
    found: list[Kind] = [importlib.import_module(f"{__name__}.{name}").KIND for name in names]
    return {kind.name: kind for kind in found}
