"""Every document that is made from the models, by its name in docs/."""

from __future__ import annotations

import json
from pathlib import Path

from aurelon.documents.cli_page import cli_page
from aurelon.documents.kinds_page import kinds_page
from aurelon.documents.rig_page import rig_page
from aurelon.documents.schemas import openapi_schema, rig_schema

DOCS = Path(__file__).resolve().parents[2] / "docs"


def published() -> dict[str, str]:
    """File names in docs/ and their text."""
    schemas = {"openapi.json": openapi_schema(), "rig.schema.json": rig_schema()}
    written = {name: json.dumps(document, indent=1, sort_keys=True) + "\n" for name, document in schemas.items()}
    return written | {"rig.md": rig_page(), "kinds.md": kinds_page(), "cli.md": cli_page()}
