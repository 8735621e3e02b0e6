"""Where compiled kernels are kept: Numba's cache, made safe against a kill, a full disk and damaged files.

Numba writes its index before the file that the index names, so that a process that is killed between the two leaves an index that
names a file of an older kernel. Here the index comes last, and each file begins with its digest.
"""

from __future__ import annotations

import hashlib
import logging
import pickle
from itertools import count
from pathlib import Path
from typing import Any

from numba.core import caching

from aurelon import __version__

DIGEST = hashlib.sha256().digest_size
UNREADABLE = (OSError, EOFError, pickle.UnpicklingError, ValueError, KeyError, IndexError, AttributeError, ImportError, TypeError)
NumbaFiles: Any = caching.IndexDataCacheFile  # Numba has no types
NumbaCache: Any = caching.FunctionCache
log = logging.getLogger(__name__)
_reported: set[str] = set()


def report_once(what: str) -> None:
    """A warning that is given once for each process, however many kernels it is about."""
    if what not in _reported:
        _reported.add(what)
        log.warning(what)


class _Files(NumbaFiles):  # type: ignore[misc]
    def save(self, key: Any, data: Any) -> None:
        known = self._load_index()
        taken = set(known.values())
        name = known.get(key) or next(name for n in count(1) if (name := self._data_name(n)) not in taken)
        self._save_data(name, data)
        if key not in known:
            self._save_index(known | {key: name})

    def _load_index(self) -> dict[Any, str]:
        try:
            return dict(super()._load_index())
        except UNREADABLE:
            return {}

    def _save_data(self, name: str, data: Any) -> None:
        body = self._dump(data)
        with self._open_for_write(self._data_path(name)) as file:
            file.write(hashlib.sha256(body).digest() + body)

    def _load_data(self, name: str) -> Any:
        content = Path(self._data_path(name)).read_bytes()
        digest, body = content[:DIGEST], content[DIGEST:]
        if hashlib.sha256(body).digest() != digest:
            raise OSError(f"{name} is damaged")
        return pickle.loads(body)


class KernelCache(NumbaCache):  # type: ignore[misc]
    """Keeps what is compiled of a function. Raises RuntimeError where no folder can be written to."""

    def __init__(self, function: Any) -> None:
        super().__init__(function)
        locator = self._impl.locator
        self._cache_file = _Files(
            cache_path=self._cache_path, filename_base=self._impl.filename_base, source_stamp=locator.get_source_stamp()
        )

    def _index_key(self, signature: Any, codegen: Any) -> tuple[Any, ...]:
        # A kernel holds others of other files, which may have changed with the version while its own file has not. What it holds as
        # a closure goes with its name.
        code = hashlib.sha256(self._py_func.__code__.co_code).hexdigest()
        return (signature, codegen.magic_tuple(), code, __version__)

    def load_overload(self, signature: Any, target: Any) -> Any:
        try:
            return super().load_overload(signature, target)
        except UNREADABLE as error:
            report_once(f"a kernel in {self.cache_path} cannot be read ({type(error).__name__}); it is compiled again")
            return None

    def save_overload(self, signature: Any, compiled: Any) -> None:
        try:
            super().save_overload(signature, compiled)
        except OSError as error:
            report_once(f"kernels cannot be kept in {self.cache_path} ({error.strerror}); make room, or every start takes a minute")
