"""Starts the service."""

from __future__ import annotations

import asyncio
import errno
import logging
import os
import secrets
import signal
import socket
import ssl
import sys
from contextlib import closing, suppress
from dataclasses import dataclass, field
from pathlib import Path
from threading import Thread, Timer
from types import FrameType
from typing import Any

import uvicorn

from aurelon.confined.decoder import DecoderPool
from aurelon.confined.process import ProcessLost, TookTooLong
from aurelon.core import AurelonError
from aurelon.core.imaging.memory import bound_working
from aurelon.runs.engines.clusters import Clusters
from aurelon.store import Store
from aurelon.web.app import make_app
from aurelon.web.connections import PatientProtocol, raise_file_limit
from aurelon.web.guard import LOOPBACK
from aurelon.web.preparing import Preparing
from aurelon.web.preview import MOST_BYTES
from aurelon.web.seed import seed_demo

SWITCH = 5e-4  # seconds after which a thread gives way: those that take blocks of a kernel wait for no more than that
FOR_EXPORTS = 0.25  # of the memory that is allowed; the rest is for what benches show
ENDING = 4.0  # seconds from being told to end until it does, whatever is going on


def _without_what_stopping_ends(record: logging.LogRecord) -> bool:
    """Whether a line of the log is worth reading: not that a request was still open when the service was stopped."""
    return not (record.exc_info and isinstance(record.exc_info[1], asyncio.CancelledError))


@dataclass(frozen=True)
class ServiceOptions:
    """How the service is open to others: `tls` (certificate, key) encrypts it; `memory` is that of `make_app`; `clusters` may be
    given runs; `proxies` are addresses whose word is taken for whom a request comes from."""

    tls: tuple[Path, Path] | None = None
    memory: int | None = None
    clusters: Clusters = field(default_factory=Clusters)
    proxies: tuple[str, ...] = ()


class _Server(uvicorn.Server):
    """Ends within `ENDING` seconds of being told to, whatever is going on. What was acknowledged is in the data file by then."""

    def handle_exit(self, sig: int, frame: FrameType | None) -> None:
        timer = Timer(ENDING, os._exit, (0 if sig == signal.SIGINT else 128 + sig,))
        timer.daemon = True
        timer.start()
        super().handle_exit(sig, frame)


def serve(host: str, port: int, data: Path, *, demo: bool, options: ServiceOptions | None = None) -> None:
    """Serves until stopped. Off the loopback address a token is made and printed with the address."""
    options = options or ServiceOptions()
    sealed = {} if options.tls is None else _sealed(*options.tls)
    try:
        data.mkdir(parents=True, exist_ok=True, mode=0o700)
    except OSError as error:
        raise AurelonError(f"{data} cannot be used for data: {error.strerror}; choose another with --data") from error
    listening = _listening(host, port)
    store = Store(data / "aurelon.sqlite")
    if demo:
        seed_demo(store)
    token = None if host in LOOPBACK else secrets.token_urlsafe(18)
    suffix = f"/?token={token}" if token else ""
    logging.getLogger("uvicorn.error").addFilter(_without_what_stopping_ends)
    decoders = DecoderPool()
    Thread(target=_ready, args=(decoders,), daemon=True).start()  # so that a process is there when the first file comes
    if options.memory is not None:
        bound_working(int(options.memory * FOR_EXPORTS))
    preparing = Preparing()
    app = make_app(
        store,
        token=token,
        memory=None if options.memory is None else int(options.memory * (1 - FOR_EXPORTS)),
        decoders=decoders,
        clusters=options.clusters,
        proxies=options.proxies,
        preparing=preparing,
    )
    print(f"Aurelon is at {'https' if sealed else 'http'}://{host}:{port}{suffix}", flush=True)
    config = uvicorn.Config(
        app,
        log_level="warning",
        http=PatientProtocol,
        proxy_headers=False,
        ws_max_size=MOST_BYTES,
        ws_per_message_deflate=False,
        timeout_graceful_shutdown=1,
        **sealed,
    )
    raise_file_limit()
    sys.setswitchinterval(SWITCH)
    # uvicorn raises the signal again when it has ended; by default that would end the process before what follows.
    signal.signal(signal.SIGTERM, lambda number, _: sys.exit(128 + number))
    preparing.start()
    with suppress(KeyboardInterrupt), closing(preparing):  # that is how it is stopped
        _Server(config).run(sockets=[listening])
    decoders.close()


def _ready(decoders: DecoderPool) -> None:
    try:
        decoders.start()
    except (ProcessLost, TookTooLong) as error:
        logging.getLogger(__name__).warning("no decoder is ready yet: %s", error)


def _sealed(certificate: Path, key: Path) -> dict[str, Any]:
    """What the server is told of its certificate. Raises AurelonError in a sentence where it cannot be used."""
    for path in (certificate, key):
        if not path.is_file():
            raise AurelonError(f"{path} is not there; --tls-cert and --tls-key name a certificate and its key, both PEM files")
    try:
        ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER).load_cert_chain(certificate, key)
    except (ssl.SSLError, OSError) as error:
        raise AurelonError(f"{certificate} and {key} are not a certificate and its key ({error.strerror or error})") from error
    return {"ssl_certfile": str(certificate), "ssl_keyfile": str(key)}


def _listening(host: str, port: int) -> socket.socket:
    """The socket on which the service answers. Raises AurelonError in a sentence where it cannot be had."""
    if not 0 < port < 65536:
        raise AurelonError(f"there is no port {port}; choose one from 1 to 65535 with --port")
    try:
        family = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)[0][0]
        return socket.create_server((host, port), family=family)
    except OSError as error:
        text = "is in use by another program" if error.errno == errno.EADDRINUSE else f"cannot be used ({error.strerror or error})"
        raise AurelonError(f"{host}:{port} {text}; choose another with --port or --host") from error
