"""Rigs from JSON, and what is wrong with one that cannot be read, said with its path."""

from __future__ import annotations

import json
from typing import Any

from pydantic import ValidationError

from aurelon.core.errors import RigError
from aurelon.core.masks import parts
from aurelon.core.rig.model import LIGHT_MODELS, Rig

TAGS = {*LIGHT_MODELS, *parts()}  # steps in a path of Pydantic's that say which model was meant


def parse_rig(text: str | bytes) -> Rig:
    """A rig from JSON text. Raises RigError that pairs each path with what is wrong there."""
    try:
        return check_rig(json.loads(text))
    except (json.JSONDecodeError, UnicodeDecodeError, RecursionError) as error:
        raise RigError([("", f"the rig is not valid JSON ({error})")]) from error


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
    context = error.get("ctx", {})
    path = ""
    before: Any = None
    for part in error["loc"]:
        if not path and part in skip:
            continue
        if isinstance(part, int):
            path += f"[{part}]"
        elif part not in TAGS or not isinstance(before, int):
            path += f".{part}" if path else str(part)
        before = part
    given = json.dumps(error.get("input"), default=str)
    given = given if len(given) <= 60 else given[:57] + "..."
    match error["type"]:
        case "extra_forbidden":
            what = "is not a setting here; remove it or correct its name"
        case "greater_than_equal" | "less_than_equal":
            bound = context.get("ge", context.get("le"))
            what = f"is {given}, but must be at {'least' if 'ge' in context else 'most'} {bound:g}"
        case "union_tag_invalid" | "union_tag_not_found":
            field = context["discriminator"].strip("'")
            path += f".{field}"
            known = ", ".join(LIGHT_MODELS if field == "kind" else parts())
            one, many = ("kind of light", "kinds") if field == "kind" else ("mask part", "parts")
            tag = context.get("tag")
            what = f"'{tag}' is not a {one}; the {many} are: {known}" if tag else f"is missing; the {many} are: {known}"
        case "literal_error":
            if path.endswith("].kind"):
                what = f"{given} is not a kind of light; the kinds are: {', '.join(LIGHT_MODELS)}"
            else:
                what = f"is {given}, but must be {context['expected']}"
        case "missing":
            what = "is missing"
        case "value_error":
            what = str(context["error"])
        case _:
            what = f"is {given}: {error['msg'][0].lower()}{error['msg'][1:]}"
    return path, what
