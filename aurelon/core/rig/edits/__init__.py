"""Edits of a rig: one file, one edit, found here by what is in the folder.

An edit's file ends with `EDIT = ...`, its model. Nothing else needs to know of it.
"""

from __future__ import annotations

import importlib
import pkgutil
from functools import cache, reduce
from operator import or_
from typing import Annotated, Any

from pydantic import Field

from aurelon.core.rig.edits.shared.edit import Edit, Edited

__all__ = ["AnyEdit", "Edit", "Edited", "edits"]


@cache
def edits() -> tuple[type[Edit], ...]:
    """Every edit."""
    names = sorted(m.name for m in pkgutil.iter_modules(__path__) if not m.ispkg)
    return tuple(importlib.import_module(f"{__name__}.{name}").EDIT for name in names)


# Read by Pydantic, not by the type checker, which cannot follow a union made at run time.
AnyEdit: Any = Annotated[reduce(or_, edits()), Field(discriminator="do")]
