"""OpenRaster (freedesktop.org, "OpenRaster File Layout Specification" 0.0.6), read: the merged picture, or a layer of it."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np
from defusedxml import ElementTree, common

from aurelon.core.codecs import png
from aurelon.core.codecs.shared.raster import CUT_SHORT, Format, Raster, UnreadableError
from aurelon.core.errors import OutputError

if TYPE_CHECKING:
    from xml.etree.ElementTree import Element

FORMAT = Format("ora", "OpenRaster", "image/openraster", (".ora",), (), written=False, order=9)
MEDIA_TYPE = b"image/openraster"
MERGED, STACK, RIG = "mergedimage.png", "stack.xml", "aurelon/rig.json"
MOST_TEXT = 16 << 20  # bytes of the list of layers, or of the rig
MOST_PICTURE = 1 << 31  # bytes of a layer's file
MOST_LAYERS = 10_000
MOST_PIXELS = 150_000_000


def matches(head: bytes) -> bool:
    # The first entry is the media type, not compressed.
    return head[:4] == b"PK\x03\x04" and MEDIA_TYPE in head[30:80]


@contextmanager
def _opened(data: bytes) -> Iterator[zipfile.ZipFile]:
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            yield archive
    except (zipfile.BadZipFile, KeyError, ElementTree.ParseError, ValueError, NotImplementedError, OSError, RuntimeError) as error:
        if isinstance(error, UnreadableError):
            raise
        raise UnreadableError(CUT_SHORT) from error


def _entry(archive: zipfile.ZipFile, name: str, most: int) -> bytes:
    """An entry, unless it unpacks to more than it may."""
    with archive.open(name) as file:
        data = file.read(most + 1)
    if len(data) > most:
        raise UnreadableError("has a part that unpacks to far more than a picture has; it is damaged or made to do harm")
    return data


def _stack(archive: zipfile.ZipFile) -> Element:
    text = _entry(archive, STACK, MOST_TEXT)
    if (count := text.count(b"<layer")) > MOST_LAYERS:
        raise UnreadableError(f"lists about {count:,} layers; Aurelon takes files of up to {MOST_LAYERS:,}")
    try:
        # UTF-8 alone, as the specification has it: by another encoding a count of what it holds would see nothing.
        image: Element = ElementTree.fromstring(text.decode("utf-8"), forbid_dtd=True)
        return image
    except common.DefusedXmlException as error:
        raise UnreadableError("has a list of layers with definitions of its own; save it again where it was made") from error


def _layers(image: Element) -> dict[str, Element]:
    """Layers by their names, none twice, the topmost first."""
    found: dict[str, Element] = {}
    for number, layer in enumerate(image.iter("layer"), start=1):
        name = layer.get("name") or f"Layer {number}"
        found[name if name not in found else f"{name} {number}"] = layer
    return found


def measure(data: bytes) -> tuple[int, int]:
    with _opened(data) as archive:
        image = _stack(archive)
        size = int(image.get("w", "0")), int(image.get("h", "0"))
        if min(size) < 1:
            raise UnreadableError("is damaged: its header gives no size")
        return max(size[0], _sized(archive, MERGED)[0]), max(size[1], _sized(archive, MERGED)[1])


def _sized(archive: zipfile.ZipFile, name: str) -> tuple[int, int]:
    with archive.open(name) as file:
        return png.measure(file.read(64))


def layers(data: bytes) -> list[str]:
    """Names of the layers, the topmost first, after the picture that they give."""
    with _opened(data) as archive:
        return [MERGED, *_layers(_stack(archive))]


def read(data: bytes) -> Raster:
    with _opened(data) as archive:
        merged = png.read(_entry(archive, MERGED, MOST_PICTURE))
        rig = _entry(archive, RIG, MOST_TEXT).decode() if RIG in archive.namelist() else ""
        count = len(_layers(_stack(archive)))
    notices = f"holds {count} layers; the picture that they give was taken, and each can be brought in too"
    return replace(merged, rig=rig, notices=(notices,) if count else ())


def read_layer(data: bytes, layer: str) -> Raster:
    if layer == MERGED:
        return replace(read(data), notices=())
    with _opened(data) as archive:
        image = _stack(archive)
        place = _layers(image)[layer]
        size = int(image.get("w", "0")), int(image.get("h", "0"))
        wide, tall = _sized(archive, place.get("src", ""))
        if wide * tall > MOST_PIXELS or not 0 < size[0] * size[1] <= MOST_PIXELS:
            raise UnreadableError("has a layer that is far too large; reduce it first")
        result = png.read(_entry(archive, place.get("src", ""), MOST_PICTURE))
        x, y = int(float(place.get("x", "0"))), int(float(place.get("y", "0")))
    return _on_canvas(result, size, x, y)


def _on_canvas(result: Raster, size: tuple[int, int], x: int, y: int) -> Raster:
    """A layer where it lies in the picture, transparent round it."""
    tall, wide, channels = result.samples.shape
    if (wide, tall) == size and (x, y) == (0, 0):
        return result
    samples = np.zeros((size[1], size[0], channels), result.samples.dtype)
    alpha = np.zeros((size[1], size[0]), result.samples.dtype)
    x0, y0, x1, y1 = max(x, 0), max(y, 0), min(x + wide, size[0]), min(y + tall, size[1])
    if x0 < x1 and y0 < y1:
        inner = slice(y0 - y, y1 - y), slice(x0 - x, x1 - x)
        samples[y0:y1, x0:x1] = result.samples[inner]
        alpha[y0:y1, x0:x1] = np.iinfo(alpha.dtype).max if result.alpha is None else result.alpha[inner]
    return replace(result, samples=samples, alpha=alpha)


def write(raster: Raster, depth: str, quality: int) -> bytes:
    raise OutputError("OpenRaster is written as passes only")
