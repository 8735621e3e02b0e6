"""Publishes the schemas: `python -m aurelon.web.schema` writes docs/openapi.json and docs/rig.schema.json."""

from __future__ import annotations

import json
import tempfile
from pathlib import Path
from typing import Any

from pydantic.json_schema import models_json_schema

from aurelon.core import Rig
from aurelon.store import Store
from aurelon.web.app import make_app
from aurelon.web.preview import FrameHeader, PreviewFailure, PreviewRequest
from aurelon.web.problems import ConflictProblem

DOCS = Path(__file__).resolve().parents[2] / "docs"


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


def published() -> dict[str, str]:
    """File names in docs/ and their text."""
    documents = {"openapi.json": openapi_schema(), "rig.schema.json": rig_schema()}
    return {name: json.dumps(document, indent=1, sort_keys=True) + "\n" for name, document in documents.items()}


if __name__ == "__main__":
    for name, text in published().items():
        (DOCS / name).write_text(text, "utf-8")
