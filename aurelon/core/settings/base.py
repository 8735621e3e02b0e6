"""A group of settings, and what one setting says of itself."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterator, Mapping
from functools import cached_property
from typing import Any, ClassVar, Literal, Self, TypedDict

from pydantic import BaseModel, ConfigDict, Field
from pydantic.fields import FieldInfo


class Settings(BaseModel):
    """A group of settings. Unknown keys are refused; numbers must be finite."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False, frozen=True)

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Self:
        result = super().model_copy(update=update, deep=deep)
        # What was worked out of the old settings does not hold for the new ones.
        for name in result.__dict__.keys() - type(self).model_fields.keys():
            del result.__dict__[name]
        return result

    @cached_property
    def digest(self) -> str:
        """Names the values of all settings; equal for equal values."""
        return hashlib.blake2b(self.model_dump_json().encode(), digest_size=16).hexdigest()


Swept = Literal["range", "each"]
Carry = Callable[[Any], tuple[float, float]]  # where a place (plate fractions) is put


class Common(TypedDict, total=False):
    """What every type of setting can be declared with."""

    label: str
    group: str
    essential: bool
    over_frames: bool
    when: dict[str, list[Any]]


class Setting(BaseModel):
    """What the screen, the command line, copies and test strips know of one setting. Each type is a subclass in
    `types/` with its own `type` and what else there is to say.

    `group` puts it beside others under a heading, `essential` settings are those that are always seen. `when`
    shows it only while other settings of its stage have one of the listed values. In a group of copies each light
    has its `own`. One that is `keyed` may change over the frames of a reel, and one `over_frames` means something there
    alone. `swept` says how a test strip goes through it: over a part of its `range`, through `each` of its values, or not
    at all.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    type: str
    name: str = ""
    label: str = ""
    help: str
    default: Any = None
    group: str = ""
    essential: bool = False
    when: dict[str, list[Any]] = {}
    own: bool = False
    keyed: bool = False
    over_frames: bool = False
    swept: Swept | None = None

    ON_A_STRIP: ClassVar[int] = 7  # pictures of a test strip of this setting alone
    IN_SCHEMA_KEYWORDS: ClassVar[frozenset[str]] = frozenset({"type", "name", "label", "help", "default", "low", "high", "options"})

    def __call__(self, schema: dict[str, Any]) -> None:
        """Adds to the JSON Schema of a field what no keyword of JSON Schema says."""
        described = self.model_dump(mode="json", exclude_defaults=True, exclude=set(self.IN_SCHEMA_KEYWORDS))
        schema.update({"setting": self.type, **described})

    @property
    def bounds(self) -> dict[str, Any]:
        """What `pydantic.Field` checks of a value: from `low` to `high`, for a type that has them."""
        named = {"ge": getattr(self, "low", None), "le": getattr(self, "high", None)}
        return {name: value for name, value in named.items() if value is not None}

    def field(self, default: Any, **further: Any) -> Any:
        """The Pydantic field that this setting is declared by, with its bounds and `further` ones of `pydantic.Field`."""
        checked = {**self.bounds, **further}
        return Field(default, description=self.help, title=self.label or None, json_schema_extra=self, **checked)

    def described(self, name: str, info: FieldInfo) -> Self:
        """The setting with its name, label and default filled in, as the catalogue shows it."""
        label = self.label or name.replace("_", " ").capitalize()
        default = info.get_default(call_default_factory=True)
        return self.model_copy(update={"name": name, "label": label, "default": default})

    def shown_in(self, values: Mapping[str, Any]) -> bool:
        """Whether it counts among the values of its stage."""
        return all(values.get(name) in allowed for name, allowed in self.when.items())

    def steps(self, present: Any, span: float, count: int) -> list[Any]:
        """Values for a test strip of `count`; `span` 1 covers the whole range. Empty where it cannot be swept."""
        return []

    def carried(self, value: Any, to: Carry) -> Any:
        """The value with each of its places (plate fractions) put elsewhere, for types that say where something is."""
        return value

    def mirrored(self, value: Any, to: Carry) -> Any:
        """The value as a mirror shows it that carries places `to` the other side."""
        return self.carried(value, to)

    def taken(self, value: Any) -> Any:
        """The value of a key as the setting has it, which may be as JSON has it."""
        return value

    def numbers(self, value: Any) -> list[float]:
        """The value as numbers between which others lie, for settings that can be keyed."""
        return _flat(value)

    def of_numbers(self, like: Any, numbers: list[float]) -> Any:
        """A value of the same shape as `like`, of such numbers."""
        return _shaped(like, iter(numbers))

    def files(self, value: Any) -> list[str]:
        """SHA-256 names of the files that the value refers to."""
        return []


def _flat(value: Any) -> list[float]:
    return [number for one in value for number in _flat(one)] if isinstance(value, list | tuple) else [float(value)]


def _shaped(like: Any, numbers: Iterator[float]) -> Any:
    return tuple(_shaped(one, numbers) for one in like) if isinstance(like, list | tuple) else next(numbers)


_settings: dict[type[BaseModel], tuple[tuple[str, Setting], ...]] = {}  # asked for several times for each light of a frame


def settings_of(model: type[BaseModel]) -> tuple[tuple[str, Setting], ...]:
    """The settings that a group declares, by name and in order, each fully described."""
    if model not in _settings:
        _settings[model] = tuple(
            (name, info.json_schema_extra.described(name, info))
            for name, info in model.model_fields.items()
            if isinstance(info.json_schema_extra, Setting)
        )
    return _settings[model]


def first_of(model: type[BaseModel], wanted: Callable[[Setting], bool]) -> str | None:
    """The name of the first setting of a group that is wanted, or None."""
    return next((name for name, setting in settings_of(model) if wanted(setting)), None)
