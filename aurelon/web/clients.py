"""How much one client may ask: requests a second in the long run, requests at once, and sockets (OWASP ASVS 4.0.3,
V11.1.4 and V13.4). Far beyond what several windows do, and far below what would keep others waiting.

A request that is still coming is not being answered yet, and does not count as one that is; of those that are still coming, the one
that has been silent for longest gives way to a new one.
"""

from __future__ import annotations

import asyncio
import time
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, field

from starlette.requests import ClientDisconnect
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

A_SECOND = 200.0  # requests, in the long run
IN_A_ROW = 2000.0  # requests that may come faster than that
AT_ONCE = 64  # requests that are being answered
COMING = 32  # requests whose body is still coming
SOCKETS = 32
KNOWN = 4096  # clients that are remembered
TOO_MANY = 4429  # by which a socket is closed
SILENT = 20.0  # seconds of silence after which a request body is given up
SLOWEST = 16 << 10  # bytes a second that a body must come at, in the long run
BEGINNING = 30.0  # seconds in which that does not count yet


def client_of(scope: Scope) -> str:
    """The address that asks."""
    return str((scope.get("client") or ("", 0))[0])


class TooSlow(Exception):
    """The body of a request came too slowly, or made room for another."""


class Body:
    """A request's body while it comes."""

    def __init__(self, receive: Receive, clock: Callable[[], float]) -> None:
        self._receive = receive
        self._clock = clock
        self._begun = clock()
        self._came = 0
        self._dropped = asyncio.Event()
        self.last = self._begun  # when a piece of it came
        self.whole = False

    def drop(self) -> None:
        self._dropped.set()

    async def piece(self) -> Message:
        """The next message. Raises TooSlow."""
        if self.whole:
            return await self._receive()
        coming = asyncio.ensure_future(self._receive())
        dropped = asyncio.ensure_future(self._dropped.wait())
        try:
            await asyncio.wait((coming, dropped), timeout=SILENT, return_when=asyncio.FIRST_COMPLETED)
            if not coming.done() or self._dropped.is_set():
                raise TooSlow
            message = coming.result()
        finally:
            coming.cancel()
            dropped.cancel()
        self.last = self._clock()
        self._came += len(message.get("body", b""))
        self.whole = message["type"] != "http.request" or not message.get("more_body", False)
        if not self.whole and self._came < SLOWEST * (self.last - self._begun - BEGINNING):
            raise TooSlow
        return message


@dataclass
class Client:
    """What a client has open, and how many requests it may still make in a row, as of a moment."""

    left: float
    seen: float
    requests: int = 0
    sockets: int = 0
    coming: list[Body] = field(default_factory=list)


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
                sentence = f"more than {SOCKETS} previews are open from this computer; close some of its windows"
                await send({"type": "websocket.close", "code": TOO_MANY, "reason": sentence})
                return
            client.sockets += 1
            try:
                await self._app(scope, receive, send)
            finally:
                client.sockets -= 1
            return
        if client.requests >= AT_ONCE or client.left < 1:
            sentence = "this computer asks for more than can be answered; wait a moment, and ask for less at once"
            await JSONResponse({"error": sentence, "problems": []}, 429, headers={"retry-after": "1"})(scope, receive, send)
            return
        client.left -= 1
        if _has_body(scope):
            await self._with_body(client, scope, receive, send)
        else:
            client.requests += 1
            try:
                await self._app(scope, receive, send)
            finally:
                client.requests -= 1

    async def _with_body(self, client: Client, scope: Scope, receive: Receive, send: Send) -> None:
        """Has a request answered whose body is still coming: it counts as one that is answered once it is there whole."""
        body = Body(receive, self._clock)
        while len(client.coming) >= COMING:
            oldest = min(client.coming, key=lambda one: one.last)
            client.coming.remove(oldest)
            oldest.drop()
        client.coming.append(body)
        counted, started, slow = False, False, False

        async def pieces() -> Message:
            nonlocal counted, slow
            try:
                message = await body.piece()
            except TooSlow as error:
                slow = True
                raise ClientDisconnect from error
            if body.whole and not counted:
                counted = True
                client.requests += 1
                if body in client.coming:
                    client.coming.remove(body)
            return message

        async def watched(message: Message) -> None:
            nonlocal started
            # What an answer says of a body that was given up is not what is wrong with it.
            if slow and not started:
                return
            started = True
            await send(message)

        try:
            await self._app(scope, pieces, watched)
        except ClientDisconnect:
            if not slow:
                raise
        finally:
            if body in client.coming:
                client.coming.remove(body)
            if counted:
                client.requests -= 1
        if slow and not started:
            sentence = "the rest of this request did not come in time; send it again"
            answer = JSONResponse({"error": sentence, "problems": []}, 408, headers={"connection": "close"})
            await answer(scope, receive, send)

    def _client(self, scope: Scope) -> Client:
        """The one that asks, with what has come back to it since it was seen last."""
        now, name = self._clock(), client_of(scope)
        client = self._clients.setdefault(name, Client(IN_A_ROW, now))
        client.left = min(client.left + (now - client.seen) * A_SECOND, IN_A_ROW)
        client.seen = now
        self._clients.move_to_end(name)
        while len(self._clients) > KNOWN:
            self._clients.popitem(last=False)
        return client


def _has_body(scope: Scope) -> bool:
    headers = dict(scope["headers"])
    return b"transfer-encoding" in headers or headers.get(b"content-length", b"0") not in (b"", b"0")
