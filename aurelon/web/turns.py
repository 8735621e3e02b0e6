"""Work on threads, given out in turn: to each client alike, and among a client's sockets alike, however much one of them asks."""

from __future__ import annotations

import asyncio
import time
from collections import OrderedDict, deque
from collections.abc import Callable, Hashable
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from typing import Any, Generic, TypeVar

T = TypeVar("T")
Queued = tuple[Callable[[], Any], "asyncio.Future[Any]"]
BESIDE = 3.0  # seconds for which a client that was served counts as one that others must leave room for


class _Lines(Generic[T]):
    """Lines of things by whom they belong to; the one that is taken from goes to the end."""

    def __init__(self) -> None:
        self.lines: OrderedDict[Hashable, deque[T]] = OrderedDict()

    def put(self, owner: Hashable, thing: T) -> None:
        self.lines.setdefault(owner, deque()).append(thing)

    def take(self) -> T:
        owner, line = self.lines.popitem(last=False)
        thing = line.popleft()
        if line:
            self.lines[owner] = line
        return thing


class Turns:
    """`threads` that work for all. While several clients ask, each has at most one of them less than there are, one at least."""

    def __init__(self, threads: int, clock: Callable[[], float] = time.monotonic) -> None:
        self._threads = ThreadPoolExecutor(threads, "preview")
        self._many = threads
        self._clock = clock
        self._waiting: OrderedDict[str, _Lines[Queued]] = OrderedDict()
        self._going: dict[str, int] = {}
        self._seen: dict[str, float] = {}

    async def run(self, client: str, socket: Hashable, work: Callable[[], T]) -> T:
        """What `work` gives, once it is this client's and this socket's turn."""
        future: asyncio.Future[T] = asyncio.get_running_loop().create_future()
        self._waiting.setdefault(client, _Lines()).put(socket, (work, future))
        self._seen[client] = self._clock()
        self._give()
        return await future

    def _share(self) -> int:
        """Threads that one client may have at once."""
        now = self._clock()
        self._seen = {client: seen for client, seen in self._seen.items() if now - seen < BESIDE or client in self._going}
        return self._many if len(self._seen) < 2 else max(1, self._many - 2)

    def _give(self) -> None:
        most = self._share()
        for client in list(self._waiting):
            while sum(self._going.values()) < self._many and self._going.get(client, 0) < most and client in self._waiting:
                lines = self._waiting[client]
                work, future = lines.take()
                if lines.lines:
                    self._waiting.move_to_end(client)
                else:
                    del self._waiting[client]
                if future.cancelled():
                    continue
                self._going[client] = self._going.get(client, 0) + 1
                loop = asyncio.get_running_loop()
                loop.run_in_executor(self._threads, work).add_done_callback(partial(self._done, client, future))
                break  # the next client's turn

    def _done(self, client: str, future: asyncio.Future[Any], inner: asyncio.Future[Any]) -> None:
        self._going[client] -= 1
        if self._going[client] == 0:
            del self._going[client]
        if not future.done():
            if inner.cancelled():
                future.cancel()
            elif (error := inner.exception()) is not None:
                future.set_exception(error)
            else:
                future.set_result(inner.result())
        else:
            inner.exception()  # the caller has gone
        self._give()
