"""The files that tasks name by their SHA-256, on this machine."""

from __future__ import annotations

import hashlib
import shutil
import zipfile
from collections import Counter
from collections.abc import Sequence
from pathlib import Path
from typing import BinaryIO

from aurelon.core import PlateError
from aurelon.runs.scratch import scratch_folder

PIECE = 1 << 20


class Contents:
    """Where each file is: one of the artist's own, or one put into a folder that is gone with this object."""

    def __init__(self) -> None:
        self._folder = scratch_folder("run")
        self._paths: dict[str, Path] = {}
        self._users: Counter[str] = Counter()

    def close(self) -> None:
        shutil.rmtree(self._folder, ignore_errors=True)

    def put(self, data: bytes) -> str:
        """Puts a file in the folder; its name. It stays until it has been dropped as often as it was put there."""
        name = hashlib.sha256(data).hexdigest()
        self._users[name] += 1
        if name not in self._paths:
            path = self._folder / name
            path.write_bytes(data)
            self._paths[name] = path
        return name

    def put_open(self, file: BinaryIO, name: str) -> str:
        """Puts a file in the folder whose name is known, piece by piece; as `put` else."""
        self._users[name] += 1
        if name not in self._paths:
            path = self._folder / name
            with path.open("wb") as result:
                shutil.copyfileobj(file, result, PIECE)
            self._paths[name] = path
        return name

    def take(self, path: Path) -> tuple[str, bytes]:
        """Takes a file where it is; its name and what it holds. Raises PlateError where it cannot be read."""
        try:
            data = path.read_bytes()
        except OSError as error:
            raise PlateError(f"{path} cannot be read ({error.strerror})") from error
        name = hashlib.sha256(data).hexdigest()
        self._paths.setdefault(name, path)
        return name, data

    def hold(self, path: Path, name: str) -> None:
        """Takes a file where it is, whose name is known."""
        self._paths.setdefault(name, path)

    def pack(self, files: Sequence[Path]) -> str:
        """Puts an archive of files in the folder, each byte for byte; its name, which is the same for the same files."""
        result = self._folder / "packed"
        with zipfile.ZipFile(result, "w", zipfile.ZIP_STORED) as archive:
            for file in files:
                with archive.open(zipfile.ZipInfo(file.name), "w", force_zip64=True) as entry, file.open("rb") as source:
                    shutil.copyfileobj(source, entry)
        with result.open("rb") as whole:
            name = hashlib.file_digest(whole, "sha256").hexdigest()
        self._paths[name] = result.rename(self._folder / name)
        self._users[name] += 1
        return name

    def path(self, name: str) -> Path:
        return self._paths[name]

    def drop(self, name: str) -> None:
        """Removes a file that was put in the folder, once it is no longer needed."""
        self._users[name] -= 1
        if self._users[name] <= 0:
            self._paths.pop(name).unlink(missing_ok=True)
