"""Files that are written whole or not at all."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import BinaryIO

from aurelon.core.errors import OutputError


def write_whole(path: Path, write: Callable[[BinaryIO], object]) -> None:
    """Has a file written that is there whole or not at all. Raises OutputError that names it."""
    temporary = None
    try:
        handle, name = tempfile.mkstemp(dir=path.parent, prefix=".aurelon-")
        temporary = Path(name)
        with os.fdopen(handle, "wb") as file:
            write(file)
        temporary.chmod(0o666 & ~_umask())
        temporary.replace(path)
    except OSError as error:
        if temporary is not None:
            temporary.unlink(missing_ok=True)
        raise OutputError(f"{path} cannot be written: {error.strerror or error}; choose another place") from error


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask
