"""A path for libraries that read and write nothing else."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager


@contextmanager
def as_path(data: bytes) -> Iterator[str]:
    """The path of a file that holds `data` and may be written to. Where the system can, it lies in memory: no disk can be full of
    it, and nothing is left of it when the process is killed."""
    if not hasattr(os, "memfd_create"):
        with tempfile.NamedTemporaryFile() as file:
            file.write(data)
            file.flush()
            yield file.name
        return
    with os.fdopen(os.memfd_create("aurelon"), "w+b") as file:
        file.write(data)
        file.flush()
        yield f"/proc/self/fd/{file.fileno()}"
