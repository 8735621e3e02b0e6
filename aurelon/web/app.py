"""Puts the service together."""

from __future__ import annotations

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path

from fastapi import FastAPI, Request, Response
from fastapi.exceptions import RequestValidationError
from fastapi.responses import FileResponse, JSONResponse
from fastapi.staticfiles import StaticFiles

from aurelon import __version__
from aurelon.core import AurelonError, OutputError, PlateError, RigError
from aurelon.core.rig.model import problem_of
from aurelon.runs.exports import ExportRunner
from aurelon.store import Conflict, Store, Unknown, UnknownPlate
from aurelon.web.context import Context
from aurelon.web.guard import COOKIE, Guard
from aurelon.web.models import BenchOut, ConflictOut, Problem
from aurelon.web.plates_open import OpenPlates
from aurelon.web.routers import bench, catalogue, exports, masks, plates, rigs, takes

STATIC = Path(__file__).parent / "static"
STATUS = {UnknownPlate: 404, Unknown: 404, PlateError: 415, RigError: 422, OutputError: 422}


def make_app(store: Store, *, token: str | None = None) -> FastAPI:
    """The service on a store. With a `token`, every request must carry it."""
    runner = ExportRunner()

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        yield
        runner.close()

    app = FastAPI(title="Aurelon", version=__version__, lifespan=lifespan)
    app.state.context = Context(store, OpenPlates(store), runner)
    app.add_middleware(Guard, token=token)
    for router in (catalogue.router, plates.router, bench.router, masks.router, takes.router, rigs.router, exports.router):
        app.include_router(router, prefix="/api", responses={"4XX": {"model": Problem}})

    @app.exception_handler(Conflict)
    async def conflict(_: Request, error: Conflict) -> Response:
        present = BenchOut.of(error.state)
        return JSONResponse(ConflictOut(error=str(error), present=present).model_dump(mode="json"), 409)

    @app.exception_handler(AurelonError)
    async def refused(_: Request, error: AurelonError) -> Response:
        status = next((code for kind, code in STATUS.items() if isinstance(error, kind)), 400)
        problems = error.problems if isinstance(error, RigError) else []
        return JSONResponse(Problem(error=str(error), problems=problems).model_dump(), status)

    @app.exception_handler(RequestValidationError)
    async def invalid(_: Request, error: RequestValidationError) -> Response:
        problems = [problem_of(e, skip=("body", "rig")) for e in error.errors()]
        return JSONResponse(Problem(error=str(RigError(problems)), problems=problems).model_dump(), 422)

    if STATIC.is_dir():
        app.mount("/assets", StaticFiles(directory=STATIC / "assets"), name="assets")

        @app.get("/{path:path}", include_in_schema=False)
        async def page(path: str) -> Response:
            if path.startswith("api/"):
                return JSONResponse(Problem(error=f"there is nothing at /{path}").model_dump(), 404)
            response = FileResponse(STATIC / "index.html", headers={"cache-control": "no-cache"})
            if token is not None:
                response.set_cookie(COOKIE, token, httponly=True, samesite="strict")
            return response

    return app
