"""One of several words."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Literal, Self, Unpack, get_args

from pydantic import BaseModel
from pydantic.fields import FieldInfo

from aurelon.core.settings.base import Common, Setting, Swept


class Option(BaseModel):
    """A word that a rig has, and how it is said to a person."""

    value: str
    text: str


class Choice(Setting):
    """One of `options`: those of the field's own Literal, or those it was declared with."""

    type: Literal["choice"] = "choice"
    options: tuple[Option, ...] = ()
    swept: Swept | None = "each"

    def described(self, name: str, info: FieldInfo) -> Self:
        words = {option.value: option.text for option in self.options}
        values = get_args(info.annotation) or tuple(words)
        options = tuple(Option(value=v, text=words.get(v) or v.replace("-", " ").capitalize()) for v in values)
        return super().described(name, info).model_copy(update={"options": options})

    def steps(self, present: Any, span: float, count: int) -> list[Any]:
        return [option.value for option in self.options]


def choice(
    default: str, help: str, *, words: Mapping[str, str] | None = None, values: Sequence[str] = (), **common: Unpack[Common]
) -> Any:
    """A setting that is one word of a Literal, or of `values`; `words` says those that are not plain as they stand."""
    texts = {**dict.fromkeys(values, ""), **(words or {})}
    options = tuple(Option(value=value, text=text) for value, text in texts.items())
    result = Choice(help=help, options=options, **common)
    return result.field(default)


SETTING = Choice
