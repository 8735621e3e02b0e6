"""What can be made of a rig on a plate and taken away: one file, one target, found here by what is in the folder.

A target's file ends with `TARGET = ExportTarget(...)`. Nothing else needs to know of it.
"""

from __future__ import annotations

import importlib
import pkgutil
from functools import cache, reduce
from operator import or_
from typing import Annotated, Any

from pydantic import Field

from aurelon.core.export.shared.target import ExportTarget


@cache
def targets() -> dict[str, ExportTarget[Any]]:
    """Every target by its name."""
    names = sorted(m.name for m in pkgutil.iter_modules(__path__) if not m.ispkg)
    found: list[ExportTarget[Any]] = [importlib.import_module(f"{__name__}.{name}").TARGET for name in names]
    return {target.name: target for target in found}


# Read by Pydantic, not by the type checker, which cannot follow a union made at run time.
AnyExport: Any = Annotated[reduce(or_, (target.options for target in targets().values())), Field(discriminator="target")]
