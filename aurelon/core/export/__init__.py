"""What can be made of a rig on a plate and taken away: one file, one target, found here by what is in the folder.

A target's file ends with `TARGET = ExportTarget(...)`. The screen, the command line and runs offer every target that is here.
"""

from __future__ import annotations

import importlib
import pkgutil
from functools import cache, reduce
from operator import or_
from pathlib import PurePath
from typing import Annotated, Any

from pydantic import Field

from aurelon.core.codecs.shared.raster import Format
from aurelon.core.errors import OutputError
from aurelon.core.export.shared.target import ExportTarget
from aurelon.core.reels.writers import reel_format_of_path


@cache
def targets() -> dict[str, ExportTarget[Any]]:
    """Every target by its name."""
    names = sorted(m.name for m in pkgutil.iter_modules(__path__) if not m.ispkg)
    found: list[ExportTarget[Any]] = [importlib.import_module(f"{__name__}.{name}").TARGET for name in names]
    return {target.name: target for target in sorted(found, key=lambda target: target.order)}


USUAL = next(iter(targets()))  # the target of exports that name none


def format_for(target: str, path: PurePath) -> Format:
    """The format in which a target is written to a path. Raises OutputError for an ending that it has none for, which names what
    can be done."""
    wanted = targets()[target]
    form = wanted.format_of(path)
    if form is not None:
        return form
    others = [other.switch for other in targets().values() if other.switch and other.format_of(path) is not None]
    if others and wanted.name == USUAL:
        raise OutputError(f"{path.name} cannot hold a single picture; add {' or '.join(others)}, or choose another ending")
    if reel_format_of_path(path) is not None:
        raise OutputError(f"{path.name} is a file of moving pictures; name a reel as the plate, or choose another ending")
    known = ", ".join(sorted(suffix for form in wanted.formats() for suffix in form.suffixes))
    what = f"{wanted.name} can be written to" if wanted.switch else "Aurelon can write"
    raise OutputError(f"{path.name} has no ending that {what}; use {known}")


# Read by Pydantic, not by the type checker, which cannot follow a union made at run time.
AnyExport: Any = Annotated[reduce(or_, (target.options for target in targets().values())), Field(discriminator="target")]
