"""Open picture formats: one module a family, found here by what is in the folder, and those of extensions.

A module offers FORMAT (a `Format`), `matches(data)`, `measure(data)`, `read(data)` and
`write(picture, depth, quality)`. Adding a family is adding a file.
"""

from __future__ import annotations

import importlib
import logging
import pkgutil
from collections.abc import Callable
from dataclasses import replace
from functools import cache
from numbers import Integral
from pathlib import PurePath
from typing import Any, Protocol, TypeVar, cast, runtime_checkable

import numpy as np

from aurelon.core.codecs.shared.raster import DEPTHS, Format, Raster, why_unreadable
from aurelon.core.errors import PlateError
from aurelon.core.plugins import Found, with_extensions

MAX_PIXELS, MAX_SIDE = 150_000_000, 100_000
MOST_LAYERS = 10_000
DAMAGED = "is damaged and cannot be decoded; copy it again from where it came"
T = TypeVar("T")
log = logging.getLogger(__name__)


class Codec(Protocol):
    """What a module in this folder offers."""

    FORMAT: Format

    def matches(self, head: bytes, /) -> bool: ...
    def measure(self, data: bytes, /) -> tuple[int, int]: ...
    def read(self, data: bytes, /) -> Raster: ...
    def write(self, raster: Raster, depth: str, quality: int) -> bytes: ...


@runtime_checkable
class Layered(Codec, Protocol):
    """A codec whose files may hold several pictures."""

    def layers(self, data: bytes, /) -> list[str]: ...
    def read_layer(self, data: bytes, layer: str, /) -> Raster: ...


@runtime_checkable
class Glanced(Codec, Protocol):
    """A codec whose files take long to read, and can be read at a smaller size at once."""

    def glance(self, data: bytes, /) -> tuple[Raster, tuple[int, int]]: ...


@cache
def found_codecs() -> Found[Codec]:
    """Every codec, and the extensions that were left out."""
    names = (m.name for m in pkgutil.iter_modules(__path__) if not m.ispkg)
    modules = [cast(Codec, importlib.import_module(f"{__name__}.{name}")) for name in names]
    modules.sort(key=lambda codec: (codec.FORMAT.order, codec.FORMAT.name))
    return with_extensions({codec.FORMAT.name: codec for codec in modules}, "aurelon.codecs", _checked)


def codecs() -> dict[str, Codec]:
    """Every codec by the name of its format."""
    return found_codecs().items


def _checked(result: Any) -> tuple[str, Codec]:
    form = getattr(result, "FORMAT", None)
    if not isinstance(form, Format):
        raise TypeError("it has no FORMAT")
    missing = [name for name in ("matches", "measure", "read", "write") if not callable(getattr(result, name, None))]
    if missing:
        raise TypeError(f"it has no {missing[0]}")
    taken = {suffix for codec in found_suffixes() for suffix in codec} & set(form.suffixes)
    if taken:
        raise ValueError(f"the ending {min(taken)} is taken")
    return form.name, cast(Codec, result)


def found_suffixes() -> list[tuple[str, ...]]:
    """The endings of Aurelon's own formats."""
    names = (m.name for m in pkgutil.iter_modules(__path__) if not m.ispkg)
    return [importlib.import_module(f"{__name__}.{name}").FORMAT.suffixes for name in names]


def suffixes() -> dict[str, str]:
    """File endings (with the dot, lower case) and the format each stands for."""
    return {suffix: name for name, codec in codecs().items() for suffix in codec.FORMAT.suffixes}


def _list(words: list[str]) -> str:
    return words[0] if len(words) == 1 else f"{', '.join(words[:-1])} and {words[-1]}"


def read_raster(data: bytes, name: str) -> Raster:
    """Decodes the bytes of the file called `name`.

    Raises PlateError, in one sentence that names the file, when it is empty, no picture, cut short,
    named as another format than it holds, or larger than MAX_PIXELS (checked before decoding).
    """
    codec = _codec_of(data, name)
    _measured(codec, data, name)
    return _decoded(name, lambda: codec.read(data))


def glance_at(data: bytes, name: str) -> tuple[Raster, tuple[int, int]]:
    """A picture as fast as it can be had, at any size, and width and height of the whole. Raises PlateError as `read_raster`
    does."""
    codec = _codec_of(data, name)
    _measured(codec, data, name)
    if isinstance(codec, Glanced):
        glanced = codec
        return _decoded(name, lambda: glanced.glance(data))
    raster = _decoded(name, lambda: codec.read(data))
    rows, columns = raster.samples.shape[:2]
    return raster, (columns, rows)


def measured(data: bytes, name: str) -> tuple[int, int]:
    """Width and height of a picture, by what its file says at its head. Raises PlateError as `read_raster` does."""
    return _measured(_codec_of(data, name), data, name)


def layers_in(data: bytes, name: str) -> list[str]:
    """Names of the pictures in a file, where it holds several; none where it holds one. Raises PlateError as `read_raster` does."""
    codec = _codec_of(data, name)
    if not isinstance(codec, Layered):
        return []
    _measured(codec, data, name)  # before anything is taken apart
    layered = codec
    found = _decoded(name, lambda: layered.layers(data))
    if len(found) > MOST_LAYERS:
        raise PlateError(f"{name} holds {len(found):,} layers; Aurelon takes files of up to {MOST_LAYERS:,}")
    return found if len(found) > 1 else []


def layer_of(data: bytes, name: str, layer: str) -> tuple[bytes, str]:
    """One of the pictures in a file as a file of its own, without loss: its bytes, and its name. Raises PlateError for a layer that
    is not there, and as `read_raster` does."""
    codec = _codec_of(data, name)
    _measured(codec, data, name)
    if not isinstance(codec, Layered) or layer not in layers_in(data, name):
        raise PlateError(f"{name} has no layer called “{layer}”; it may have been another file")
    layered = codec
    raster = _decoded(name, lambda: layered.read_layer(data, layer))
    if raster.samples.shape[2] == 1:
        raster = replace(raster, samples=np.repeat(raster.samples, 3, axis=2))
    if raster.icc is None and raster.space is not None:
        raster = replace(raster, icc=raster.space.icc)
    writer = codec if codec.FORMAT.written else codecs()["png"]
    depth = DEPTHS.get(str(raster.samples.dtype), "float")
    called = f"{PurePath(name).stem} - {layer.replace('/', '-')}{writer.FORMAT.suffixes[0]}"
    return writer.write(raster, depth, 100), called


def _codec_of(data: bytes, name: str) -> Codec:
    if not data:
        raise PlateError(f"{name} is empty; export or copy the picture again")
    codec = next((c for c in codecs().values() if c.matches(data)), None)
    if codec is None:
        known = _list([c.FORMAT.title for c in codecs().values()])
        raise PlateError(f"{name} is not a picture that Aurelon can read; it reads {known}")
    stated = suffixes().get(PurePath(name).suffix.lower())
    if stated is not None and stated != codec.FORMAT.name:
        raise PlateError(
            f"{name} is named as {codecs()[stated].FORMAT.title} but holds {codec.FORMAT.title}; "
            f"rename it to end in {codec.FORMAT.suffixes[0]}"
        )
    return codec


def _measured(codec: Codec, data: bytes, name: str) -> tuple[int, int]:
    width, height = _decoded(name, lambda: codec.measure(data))
    if not isinstance(width, Integral) or not isinstance(height, Integral) or width < 1 or height < 1:
        raise PlateError(f"{name} is damaged: its header gives no size")
    if max(width, height) > MAX_SIDE:
        raise PlateError(f"{name} is {width} x {height} pixels; Aurelon takes pictures of up to {MAX_SIDE} pixels a side")
    if width * height > MAX_PIXELS:
        raise PlateError(
            f"{name} is {width} x {height} pixels; Aurelon takes pictures of up to "
            f"{MAX_PIXELS // 1_000_000} megapixels, so reduce it first"
        )
    return width, height


def _decoded(name: str, decode: Callable[[], T]) -> T:
    """What a decoder makes of a file. Whatever a damaged file makes it stumble over becomes a PlateError."""
    try:
        return decode()
    except Exception as error:  # decoders of many hands, each with faults of its own
        why = why_unreadable(error, DAMAGED)
        if why is not error:
            log.info("%s cannot be decoded", name, exc_info=True)
        raise PlateError(f"{name} {why}") from error
