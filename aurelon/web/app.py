"""Puts the service together."""

from __future__ import annotations

from collections.abc import AsyncIterator, Sequence
from contextlib import asynccontextmanager
from pathlib import Path
from typing import Any

from fastapi import FastAPI, Request, Response
from fastapi.responses import FileResponse, JSONResponse, RedirectResponse
from fastapi.staticfiles import StaticFiles
from uvicorn.middleware.proxy_headers import ProxyHeadersMiddleware

from aurelon import __version__
from aurelon.confined.decoder import DecoderPool
from aurelon.core.graph.first_look import look
from aurelon.core.plates.decoding import use_decoder
from aurelon.runs.batches import Batches
from aurelon.runs.engines.clusters import Clusters
from aurelon.runs.jobs import Jobs
from aurelon.store import Store
from aurelon.web.clients import Clients
from aurelon.web.context import Context
from aurelon.web.guard import COOKIE, Guard
from aurelon.web.limits import Limits
from aurelon.web.preparing import Preparing
from aurelon.web.preview import Workers
from aurelon.web.problems import Problem, answer_problems
from aurelon.web.renderers import Renderers
from aurelon.web.routers import routers
from aurelon.web.uploads import Uploads

UNWRITTEN = "The data file, or a file on the way into it, cannot be written at the moment"
STATIC = Path(__file__).parent / "static"


def make_app(
    store: Store,
    *,
    token: str | None = None,
    memory: int | None = None,
    decoders: DecoderPool | None = None,
    clusters: Clusters | None = None,
    proxies: Sequence[str] = (),
    preparing: Preparing | None = None,
) -> FastAPI:
    """The service on a store. With a `token`, every request must carry it. Pictures that are kept at hand have `memory`
    bytes. What comes from outside is decoded by `decoders`, in this process where they are left out. Runs may be given to
    `clusters`. Whom a request comes from is taken from its headers where it comes through one of the `proxies`. Kernels that
    are not compiled yet are `preparing`."""
    known = clusters or Clusters()
    jobs, batches = Jobs(), Batches(store, known)

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        before = None if decoders is None else use_decoder(decoders)
        batches.start()
        yield
        # Callers that wait for a decoder are told at once that the decoders are closed.
        if decoders is not None:
            decoders.close()
        jobs.close()
        batches.close()
        if before is not None:
            use_decoder(before)

    # The pages that FastAPI would show of it take their scripts from elsewhere.
    app = FastAPI(title="Aurelon", version=__version__, lifespan=lifespan, docs_url=None, redoc_url=None)
    app.state.context = Context(
        store,
        Renderers(store, memory),
        jobs,
        batches,
        look if decoders is None else decoders.look,
        Workers(),
        known,
        Uploads(),
        preparing or Preparing(),
    )
    app.add_middleware(Limits)
    app.add_middleware(Clients)
    app.add_middleware(Guard, token=token)
    if proxies:
        app.add_middleware(ProxyHeadersMiddleware, trusted_hosts=list(proxies))
    answers: dict[int | str, dict[str, Any]] = {"4XX": {"model": Problem}, 503: {"model": Problem, "description": UNWRITTEN}}
    for router in routers():
        app.include_router(router, prefix="/api", responses=answers)
    answer_problems(app)

    if STATIC.is_dir():
        app.mount("/assets", StaticFiles(directory=STATIC / "assets"), name="assets")

        @app.get("/{path:path}", include_in_schema=False)
        async def page(path: str, request: Request) -> Response:
            if token is not None and "token" in request.query_params:
                # Taken once from the link; from then on it is a cookie, and no longer in the address.
                away = RedirectResponse("/" + request.url.path.lstrip("/\\"), 303)
                away.set_cookie(COOKIE, token, httponly=True, samesite="strict", secure=request.url.scheme == "https")
                return away
            if path.startswith("api/"):
                return JSONResponse(Problem(error=f"there is nothing at /{path}").model_dump(), 404)
            return FileResponse(STATIC / "index.html", headers={"cache-control": "no-cache"})

    return app
