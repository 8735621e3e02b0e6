"""How large a request may be: known before it is read where it says so, and counted as it comes where it does not."""

from __future__ import annotations

from contextlib import suppress

from starlette.requests import Request
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

UPLOAD = (1 << 30) + (1 << 20)  # bytes of a picture file with what is round it
OTHER = 64 << 20  # of anything else; a rig of many thousand strokes is a few


class TooLarge(Exception):
    """More came than a request may have."""


class Limits:
    """Refuses requests that are larger than any that the page makes."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        headers = Request(scope).headers
        most = UPLOAD if headers.get("content-type", "").startswith("multipart/") else OTHER
        stated = headers.get("content-length", "0")
        if not stated.isdecimal() or int(stated) > most:
            await _refused(most)(scope, receive, send)
            return
        came, started = 0, False

        async def counted() -> Message:
            nonlocal came
            message = await receive()
            came += len(message.get("body", b""))
            if came > most:
                raise TooLarge
            return message

        async def watched(message: Message) -> None:
            nonlocal started
            # What an answer says of a body that was cut off is not what is wrong with it.
            if came > most and not started:
                return
            started = True
            await send(message)

        with suppress(TooLarge):
            await self._app(scope, counted, watched)
        if came > most and not started:
            await _refused(most)(scope, receive, send)


def _refused(most: int) -> JSONResponse:
    sentence = f"this request is larger than the {most >> 20} MB that are taken; reduce the file, or what is sent"
    return JSONResponse({"error": sentence, "problems": []}, 413)
