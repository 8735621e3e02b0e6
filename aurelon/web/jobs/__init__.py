"""Jobs that the page starts: one file, one job, found here by what is in the folder.

A job's file has a `router` with the routes that start it and ends with `RESULT = ...`, the model of what it gives while it runs,
or None where it gives nothing. Nothing else needs to know of it.
"""

from __future__ import annotations

import importlib
import pkgutil
from functools import reduce
from operator import or_
from types import ModuleType
from typing import Any

MODULES: tuple[ModuleType, ...] = tuple(
    importlib.import_module(f"{__name__}.{name}") for name in sorted(m.name for m in pkgutil.iter_modules(__path__) if not m.ispkg)
)
# Read by Pydantic, not by the type checker, which cannot follow a union made at run time.
AnyResult: Any = reduce(or_, (module.RESULT for module in MODULES if module.RESULT is not None))
