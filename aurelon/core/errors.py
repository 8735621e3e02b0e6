"""Errors are values for people: what happened, to what, and what to do."""

from __future__ import annotations

from typing import Any


class AurelonError(Exception):
    """A problem that the person at the screen can act on; its text is one whole sentence. Worker processes can hand back every
    kind, whatever it is made from."""

    def __reduce__(self) -> tuple[Any, ...]:
        return _made_anew, (type(self), self.args), self.__dict__


def _made_anew(kind: type[AurelonError], args: tuple[Any, ...]) -> AurelonError:
    error = kind.__new__(kind)
    error.args = args
    return error


class PlateError(AurelonError):
    """A picture file that cannot be used as a plate."""


class RigError(AurelonError):
    """A rig that cannot be used. `problems` pairs each path in the rig with what is wrong there."""

    def __init__(self, problems: list[tuple[str, str]]) -> None:
        self.problems = problems
        super().__init__("; ".join(_sentence(path, what) for path, what in problems))


def _sentence(path: str, what: str) -> str:
    """The path is the subject where what is wrong begins with its verb."""
    if not path:
        return what
    return f"{path} {what}" if what.startswith(("is ", "has ", "must ")) else f"{path}: {what}"


class OutputError(AurelonError):
    """A result that cannot be written."""


class Cancelled(Exception):
    """Raised inside a rendering whose result is no longer wanted."""
