"""What is wrong with a rig that cannot be read, said with its path."""

from __future__ import annotations

from typing import Any

from aurelon.core.lights import kinds
from aurelon.core.masks import parts
from aurelon.core.settings.problems import what_is_wrong

TAGS = {*kinds(), *parts()}  # steps in a path of Pydantic's that say which model was meant


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
    known = ", ".join(kinds() if field == "kind" else parts())
    one, many = ("kind of light", "kinds") if field == "kind" else ("mask part", "parts")
    return f"'{tag}' is not a {one}; the {many} are: {known}" if tag else f"is missing; the {many} are: {known}"
