"""Who may speak to the service: the right host, the right origin and, off loopback, the right token."""

from __future__ import annotations

import secrets
from urllib.parse import urlsplit

from starlette.datastructures import Headers, MutableHeaders
from starlette.requests import HTTPConnection
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

LOOPBACK = ("127.0.0.1", "localhost", "::1")
COOKIE = "aurelon-token"
# What a page of the service may do: load from the service alone, never be framed, send no referrer (OWASP ASVS
# 4.0.3, V14.4). The screen writes its styles as it goes.
POLICY = (
    "default-src 'self'",
    "img-src 'self' data: blob:",
    "media-src 'self' blob:",
    "style-src 'self' 'unsafe-inline'",
    "font-src 'self' data:",
    "connect-src 'self'",
    "object-src 'none'",
    "base-uri 'none'",
    "form-action 'none'",
    "frame-ancestors 'none'",
)
HEADERS = {
    "content-security-policy": "; ".join(POLICY),
    "x-content-type-options": "nosniff",
    "referrer-policy": "no-referrer",
    "cross-origin-resource-policy": "same-origin",
}


class Guard:
    """Refuses requests for another host (DNS rebinding), from another origin, or without the token."""

    def __init__(self, app: ASGIApp, token: str | None = None) -> None:
        self._app = app
        self._token = token

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] not in ("http", "websocket"):
            await self._app(scope, receive, send)
            return
        reason = self._refusal(HTTPConnection(scope))

        async def sealed(message: Message) -> None:
            if message["type"] == "http.response.start":
                MutableHeaders(scope=message).update(HEADERS)
            await send(message)

        if reason is None:
            await self._app(scope, receive, sealed)
        elif scope["type"] == "http":
            await JSONResponse({"error": reason, "problems": []}, 403)(scope, receive, sealed)
        else:
            await send({"type": "websocket.close", "code": 4403, "reason": reason})

    def _refusal(self, connection: HTTPConnection) -> str | None:
        headers: Headers = connection.headers
        try:
            host = urlsplit(f"//{headers.get('host', '')}").hostname
            origin = urlsplit(headers.get("origin") or "")
        except ValueError:
            return "this request has an invalid Host or Origin header"
        if self._token is None and host not in LOOPBACK:
            return "this service answers on the loopback address only"
        scheme = "https" if connection.url.scheme in ("https", "wss") else "http"
        if "origin" in headers and (origin.scheme, origin.netloc) != (scheme, headers.get("host")):
            return "a page from another origin may not speak to this service"
        if self._token is not None:
            # In the address it counts at the door alone, where a page is opened; from then on it is a cookie.
            door = connection.scope["type"] == "http" and not connection.url.path.startswith(("/api/", "/assets/"))
            given = (connection.query_params.get("token") if door else None) or connection.cookies.get(COOKIE) or ""
            if not secrets.compare_digest(given.encode(), self._token.encode()):
                return "this service needs its access token; open the address that was printed when it started"
        return None
