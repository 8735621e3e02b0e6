"""Kinds of files that a lit reel is written to: one module a family, found here by what is in the folder.

A module offers FORMATS (a table of `ReelFormat`), `segment(form, look, frames)` and, with times, sound and where to write,
`join(form, look, segments, times, sound, out)`. A reel is made in segments, each a file of its own, so that several can be made
at once and none twice.
"""

from __future__ import annotations

import importlib
import pkgutil
from functools import cache
from pathlib import Path, PurePath
from typing import cast

from aurelon.core.errors import OutputError
from aurelon.core.reels.shared.writing import ReelFormat, ReelWriter
from aurelon.core.reels.stills import is_pattern


@cache
def reel_writers() -> dict[str, tuple[ReelFormat, ReelWriter]]:
    """Every format that can be written here, with what writes it, by its name."""
    names = sorted(m.name for m in pkgutil.iter_modules(__path__) if not m.ispkg)
    modules = [cast(ReelWriter, importlib.import_module(f"{__name__}.{name}")) for name in names]
    found = [(form, module) for module in modules for form in module.FORMATS]
    return {form.name: (form, module) for form, module in sorted(found, key=lambda pair: pair[0].order)}


def reel_format_of_path(path: PurePath) -> ReelFormat | None:
    """The format that a file's ending asks for; None for one that no format of reels has."""
    return next((form for form, _ in reel_writers().values() if form.suffix == path.suffix.lower()), None)


def reel_format(name: str) -> tuple[ReelFormat, ReelWriter]:
    """Raises OutputError where no writer has that name."""
    if name not in reel_writers():
        raise OutputError(f"there is no format '{name}' for reels here; there are {', '.join(reel_writers())}")
    return reel_writers()[name]


def is_reel_output(out: Path) -> bool:
    """Whether a path says that moving pictures or numbered stills are wanted, and not one picture."""
    return is_pattern(out.name) or out.is_dir() or not out.suffix or reel_format_of_path(out) is not None
