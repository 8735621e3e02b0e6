"""How much one client may ask: so many requests a second in the long run, so many at once, so many sockets (OWASP ASVS 4.0.3,
V11.1.4 and V13.4). Far beyond what several windows do, and far below what would keep others waiting.
"""

from __future__ import annotations

import time
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass

from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Receive, Scope, Send

A_SECOND = 200.0  # requests, in the long run
IN_A_ROW = 2000.0  # requests that may come faster than that
AT_ONCE = 64  # requests that are being answered
SOCKETS = 32
KNOWN = 4096  # clients that are remembered
TOO_MANY = 4429  # by which a socket is closed


@dataclass
class Client:
    """What a client has open, and how many requests it may still make in a row, as of a moment."""

    left: float
    seen: float
    requests: int = 0
    sockets: int = 0


class Clients:
    """Refuses what a client asks beyond its share."""

    def __init__(self, app: ASGIApp, clock: Callable[[], float] = time.monotonic) -> None:
        self._app = app
        self._clock = clock
        self._clients: OrderedDict[str, Client] = OrderedDict()

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] not in ("http", "websocket"):
            await self._app(scope, receive, send)
            return
        client = self._client(scope)
        if scope["type"] == "websocket":
            if client.sockets >= SOCKETS:
                said = f"more than {SOCKETS} previews are open from this computer; close some of its windows"
                await send({"type": "websocket.close", "code": TOO_MANY, "reason": said})
                return
            client.sockets += 1
            try:
                await self._app(scope, receive, send)
            finally:
                client.sockets -= 1
            return
        if client.requests >= AT_ONCE or client.left < 1:
            said = "this computer asks for more than can be answered; wait a moment, and ask for less at once"
            await JSONResponse({"error": said, "problems": []}, 429, headers={"retry-after": "1"})(scope, receive, send)
            return
        client.left -= 1
        client.requests += 1
        try:
            await self._app(scope, receive, send)
        finally:
            client.requests -= 1

    def _client(self, scope: Scope) -> Client:
        """The one that asks, with what has come back to it since it was seen last."""
        now, name = self._clock(), (scope.get("client") or ("", 0))[0]
        client = self._clients.setdefault(name, Client(IN_A_ROW, now))
        client.left = min(client.left + (now - client.seen) * A_SECOND, IN_A_ROW)
        client.seen = now
        self._clients.move_to_end(name)
        while len(self._clients) > KNOWN:
            self._clients.popitem(last=False)
        return client
