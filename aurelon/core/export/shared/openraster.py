"""OpenRaster: layers as PNG in an archive with a list of them (freedesktop.org, "OpenRaster File Layout Specification" 0.0.6)."""

from __future__ import annotations

import io
import zipfile
from xml.etree.ElementTree import Element, SubElement, tostring

import cv2
import numpy as np
from numpy.typing import NDArray

from aurelon.core.codecs import png
from aurelon.core.codecs.ora import RIG
from aurelon.core.codecs.shared.raster import Raster
from aurelon.core.export.shared.archive import put
from aurelon.core.export.shared.layers import Layer, Layers
from aurelon.core.imaging.blend.modes import MODES
from aurelon.core.imaging.rgb_space import RgbSpace

OPERATORS = {"normal": "svg:src-over"} | {mode.name: mode.operator for mode in MODES if mode.operator}
THUMBNAIL = 256


def open_raster(result: Layers, space: RgbSpace, depth: str, rig: str) -> bytes:
    """The bytes of the file; `rig` is the rig as JSON, which goes with it."""
    height, width, _ = result.result.shape
    image = Element("image", {"version": "0.0.6", "w": str(width), "h": str(height)})
    stack = SubElement(image, "stack")
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        put(archive, "mimetype", "image/openraster")
        # The topmost comes first.
        for number, layer in reversed(list(enumerate(result.layers))):
            place = f"data/layer{number:03}.png"
            put(archive, place, _png(layer, space, depth))
            SubElement(
                stack,
                "layer",
                {
                    "name": layer.name,
                    "src": place,
                    "x": "0",
                    "y": "0",
                    "opacity": f"{layer.opacity:g}",
                    "composite-op": OPERATORS[layer.mode],
                    "visibility": "hidden" if layer.hidden else "visible",
                },
            )
        put(archive, "stack.xml", tostring(image, "utf-8", xml_declaration=True))
        put(archive, "mergedimage.png", png.write(Raster(result.result, icc=space.icc), depth, 100))
        put(archive, "Thumbnails/thumbnail.png", png.write(Raster(_small(result.result)), "8", 100))
        put(archive, RIG, rig)
    return out.getvalue()


def _png(layer: Layer, space: RgbSpace, depth: str) -> bytes:
    return png.write(Raster(layer.samples, layer.alpha, space.icc), depth, 100)


def _small(result: NDArray[np.uint8] | NDArray[np.uint16]) -> NDArray[np.uint8]:
    scale = min(1.0, THUMBNAIL / max(result.shape[:2]))
    size = (max(1, round(result.shape[1] * scale)), max(1, round(result.shape[0] * scale)))
    small = cv2.resize(result, size, interpolation=cv2.INTER_AREA)
    return np.asarray(small if small.dtype == np.uint8 else small // 257, np.uint8)
