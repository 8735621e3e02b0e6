"""Starts the service."""

from __future__ import annotations

import asyncio
import logging
import secrets
from pathlib import Path

import uvicorn

from aurelon.core import AurelonError
from aurelon.store import Store
from aurelon.web.app import make_app
from aurelon.web.guard import LOOPBACK
from aurelon.web.preview import MOST_BYTES
from aurelon.web.seed import seed_demo


def _without_what_stopping_ends(record: logging.LogRecord) -> bool:
    """Whether a line of the log is worth reading: not that a request was still open when the service was stopped."""
    return not (record.exc_info and isinstance(record.exc_info[1], asyncio.CancelledError))


def serve(host: str, port: int, data: Path, *, demo: bool) -> None:
    """Serves until stopped. Off the loopback address a token is made and printed with the address."""
    try:
        data.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise AurelonError(f"{data} cannot be used for data: {error.strerror}; choose another with --data") from error
    store = Store(data / "aurelon.sqlite")
    if demo:
        seed_demo(store)
    token = None if host in LOOPBACK else secrets.token_urlsafe(18)
    suffix = f"/?token={token}" if token else ""
    logging.getLogger("uvicorn.error").addFilter(_without_what_stopping_ends)
    print(f"Aurelon is at http://{host}:{port}{suffix}", flush=True)
    uvicorn.run(
        make_app(store, token=token),
        host=host,
        port=port,
        log_level="warning",
        ws_max_size=MOST_BYTES,
        ws_per_message_deflate=False,
        timeout_graceful_shutdown=2,
    )
