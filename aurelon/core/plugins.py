"""Kinds of light, parts of masks and codecs of other people, found by the entry points of installed packages.

An entry point of the group `aurelon.kinds`, `aurelon.masks` or `aurelon.codecs` names the object itself. One that
cannot be used is left out and named; nothing else fails.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from importlib.metadata import EntryPoint, entry_points
from typing import Any, Generic, TypeVar

T = TypeVar("T")


@dataclass(frozen=True)
class Refused:
    """An entry point that was left out: of which package, and why, as one sentence."""

    package: str
    name: str
    why: str

    @property
    def sentence(self) -> str:
        return f"The extension {self.name} of the package {self.package} was left out: {self.why}."


@dataclass(frozen=True)
class Found(Generic[T]):
    """What a room of the core has, by name: its own and that of other people's packages; and what was left out."""

    items: dict[str, T]
    refused: tuple[Refused, ...]


def with_extensions(own: dict[str, T], group: str, check: Callable[[Any], tuple[str, T]]) -> Found[T]:
    """`own` and what the entry points of a group add. `check` gives the name and the thing itself, or raises an
    exception that says what is wrong with it."""
    items, refused = dict(own), []
    for point in sorted(entry_points(group=group), key=lambda p: (_package(p), p.name)):
        try:
            name, result = check(point.load())
            if name in items:
                raise ValueError(f"the name '{name}' is taken")
            items[name] = result
        except Exception as error:  # whatever somebody else's code does must not stop Aurelon
            why = " ".join(str(error).split()) or type(error).__name__
            refused.append(Refused(_package(point), point.name, why.rstrip(".")))
    return Found(items, tuple(refused))


def _package(point: EntryPoint) -> str:
    return point.dist.name if point.dist else "unknown"
