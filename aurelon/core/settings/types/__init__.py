"""The types of setting: one file, one type, found here by what is in the folder.

A type's file ends with `SETTING = ...`, its model. On the screen it has one file of the same name.
"""

from __future__ import annotations

import importlib
import pkgutil
from functools import cache

from aurelon.core.settings.base import Setting


@cache
def setting_types() -> dict[str, type[Setting]]:
    """Every type of setting by its name."""
    names = sorted(m.name for m in pkgutil.iter_modules(__path__))
    found: list[type[Setting]] = [importlib.import_module(f"{__name__}.{name}").SETTING for name in names]
    return {str(one.model_fields["type"].default): one for one in found}
