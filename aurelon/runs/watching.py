"""Pictures that arrive in a folder."""

from __future__ import annotations

import time
from collections.abc import Iterator
from pathlib import Path

from aurelon.core.codecs import suffixes

LOOK_EVERY = 1.0  # seconds between looks: notices of the system do not come from shared disks
State = tuple[int, int]  # size in bytes, and when it was last changed


def arrivals(folder: Path, every: float = LOOK_EVERY) -> Iterator[Path | None]:
    """Yields each picture file once it has stayed as it is from one look to the next, and again when it is changed; None after
    each look. A file that is still being written is waited for."""
    known = suffixes()
    seen: dict[Path, State] = {}
    given: dict[Path, State] = {}
    while True:
        now: dict[Path, State] = {}
        try:
            for path in sorted(folder.iterdir()):
                if path.suffix.lower() in known and not path.name.startswith("."):
                    stat = path.stat()
                    now[path] = stat.st_size, stat.st_mtime_ns
        except FileNotFoundError:
            pass  # moved away between the look and the question; or the folder, which may come back
        for path, state in now.items():
            if seen.get(path) == state != given.get(path) and state[0] > 0:
                given[path] = state
                yield path
        seen = now
        yield None
        time.sleep(every)
