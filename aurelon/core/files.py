"""Files that are written whole or not at all, and files that are read where they lie."""

from __future__ import annotations

import io
import os
import tempfile
from abc import abstractmethod
from collections.abc import Callable
from pathlib import Path
from typing import Any, BinaryIO

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


class ReadInPlace(io.RawIOBase):
    """A file of `size` bytes that lies somewhere else and is read piece by piece."""

    def __init__(self, size: int) -> None:
        self._size = size
        self._at = 0

    @abstractmethod
    def piece(self, offset: int, size: int) -> bytes:
        """Some bytes from an offset on, `size` at the most; none at the end."""

    def readable(self) -> bool:
        return True

    def seekable(self) -> bool:
        return True

    def tell(self) -> int:
        return self._at

    def seek(self, offset: int, whence: int = io.SEEK_SET, /) -> int:
        self._at = max(0, offset + {io.SEEK_SET: 0, io.SEEK_CUR: self._at, io.SEEK_END: self._size}[whence])
        return self._at

    def readinto(self, buffer: Any, /) -> int:
        wanted = min(len(buffer), max(0, self._size - self._at))
        data = self.piece(self._at, wanted) if wanted else b""
        buffer[: len(data)] = data
        self._at += len(data)
        return len(data)
