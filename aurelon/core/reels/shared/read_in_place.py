"""Files that are read piece by piece where they lie: in a database, or in another process."""

from __future__ import annotations

import io
from abc import abstractmethod
from typing import Any


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
