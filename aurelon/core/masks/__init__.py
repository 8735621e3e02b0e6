"""The parts that a mask is made of: one file, one part, found here by what is in the folder.

A part's file ends with `PART = ...`, its model. Nothing else needs to know of it.
"""

from __future__ import annotations

import importlib
import pkgutil
from functools import cache

from aurelon.core.masks.shared.part import Part


@cache
def parts() -> dict[str, type[Part]]:
    """Every kind of mask part by its name, in the order in which a person is offered them."""
    names = [m.name for m in pkgutil.iter_modules(__path__) if not m.ispkg]
    found: list[type[Part]] = [importlib.import_module(f"{__name__}.{name}").PART for name in names]
    return {part.kind_name(): part for part in sorted(found, key=lambda part: part.place)}
