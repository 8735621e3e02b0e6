"""What changed of a rig, as operations of JSON Patch on it; what did not change is neither sent nor read again.

References: RFC 6902, "JavaScript Object Notation (JSON) Patch" (`add`, `replace` and `remove`); RFC 6901, "JSON
Pointer".
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Literal, TypeVar

from pydantic import BaseModel, ConfigDict, ValidationError

from aurelon.core.errors import RigError
from aurelon.core.rig.model import Rig
from aurelon.core.rig.problems import problem_of

LAST = "-"  # of a path: behind the last item of a list


class Change(BaseModel):
    """One operation. `path` is a JSON Pointer, as `/lights/0/spread/reach`."""

    model_config = ConfigDict(extra="forbid")

    op: Literal["add", "replace", "remove"]
    path: str
    value: Any = None

    @property
    def keys(self) -> list[str]:
        """The path, key by key. Raises RigError where it is not a JSON Pointer."""
        if not self.path.startswith("/"):
            raise RigError([(self.path, "a path begins with a slash, as /lights/0/on")])
        return [key.replace("~1", "/").replace("~0", "~") for key in self.path[1:].split("/")]


M = TypeVar("M", bound=BaseModel)


def patched(rig: Rig, changes: Sequence[Change]) -> Rig:
    """The rig with the changes made one after another. Only what lies on their paths is checked again; the rest is
    shared with `rig`. Raises RigError for a path that leads nowhere, or what makes no rig."""
    for change in changes:
        try:
            rig = _model(rig, change.keys, change)
        except ValidationError as error:
            raise RigError([(change.path, problem_of(one)[1]) for one in error.errors()]) from error
    return rig


def _model(model: M, keys: list[str], change: Change) -> M:
    name, rest = keys[0], keys[1:]
    values = {field: getattr(model, field) for field in type(model).model_fields}
    if name not in values:
        raise RigError([(change.path, f"there is no '{name}' here")])
    if rest:
        values[name] = _within(values[name], rest, change)
    elif change.op == "remove":
        del values[name]
    else:
        values[name] = change.value
    # Models among the values are taken as they are, so that only what is new is read.
    return type(model).model_validate(values)


def _within(value: Any, keys: list[str], change: Change) -> Any:
    if isinstance(value, BaseModel):
        return _model(value, keys, change)
    if isinstance(value, Mapping):
        return _mapping(value, keys, change)
    if isinstance(value, list | tuple):
        return _list(list(value), keys, change)
    raise RigError([(change.path, "the path leads into a single value")])


def _mapping(value: Mapping[str, Any], keys: list[str], change: Change) -> dict[str, Any]:
    result = dict(value)
    name, rest = keys[0], keys[1:]
    if rest:
        result[name] = _within(result.get(name), rest, change)
    elif change.op == "remove":
        result.pop(name, None)
    else:
        result[name] = change.value
    return result


def _list(result: list[Any], keys: list[str], change: Change) -> list[Any]:
    name, rest = keys[0], keys[1:]
    if name == LAST and not rest and change.op == "add":
        return [*result, change.value]
    index = int(name) if name.isdecimal() else -1
    if not 0 <= index < len(result) + (change.op == "add" and not rest):
        raise RigError([(change.path, f"there is no item {name} here")])
    if rest:
        result[index] = _within(result[index], rest, change)
    elif change.op == "remove":
        del result[index]
    elif change.op == "add":
        result.insert(index, change.value)
    else:
        result[index] = change.value
    return result
