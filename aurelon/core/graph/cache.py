"""Keeps what was computed, least recently used out first, within a number of bytes."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from threading import Lock
from typing import NamedTuple, Protocol, TypeVar, cast


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
            started = self._clearings
        value = make()
        with self._lock:
            # What was begun before everything was forgotten may hold what no longer does.
            if started == self._clearings and key not in self._kept and value.nbytes <= self._most:
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

    def forget(self, owner: Hashable) -> None:
        """Forgets what the share of an `owner` keeps."""
        with self._lock:
            for key in [key for key in self._kept if isinstance(key, Owned) and key.owner == owner]:
                self._bytes -= self._kept.pop(key).nbytes

    @property
    def nbytes(self) -> int:
        """What is kept, in bytes."""
        return self._bytes

    @property
    def most_bytes(self) -> int:
        """The most that is kept, in bytes."""
        return self._most

    def peek(self, key: Hashable) -> Sized | None:
        """The value under `key` if it is there."""
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
            return self._kept.get(key)


class Layered(Cache):
    """A cache over another one, `beneath`, from which it takes what is there and to which it adds nothing."""

    def __init__(self, most_bytes: int, beneath: Cache | None) -> None:
        super().__init__(most_bytes)
        self._beneath = beneath

    def get(self, key: Hashable, make: Callable[[], T]) -> T:
        there = None if self._beneath is None else self._beneath.peek(key)
        return super().get(key, make) if there is None else cast(T, there)

    def peek(self, key: Hashable) -> Sized | None:
        there = None if self._beneath is None else self._beneath.peek(key)
        return super().peek(key) if there is None else there


class Owned(NamedTuple):
    """A key in the share of an owner."""

    owner: Hashable
    key: Hashable


class Share(Cache):
    """What one owner keeps in a cache that several use: the same key of two owners is two."""

    def __init__(self, whole: Cache, owner: Hashable) -> None:
        self._whole = whole
        self._owner = owner

    def get(self, key: Hashable, make: Callable[[], T]) -> T:
        return self._whole.get(Owned(self._owner, key), make)

    def peek(self, key: Hashable) -> Sized | None:
        return self._whole.peek(Owned(self._owner, key))

    def clear(self) -> None:
        self._whole.forget(self._owner)

    @property
    def nbytes(self) -> int:
        """Of the whole."""
        return self._whole.nbytes

    @property
    def most_bytes(self) -> int:
        """Of the whole."""
        return self._whole.most_bytes
