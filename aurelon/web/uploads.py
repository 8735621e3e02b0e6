"""Stills that come in parts, until they are a reel: kept in a file of this service's own, and forgotten when no more comes."""

from __future__ import annotations

import shutil
import tempfile
import time
import uuid
import zipfile
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from pathlib import PurePath
from threading import Lock
from typing import IO, BinaryIO, cast

from aurelon.core import PlateError
from aurelon.core.reels.stills import sequence_in, sequence_name

MOST_BYTES = 32 << 30  # of all stills of a reel
FORGOTTEN = 900.0  # seconds of silence after which an upload is forgotten
AT_ONCE = 8  # uploads that are kept; the one that has rested for longest gives way


@dataclass
class Upload:
    """Stills that are coming: the names that are wanted, in order of their numbers, and an archive of those that came."""

    names: dict[str, None]
    file: IO[bytes] = field(default_factory=tempfile.TemporaryFile)
    came: set[str] = field(default_factory=set)
    size: int = 0
    last: float = 0.0
    lock: Lock = field(default_factory=Lock)

    @property
    def name(self) -> str:
        return f"{sequence_name(list(self.names))}.zip"


class Uploads:
    """The uploads that are going on. Safe between threads."""

    def __init__(self, clock: Callable[[], float] = time.monotonic) -> None:
        self._clock = clock
        self._uploads: dict[str, Upload] = {}
        self._lock = Lock()

    def begin(self, names: Iterable[str]) -> str:
        """A new upload of stills by these names; its id. Raises PlateError where they are not those of one reel."""
        ordered = sequence_in({PurePath(name).name for name in names})
        if ordered is None:
            raise PlateError("these files are not the numbered stills of one reel; bring them in one by one")
        upload = Upload(dict.fromkeys(ordered), last=self._clock())
        with zipfile.ZipFile(upload.file, "w", zipfile.ZIP_STORED):
            pass
        with self._lock:
            for old in [key for key, one in self._uploads.items() if self._clock() - one.last > FORGOTTEN]:
                self._uploads.pop(old).file.close()
            while len(self._uploads) >= AT_ONCE:
                self._uploads.pop(min(self._uploads, key=lambda key: self._uploads[key].last)).file.close()
            key = uuid.uuid4().hex
            self._uploads[key] = upload
            return key

    def add(self, key: str, files: Iterable[tuple[str, BinaryIO]]) -> int:
        """Adds files by their names; how many are still to come. Raises PlateError for one that is not wanted, and where all are
        more than a reel may have."""
        upload = self._get(key)
        with upload.lock, zipfile.ZipFile(upload.file, "a", zipfile.ZIP_STORED) as archive:
            for given, file in files:
                name = PurePath(given.replace("\\", "/")).name
                if name not in upload.names or name in upload.came:
                    raise PlateError(f"{name} is not one of the stills that were announced; bring them in again")
                with archive.open(zipfile.ZipInfo(name), "w", force_zip64=True) as entry:
                    shutil.copyfileobj(file, entry)
                upload.came.add(name)
                upload.size += file.tell()
                upload.last = self._clock()
                if upload.size > MOST_BYTES:
                    self.drop(key)
                    raise PlateError(f"{upload.name} is larger than {MOST_BYTES >> 30} GB; bring it in as several reels")
            return len(upload.names) - len(upload.came)

    def take(self, key: str) -> Upload:
        """The upload, which is over by that. Raises PlateError where some of its files have not come."""
        upload = self._get(key)
        if missing := len(upload.names) - len(upload.came):
            raise PlateError(f"{missing} of {len(upload.names)} stills have not come; bring them in again")
        with self._lock:
            self._uploads.pop(key, None)
        return upload

    def drop(self, key: str) -> None:
        """Forgets an upload."""
        with self._lock:
            upload = self._uploads.pop(key, None)
        if upload is not None:
            upload.file.close()

    def _get(self, key: str) -> Upload:
        with self._lock:
            upload = self._uploads.get(key)
        if upload is None:
            raise PlateError("this upload has expired; bring the stills in again")
        upload.last = self._clock()
        return upload


def opened(upload: Upload) -> BinaryIO:
    """The archive of an upload."""
    return cast(BinaryIO, upload.file)
