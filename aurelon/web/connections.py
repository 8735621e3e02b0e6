"""Connections that must get on: a request's head comes within seconds, and no peer holds more of them than its share."""

from __future__ import annotations

import asyncio
import resource
from collections import OrderedDict, defaultdict
from typing import Any, cast

import h11
from uvicorn.protocols.http.h11_impl import H11Protocol

HEAD_SECONDS = 10.0  # in which the head of a request must have come
A_PEER = 200  # connections of one address; the one that has waited longest for a head gives way to a new one
FILES = 8192  # descriptors that the service wants

_waiting: defaultdict[str, OrderedDict[PatientProtocol, None]] = defaultdict(OrderedDict)
_open: defaultdict[str, set[PatientProtocol]] = defaultdict(set)


def raise_file_limit() -> None:
    """Allows this process as many open files as the system lets it have, up to `FILES`."""
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    most = FILES if hard == resource.RLIM_INFINITY else min(FILES, hard)
    if soft < most:
        resource.setrlimit(resource.RLIMIT_NOFILE, (most, hard))


class PatientProtocol(H11Protocol):
    """HTTP/1.1 whose patience has an end."""

    def __init__(self, *arguments: Any, **named: Any) -> None:
        super().__init__(*arguments, **named)
        self._peer = ""
        self._timer: asyncio.TimerHandle | None = None

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        super().connection_made(cast(asyncio.Transport, transport))
        self._peer = str((transport.get_extra_info("peername") or ("",))[0])
        _open[self._peer].add(self)
        self._wait()
        if len(_open[self._peer]) > A_PEER:
            oldest = next(iter(_waiting[self._peer]), self)
            oldest._give_up()

    def data_received(self, data: bytes) -> None:
        super().data_received(data)
        if self.transport.get_protocol() is not self:  # it has become a socket of the preview, which is counted elsewhere
            self._gone()
        elif self.conn.their_state is h11.IDLE:
            self._wait()
        else:
            self._stop_waiting()

    def connection_lost(self, exc: Exception | None) -> None:
        self._gone()
        super().connection_lost(exc)

    def _wait(self) -> None:
        if self._timer is None:
            self._timer = asyncio.get_running_loop().call_later(HEAD_SECONDS, self._give_up)
            _waiting[self._peer][self] = None

    def _stop_waiting(self) -> None:
        if self._timer is not None:
            self._timer.cancel()
            self._timer = None
        _waiting[self._peer].pop(self, None)

    def _gone(self) -> None:
        self._stop_waiting()
        _open[self._peer].discard(self)
        if not _open[self._peer]:
            _open.pop(self._peer, None)
            _waiting.pop(self._peer, None)

    def _give_up(self) -> None:
        self._stop_waiting()
        if not self.transport.is_closing():
            self.transport.abort()
