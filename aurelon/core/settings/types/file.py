"""A file that is kept with the plate."""

from __future__ import annotations

from typing import Any, Literal, Unpack

from aurelon.core.settings.base import Common, Setting


class File(Setting):
    """A file by its SHA-256, or none. It lies over the whole plate, unless it may have `any_shape`."""

    type: Literal["file"] = "file"
    any_shape: bool = False

    def files(self, value: Any) -> list[str]:
        return [value] if value else []


def file_setting(help: str, *, any_shape: bool = False, **common: Unpack[Common]) -> Any:
    """A setting that names a file, none to begin with."""
    return File(help=help, any_shape=any_shape, **common).field("", pattern=r"^([0-9a-f]{64})?$")


SETTING = File
