"""What the routers share."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Annotated

from fastapi import Depends, Query
from starlette.requests import HTTPConnection

from aurelon.core.graph.first_look import FirstLook
from aurelon.runs.batches import Batches
from aurelon.runs.engines.clusters import Clusters
from aurelon.runs.jobs import Jobs
from aurelon.store import Store
from aurelon.web.preparing import Preparing
from aurelon.web.preview import Workers
from aurelon.web.renderers import Renderers
from aurelon.web.uploads import Uploads


@dataclass(frozen=True)
class Context:
    store: Store
    renderers: Renderers
    jobs: Jobs
    batches: Batches
    look: Callable[[bytes, str], FirstLook]
    workers: Workers
    clusters: Clusters
    uploads: Uploads
    preparing: Preparing


def _context(connection: HTTPConnection) -> Context:
    context: Context = connection.app.state.context
    return context


Shared = Annotated[Context, Depends(_context)]
FrameNumber = Annotated[int, Query(ge=0, description="Of a reel, the frame that is meant")]
