"""The parts that a mask is made of: one file, one part, found here by what is in the folder, and those of extensions.

A part's file ends with `PART = ...`, its model. Nothing else needs to know of it.
"""

from __future__ import annotations

import importlib
import pkgutil
from functools import cache
from typing import Any

from aurelon.core.masks.shared.part import Part
from aurelon.core.plugins import Found, with_extensions


@cache
def found_parts() -> Found[type[Part]]:
    """Every kind of mask part, and the extensions that were left out."""
    names = [m.name for m in pkgutil.iter_modules(__path__) if not m.ispkg]
    own: list[type[Part]] = [importlib.import_module(f"{__name__}.{name}").PART for name in names]
    in_order = {part.kind_name(): part for part in sorted(own, key=lambda part: part.order)}
    return with_extensions(in_order, "aurelon.masks", _checked)


def parts() -> dict[str, type[Part]]:
    """Every kind of mask part by its name, in the order in which a person is offered them."""
    return found_parts().items


def _checked(result: Any) -> tuple[str, type[Part]]:
    if not (isinstance(result, type) and issubclass(result, Part)):
        raise TypeError("its entry point is not a part of a mask")
    part = result(part=result.kind_name())
    result.model_validate(part.model_dump())
    return result.kind_name(), result
