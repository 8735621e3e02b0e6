"""Keeps what was computed, least recently used out first, within a number of bytes."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from threading import Lock
from typing import Protocol, TypeVar, cast


class Sized(Protocol):
    @property
    def nbytes(self) -> int: ...


T = TypeVar("T", bound=Sized)


class Cache:
    """A mapping from keys made of settings to arrays and light fields. Safe between threads."""

    def __init__(self, most_bytes: int) -> None:
        self._most = most_bytes
        self._kept: OrderedDict[Hashable, Sized] = OrderedDict()
        self._bytes = 0
        self._clearings = 0
        self._lock = Lock()

    def get(self, key: Hashable, make: Callable[[], T]) -> T:
        """The value under `key`, made now if it is not there."""
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
                return cast(T, self._kept[key])
            begun = self._clearings
        value = make()
        with self._lock:
            # What was begun before everything was forgotten may hold what no longer does.
            if begun == self._clearings and key not in self._kept and value.nbytes <= self._most:
                self._kept[key] = value
                self._bytes += value.nbytes
                while self._bytes > self._most:
                    _, dropped = self._kept.popitem(last=False)
                    self._bytes -= dropped.nbytes
        return value

    def clear(self) -> None:
        """Forgets everything: what was computed no longer holds."""
        with self._lock:
            self._kept.clear()
            self._bytes = 0
            self._clearings += 1

    @property
    def nbytes(self) -> int:
        """What is kept, in bytes."""
        return self._bytes

    def peek(self, key: Hashable) -> Sized | None:
        """The value under `key` if it is there."""
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
            return self._kept.get(key)
