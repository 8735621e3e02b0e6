"""The schemas: the OpenAPI document of the service, and the JSON Schema of the rig."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Any

from pydantic.json_schema import models_json_schema

from aurelon.core import Rig
from aurelon.store import Store
from aurelon.web.app import make_app
from aurelon.web.preview import FrameHeader, PreviewFailure, PreviewRequest
from aurelon.web.problems import ConflictProblem


def openapi_schema() -> dict[str, Any]:
    """The service's OpenAPI document, with the messages of the preview socket among its components."""
    with tempfile.TemporaryDirectory() as folder:
        store = Store(Path(folder) / "schema.sqlite")
        document = make_app(store).openapi()
        store.close()
    _, definitions = models_json_schema(
        [
            (PreviewRequest, "validation"),
            (FrameHeader, "serialization"),
            (PreviewFailure, "serialization"),
            (ConflictProblem, "serialization"),
        ],
        ref_template="#/components/schemas/{model}",
    )
    components = document["components"]["schemas"]
    for name, schema in definitions["$defs"].items():
        components.setdefault(name, schema)
    return document


def rig_schema() -> dict[str, Any]:
    """The JSON Schema of the rig, the open format."""
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **Rig.model_json_schema()}
