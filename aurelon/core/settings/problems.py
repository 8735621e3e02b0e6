"""What is wrong with a value, in one sentence of our own: the validating library's sentences never reach a person."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from typing import Any

LONGEST = 60  # characters of a value that are quoted
PATTERNS = {
    r"^([0-9a-f]{64})?$": "the SHA-256 of a file, 64 digits; bring the file in on the page, or put it under files",
    r"^[0-9a-f]{64}$": "the SHA-256 of a file, 64 digits",
    r"^#[0-9a-f]{6}$": 'a colour such as "#ffd7a8"',
    r"^[a-z0-9][a-z0-9-]{0,63}$": 'an id of small letters, digits and hyphens, such as "low-sun"',
}
Context = Mapping[str, Any]
# By the type of the error, what a value must be.
MUST_BE: dict[str, Callable[[Context], str]] = {
    **dict.fromkeys(("model_type", "model_attributes_type", "dict_type", "mapping_type"), lambda _: "an object in braces"),
    **dict.fromkeys(("list_type", "tuple_type", "iterable_type"), lambda _: "a list in brackets"),
    **dict.fromkeys(("float_type", "float_parsing"), lambda _: "a number"),
    **dict.fromkeys(("int_type", "int_parsing", "int_from_float", "int_parsing_size"), lambda _: "a whole number"),
    **dict.fromkeys(("bool_type", "bool_parsing"), lambda _: "true or false"),
    **dict.fromkeys(("string_type", "string_unicode"), lambda _: "a text in quotes"),
    "finite_number": lambda _: "a finite number",
    "greater_than_equal": lambda context: f"at least {context['ge']:g}",
    "greater_than": lambda context: f"more than {context['gt']:g}",
    "less_than_equal": lambda context: f"at most {context['le']:g}",
    "less_than": lambda context: f"less than {context['lt']:g}",
    "literal_error": lambda context: str(context["expected"]),
    "enum": lambda context: str(context["expected"]),
    "string_pattern_mismatch": lambda context: PATTERNS.get(context["pattern"], "written another way"),
}
# For wrong numbers of items or characters; the value itself would not help.
COUNTS: dict[str, Callable[[Context], str]] = {
    "too_short": lambda context: f"has {context['actual_length']} items, but must have at least {context['min_length']}",
    "too_long": lambda context: f"has more than {context['max_length']} items, which is the most",
    "string_too_short": lambda context: f"must have at least {context['min_length']} characters",
    "string_too_long": lambda context: f"has more than {context['max_length']} characters, which is the most",
}


def quoted(value: Any) -> str:
    """A value as JSON has it, cut where it is long."""
    text = json.dumps(value, default=str)
    return text if len(text) <= LONGEST else text[: LONGEST - 3] + "..."


def what_is_wrong(error: Any) -> str:
    """The end of a sentence that begins with the place of the value. `error` is one of `ValidationError.errors()`."""
    kind, context = error["type"], error.get("ctx", {})
    if kind == "missing":
        return "is missing"
    if kind == "extra_forbidden":
        return "is not a setting here; remove it or correct its name"
    if kind == "value_error":
        return str(context["error"])
    if kind in COUNTS:
        return COUNTS[kind](context)
    if kind in MUST_BE:
        return f"is {quoted(error.get('input'))}, but must be {MUST_BE[kind](context)}"
    return f"is {quoted(error.get('input'))}, which cannot stand here; docs/rig.md says what can"
