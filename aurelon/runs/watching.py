"""Pictures that arrive in a folder."""

from __future__ import annotations

import time
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

from aurelon.core.codecs import suffixes

LOOK_EVERY = 1.0  # seconds between looks: notices of the system do not come from shared disks
RESTED = 2  # looks in a row for which a file must have stayed as it is: one that is being copied is not whole


@dataclass
class _Seen:
    """A file's size in bytes and when it was last changed, for how many looks that has been so, and whether it was yielded."""

    state: tuple[int, int]
    rested: int = 0
    given: bool = False


@dataclass
class Arrivals:
    """The picture files that arrive in `folder`. `troubles` are sentences of what could not be looked at, each said once."""

    folder: Path
    every: float = LOOK_EVERY
    troubles: list[str] = field(default_factory=list)
    _reported: set[str] = field(default_factory=set)
    _seen: dict[Path, _Seen] = field(default_factory=dict)

    def __iter__(self) -> Iterator[Path | None]:
        """Yields each file once it has rested, and again when it is changed; None after each look."""
        while True:
            yield from self._look()
            yield None
            time.sleep(self.every)

    def _look(self) -> list[Path]:
        now, ready = {}, []
        for path, state in self._states().items():
            before = self._seen.get(path)
            seen = before if before is not None and before.state == state else _Seen(state)
            if before is seen:
                seen.rested += 1
            if seen.rested >= RESTED and not seen.given and state[0] > 0:
                seen.given = True
                ready.append(path)
            now[path] = seen
        self._seen = now
        return ready

    def _states(self) -> dict[Path, tuple[int, int]]:
        known, found = suffixes(), {}
        try:
            paths = sorted(self.folder.iterdir())
        except OSError as error:  # it may come back
            self._say(f"{self.folder} cannot be read at the moment ({error.strerror}); it is looked at again")
            return {}
        for path in paths:
            if path.suffix.lower() not in known or path.name.startswith("."):
                continue
            try:
                stat = path.stat()
            except OSError as error:
                if path.is_symlink():
                    self._say(f"{path} is a link that leads to no file ({error.strerror}); it is left out until it does")
                continue  # else moved away between the look and the question
            if path.is_file():
                found[path] = stat.st_size, stat.st_mtime_ns
        return found

    def _say(self, sentence: str) -> None:
        if sentence not in self._reported:
            self._reported.add(sentence)
            self.troubles.append(sentence)

    def take_troubles(self) -> list[str]:
        """What there is to say since the last time."""
        sentence, self.troubles = self.troubles, []
        return sentence
