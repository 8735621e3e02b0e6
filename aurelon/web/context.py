"""What the routers share."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from fastapi import Depends
from starlette.requests import HTTPConnection

from aurelon.runs.exports import ExportRunner
from aurelon.store import Store
from aurelon.web.plates_open import OpenPlates


@dataclass(frozen=True)
class Context:
    store: Store
    open_plates: OpenPlates
    exports: ExportRunner


def _context(connection: HTTPConnection) -> Context:
    context: Context = connection.app.state.context
    return context


Shared = Annotated[Context, Depends(_context)]
