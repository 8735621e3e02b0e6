"""The kinds of light: one file, one kind, found here by what is in the folder, and those of installed extensions.

A kind's file ends with `KIND = Kind(...)`. Nothing else needs to know of it.
"""

from __future__ import annotations

import importlib
import pkgutil
import re
from functools import cache
from typing import Any

from aurelon.core.lights.shared.kind import AnyKind, Kind
from aurelon.core.plugins import Found, with_extensions
from aurelon.core.settings.base import settings_of

NAME = r"[a-z][a-z0-9-]{0,30}"


@cache
def found_kinds() -> Found[AnyKind]:
    """Every kind, and the extensions that were left out."""
    names = sorted(m.name for m in pkgutil.iter_modules(__path__) if not m.ispkg)
    own: list[AnyKind] = [importlib.import_module(f"{__name__}.{name}").KIND for name in names]
    in_order = {kind.name: kind for kind in sorted(own, key=lambda kind: kind.order)}
    return with_extensions(in_order, "aurelon.kinds", _checked)


def kinds() -> dict[str, AnyKind]:
    """Every kind by its name, in the order in which a person is offered them, extensions last."""
    return found_kinds().items


def _checked(result: Any) -> tuple[str, AnyKind]:
    if not isinstance(result, Kind):
        raise TypeError("its entry point is not a Kind")
    if not re.fullmatch(NAME, result.name):
        raise ValueError(f"'{result.name}' is not a valid name of a kind; use small letters, digits and dashes")
    for model in (result.source_settings, result.spread_settings):
        model.model_validate(model().model_dump())
        undeclared = set(model.model_fields) - {name for name, _ in settings_of(model)}
        if undeclared:
            raise TypeError(f"{model.__name__}.{min(undeclared)} is declared by no type of setting")
    return result.name, result
