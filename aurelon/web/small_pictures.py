"""Small pictures as answers. A browser keeps them by what they show: it asks each time, and is told when nothing has changed.

An address alone would not do: the same number in another data folder is another plate.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable

from fastapi import Request, Response


def etag_of(*content: bytes | str) -> str:
    """A name for content, as RFC 9110, section 8.8.3 has it."""
    digest = hashlib.sha256()
    for part in content:
        digest.update(part.encode() if isinstance(part, str) else part)
        digest.update(b"\0")
    return f'"{digest.hexdigest()[:32]}"'


def small_picture_answer(request: Request, etag: str, picture: Callable[[], bytes]) -> Response:
    """A JPEG, or 304 where the browser has that of this name already; then it is not made at all."""
    headers = {"cache-control": "private, no-cache", "etag": etag}
    if etag in request.headers.get("if-none-match", ""):
        return Response(status_code=304, headers=headers)
    return Response(picture(), media_type="image/jpeg", headers=headers)
