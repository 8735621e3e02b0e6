"""Errors as answers: one sentence each, and where in the rig it is."""

from __future__ import annotations

import logging
import tempfile

from fastapi import FastAPI, Request, Response
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from pydantic import BaseModel, Field, TypeAdapter
from pydantic_core import PydanticSerializationError
from starlette.exceptions import HTTPException

from aurelon.core import AurelonError, OutputError, PlateError, RigError
from aurelon.core.codecs.shared.raster import NO_ROOM
from aurelon.core.rig import problem_of
from aurelon.runs.jobs import UnknownJob
from aurelon.store import BenchState, Conflict, DataFileError, Unknown, unwritten

log = logging.getLogger(__name__)
STATUS = {Unknown: 404, UnknownJob: 404, PlateError: 415, RigError: 422, OutputError: 422}


class Problem(BaseModel):
    """An error as a value: one sentence, and where in the rig it is."""

    error: str
    problems: list[tuple[str, str]] = Field([])


class ConflictProblem(Problem):
    """A refused save, with the state that is there now."""

    present: BenchState


_CONFLICT: TypeAdapter[ConflictProblem] = TypeAdapter(ConflictProblem)


def answer_problems(app: FastAPI) -> None:
    """Has every error of a person's doing answered as a Problem."""

    @app.exception_handler(Conflict)
    async def conflict(_: Request, error: Conflict) -> Response:
        conflict = ConflictProblem(error=str(error), problems=[], present=error.state)
        return Response(_CONFLICT.dump_json(conflict), 409, media_type="application/json")

    @app.exception_handler(AurelonError)
    async def refused(_: Request, error: AurelonError) -> Response:
        status = next((code for kind, code in STATUS.items() if isinstance(error, kind)), 400)
        problems = error.problems if isinstance(error, RigError) else []
        return JSONResponse(Problem(error=str(error), problems=problems).model_dump(), status)

    @app.exception_handler(DataFileError)
    async def unkept(_: Request, error: DataFileError) -> Response:
        log.error("the data file could not be used: %s", error)
        return JSONResponse(Problem(error=unwritten(error), problems=[]).model_dump(), 503)

    @app.exception_handler(HTTPException)
    async def not_here(_: Request, error: HTTPException) -> Response:
        # What comes with a form is first put into a file.
        if isinstance(error.__cause__, OSError):
            log.error("a file could not be taken in: %s", error.__cause__)
            sentence = f"this file could not be taken in ({error.__cause__.strerror}); make room on the disk, and try again"
            return JSONResponse(Problem(error=sentence, problems=[]).model_dump(), 503)
        sentence = str(error.detail).rstrip(".").lower() or "this cannot be done"
        return JSONResponse(Problem(error=sentence, problems=[]).model_dump(), error.status_code, headers=error.headers)

    @app.exception_handler(OSError)
    async def no_room(request: Request, error: OSError) -> Response:
        if error.errno not in NO_ROOM:
            return await fault(request, error)
        log.error("a disk is full: %s", error)
        sentence = f"a disk is full ({error.strerror}); make room in {tempfile.gettempdir()}, and try again"
        return JSONResponse(Problem(error=sentence, problems=[]).model_dump(), 503)

    @app.exception_handler(PydanticSerializationError)
    @app.exception_handler(UnicodeEncodeError)
    async def no_text(request: Request, error: Exception) -> Response:
        if "surrogates not allowed" not in str(error):
            return await fault(request, error)
        sentence = "a text in this request holds half a character, which cannot be kept; type it again"
        return JSONResponse(Problem(error=sentence, problems=[]).model_dump(), 422)

    @app.exception_handler(OverflowError)
    async def too_large(_: Request, error: OverflowError) -> Response:
        return JSONResponse(Problem(error="a number in this request is larger than any here", problems=[]).model_dump(), 404)

    @app.exception_handler(Exception)
    async def fault(_: Request, error: Exception) -> Response:  # the log has the trace
        sentence = f"this could not be done ({error}); this is a fault in Aurelon, please report it"
        return JSONResponse(Problem(error=sentence, problems=[]).model_dump(), 500)

    @app.exception_handler(RequestValidationError)
    async def invalid(_: Request, error: RequestValidationError) -> Response:
        problems = [problem_of(e, skip=("body", "rig")) for e in error.errors()]
        return JSONResponse(Problem(error=str(RigError(problems)), problems=problems).model_dump(), 422)
