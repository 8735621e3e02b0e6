"""Rigs from JSON, and what is wrong with one that cannot be read, said with its path."""

from __future__ import annotations

import json
from typing import Any

from pydantic import ValidationError

from aurelon.core.errors import RigError
from aurelon.core.masks import parts
from aurelon.core.rig.model import LIGHT_MODELS, Rig
from aurelon.core.settings.problems import what_is_wrong

TAGS = {*LIGHT_MODELS, *parts()}  # steps in a path of Pydantic's that say which model was meant


def parse_rig(text: str | bytes) -> Rig:
    """A rig from JSON text. Raises RigError that pairs each path with what is wrong there."""
    try:
        return check_rig(json.loads(text))
    except json.JSONDecodeError as error:
        what = "is empty" if not error.doc.strip() else f"is not valid JSON; look at line {error.lineno}, column {error.colno}"
        raise RigError([("", f"the rig {what}")]) from error
    except UnicodeDecodeError as error:
        raise RigError([("", "the rig is not text in UTF-8; save it as that")]) from error
    except RecursionError as error:
        raise RigError([("", "the rig is nested too deeply to be one; write it anew")]) from error


def check_rig(data: Any) -> Rig:
    """A rig from plain data. Raises RigError that pairs each path with what is wrong there."""
    if not isinstance(data, dict):
        raise RigError([("", 'a rig is a JSON object with "format": "aurelon-rig"')])
    try:
        return Rig.model_validate(data)
    except ValidationError as error:
        raise RigError([problem_of(e) for e in error.errors()]) from error


def problem_of(error: Any, skip: tuple[str, ...] = ()) -> tuple[str, str]:
    """A validation error as the path in the rig and what is wrong there.

    `skip` names the parts that lead to the rig in a larger message.
    """
    path = ""
    before: Any = None
    for part in error["loc"]:
        if (not path and part in skip) or part == "[key]":
            continue
        if isinstance(part, int):
            path += f"[{part}]"
        elif part not in TAGS or not isinstance(before, int):
            path += f".{part}" if path else str(part)
        before = part
    if error["type"] in ("union_tag_invalid", "union_tag_not_found"):
        field = error["ctx"]["discriminator"].strip("'")
        return f"{path}.{field}", _unknown(field, error["ctx"].get("tag"))
    if error["type"] == "literal_error" and path.endswith("].kind"):
        return path, _unknown("kind", error["input"])
    return path, what_is_wrong(error)


def _unknown(field: str, tag: object) -> str:
    """Of a light without a kind or with one that there is not; and of a part of a mask."""
    known = ", ".join(LIGHT_MODELS if field == "kind" else parts())
    one, many = ("kind of light", "kinds") if field == "kind" else ("mask part", "parts")
    return f"'{tag}' is not a {one}; the {many} are: {known}" if tag else f"is missing; the {many} are: {known}"
