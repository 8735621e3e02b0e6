"""Where the pictures of a run are made: one file, one engine. An engine is given tasks, gives futures of what comes of them, and
loses none: a task whose worker is gone fails with WorkerLost and can be given again."""

from __future__ import annotations

from concurrent.futures import Future
from typing import Protocol

from aurelon.runs.contents import Contents
from aurelon.runs.tasks import Outcome, Task


class Engine(Protocol):
    """`close` ends what is still going. `says` is how it will work, as a person should know before it starts."""

    def ready(self, timeout: float | None) -> bool:
        """Waits until it can be given tasks; False where that is still to come after `timeout` seconds. Raises AurelonError where
        it cannot be used."""
        ...

    @property
    def workers(self) -> int:
        """How many tasks are worked on at once."""
        ...

    @property
    def room(self) -> int:
        """How many tasks are best on their way at once."""
        ...

    @property
    def says(self) -> str: ...

    def submit(self, task: Task, contents: Contents) -> Future[Outcome]: ...

    def close(self) -> None: ...
