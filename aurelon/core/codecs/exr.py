"""OpenEXR, half and float: scan lines or tiles, one part or several, layers by their names.

Of several parts or layers the one is read that is called result, beauty or combined, or else the first that has colour.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import OpenEXR
from numpy.typing import NDArray

from aurelon.core.codecs.shared.depth import NOT_USED, nearness_of
from aurelon.core.codecs.shared.mending import mended
from aurelon.core.codecs.shared.paths import as_path
from aurelon.core.codecs.shared.raster import CUT_SHORT, Format, Raster, UnreadableError, all_numbers
from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.code_points import linear_space_of
from aurelon.core.imaging.rgb_space import LINEAR_SRGB, RgbSpace, chromaticities_of
from aurelon.core.imaging.samples import from_halves, from_planes

FORMAT = Format(
    "exr",
    "OpenEXR",
    "image/x-exr",
    (".exr",),
    ("half", "float"),
    linear=True,
    without_exif=("half", "float"),
    carries_rig=True,
    order=7,
)
Window = tuple[int, int, int, int]  # first column and row, and those after the last
CHROMA = ("Y", "RY", "BY")
WHOLE = ("result", "beauty", "combined", "composite", "rgba", "")
HALF_MOST = 65504.0
RIG = "aurelon:rig"  # the attribute in which one travels


def matches(head: bytes) -> bool:
    return head[:4] == b"\x76\x2f\x31\x01"


@contextmanager
def opened(data: bytes, header_only: bool = False) -> Iterator[Any]:
    """The file as the library opens it, which takes a path only."""
    with as_path(data) as path:
        try:
            # Its own words on a broken file are for programmers.
            yield OpenEXR.File(path, separate_channels=True, header_only=header_only)
        except (RuntimeError, ValueError, TypeError) as error:
            if isinstance(error, UnreadableError):
                raise
            raise UnreadableError(CUT_SHORT) from error


def _window(header: Mapping[str, Any], name: str) -> Window:
    """First and last column and row of a window of a header: x0, y0, x1, y1, the last ones beyond."""
    (x0, y0), (x1, y1) = (tuple(int(v) for v in corner) for corner in header[name])
    if x1 < x0 or y1 < y0:
        raise UnreadableError("is damaged: its header gives no size")
    return x0, y0, x1 + 1, y1 + 1


def measure(data: bytes) -> tuple[int, int]:
    with opened(data, header_only=True) as file:
        sizes = [_window(part.header, "displayWindow") for part in file.parts]
        sizes += [_window(part.header, "dataWindow") for part in file.parts]
    # What is decoded counts, not only what is shown.
    return max(x1 - x0 for x0, _, x1, _ in sizes), max(y1 - y0 for _, y0, _, y1 in sizes)


def layers(data: bytes) -> list[str]:
    """Names of the pictures in the file: a part, a layer of a part, or both."""
    with opened(data) as file:
        return list(_found(file))


def read(data: bytes) -> Raster:
    with opened(data) as file:
        found = _found(file)
        if not found:
            raise UnreadableError("holds no picture in red, green and blue or in grey")
        name = min(found, key=lambda name: _rank(*found[name][:2]))
        result = _raster(*found[name][2:])
        rig = file.parts[0].header.get(RIG)
        notices = f"holds {len(found)} layers; “{name}” was taken, and the others can be brought in too"
        more = (notices,) if len(found) > 1 else ()
        return replace(result, rig=rig if isinstance(rig, str) else "", notices=(*result.notices, *more))


def read_layer(data: bytes, layer: str) -> Raster:
    with opened(data) as file:
        return _raster(*_found(file)[layer][2:])


def _found(file: Any) -> dict[str, tuple[str, str, Any, Mapping[str, str]]]:
    """By name each part and layer that has colour: its part's name, its own, the part, and the channel for each of R, G, B, A."""
    found: dict[str, tuple[str, str, Any, Mapping[str, str]]] = {}
    for number, part in enumerate(file.parts, start=1):
        own = part.name() or ""
        for layer, names in _layers(part.channels).items():
            name = " / ".join(word for word in (own, layer) if word) or (f"Part {number}" if len(file.parts) > 1 else "Picture")
            found[name if name not in found else f"{name} {number}"] = own, layer, part, names
    return found


def _rank(part: str, layer: str) -> int:
    called = (layer or part).lower()
    return WHOLE.index(called) if called in WHOLE else len(WHOLE)


def _layers(channels: Mapping[str, Any]) -> dict[str, dict[str, str]]:
    """Layers that have colour: the channel for each of R, G, B (and A), by the layer's name."""
    grouped: dict[str, dict[str, str]] = {}
    for name in channels:
        layer, _, kind = name.rpartition(".")
        grouped.setdefault(layer, {})[kind.upper()] = name
    kept = {}
    for layer, kinds in grouped.items():
        if {"R", "G", "B"} <= kinds.keys():
            kept[layer] = {kind: kinds[kind] for kind in "RGBA" if kind in kinds}
        elif {"Y", "RY", "BY"} <= kinds.keys():
            kept[layer] = {kind: kinds[kind] for kind in (*CHROMA, "A") if kind in kinds}
        elif "Y" in kinds:
            kept[layer] = dict.fromkeys("RGB", kinds["Y"]) | ({"A": kinds["A"]} if "A" in kinds else {})
    return kept


def _raster(part: Any, names: Mapping[str, str]) -> Raster:
    display, stored = _window(part.header, "displayWindow"), _window(part.header, "dataWindow")
    space = _space(part.header.get("chromaticities"))
    pixels = {kind: np.asarray(part.channels[name].pixels) for kind, name in names.items()}
    if "Y" in names:
        pixels |= _from_chroma(pixels["Y"], pixels["RY"], pixels["BY"], stored, space)
    colour, notices = _side_by_side([_shown(pixels[kind], stored, display) for kind in "RGB"])
    alpha = all_numbers(_shown(pixels["A"], stored, display)) if "A" in pixels else None
    nearness, of_depth = _nearness(part, next(iter(names.values())), stored, display)
    notices += of_depth
    if alpha is not None:
        # Colour comes multiplied by alpha.
        colour = np.where(alpha[:, :, None] > 0, colour / np.maximum(alpha, 1e-6)[:, :, None], colour).astype(np.float32)
        alpha = None if float(alpha.min()) >= 1 else alpha
    return Raster(colour, alpha, space=space, nearness=nearness, notices=notices)


def _nearness(part: Any, red: str, stored: Window, display: Window) -> tuple[Floats | None, tuple[str, ...]]:
    """Nearness by the depth beside a layer, which is the channel Z of the layer or of its part, and what a person should know of
    it. `red` is the layer's channel."""
    of_layer = f"{red.rpartition('.')[0]}.Z".lstrip(".")
    name = next((name for name in (of_layer, "Z") if name in part.channels), None)
    if name is None:
        return None, ()
    try:
        z = _shown(np.asarray(part.channels[name].pixels), stored, display)
    except UnreadableError:
        return None, (NOT_USED,)
    result = nearness_of(z)
    return result, () if result is not None else (NOT_USED,)


def _from_chroma(
    luminance: NDArray[Any], red: NDArray[Any], blue: NDArray[Any], stored: Window, space: RgbSpace
) -> dict[str, Floats]:
    """The planes R, G and B of luminance Y and chroma RY = (R - Y) / Y and BY = (B - Y) / Y, which are stored for every other pixel
    of every other row (OpenEXR, "Luminance/Chroma Images"); between them chroma is taken linearly. Raises UnreadableError
    where it is stored otherwise."""
    height, width = luminance.shape
    x0, y0 = stored[0], stored[1]
    rows, columns = (np.arange(y0 + y0 % 2, y0 + height, 2), np.arange(x0 + x0 % 2, x0 + width, 2))
    if red.shape != blue.shape or red.shape not in ((rows.size, columns.size), (height, width)):
        raise UnreadableError("has chroma at an unusual size; save it in red, green and blue")
    y = np.asarray(luminance, np.float32)

    def whole(chroma: NDArray[Any]) -> Floats:
        plane = np.asarray(chroma, np.float32)
        if plane.shape == y.shape:
            return plane
        along_x = (np.arange(width, dtype=np.float32) - (columns[0] - x0)) / 2
        along_y = (np.arange(height, dtype=np.float32) - (rows[0] - y0)) / 2
        grid_x, grid_y = (np.asarray(grid, np.float32) for grid in np.meshgrid(along_x, along_y))
        return np.asarray(cv2.remap(plane, grid_x, grid_y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE), np.float32)

    # Of luminance under the white that files state, D65.
    weights = np.linalg.inv(space.from_d65)[1].astype(np.float32)
    r, b = (whole(red) + 1) * y, (whole(blue) + 1) * y
    return {"R": r, "G": (y - weights[0] * r - weights[2] * b) / weights[1], "B": b}


def _side_by_side(planes: list[NDArray[Any]]) -> tuple[Floats, tuple[str, ...]]:
    """Planes (h, w) as (h, w, n) float32, with what to say of stray samples that are NaN or infinite. Raises UnreadableError where
    there are many."""
    if all(plane.dtype == np.float16 for plane in planes):
        colour, finite = from_halves(planes)
    else:
        colour, finite = from_planes([np.asarray(plane, np.float32) for plane in planes])
    if finite:
        return colour, ()
    colour, said = mended(np.stack([np.asarray(plane, np.float32) for plane in planes], axis=2))
    return colour, (said,)


def _shown(plane: NDArray[Any], stored: Window, display: Window) -> NDArray[Any]:
    """What of a stored plane lies in the display window, black elsewhere."""
    width, height = stored[2] - stored[0], stored[3] - stored[1]
    if plane.shape != (height, width):
        raise UnreadableError("has channels at less than its full size; save it with all channels alike")
    if plane.dtype.kind != "f":
        raise UnreadableError("has whole numbers where colours should be; save it as half or float")
    if stored == display:
        return np.ascontiguousarray(plane)
    out = np.zeros((display[3] - display[1], display[2] - display[0]), plane.dtype)
    x0, y0 = max(stored[0], display[0]), max(stored[1], display[1])
    x1, y1 = min(stored[2], display[2]), min(stored[3], display[3])
    if x0 < x1 and y0 < y1:
        inside = plane[y0 - stored[1] : y1 - stored[1], x0 - stored[0] : x1 - stored[0]]
        out[y0 - display[1] : y1 - display[1], x0 - display[0] : x1 - display[0]] = inside
    return out


def _space(chromaticities: Any) -> RgbSpace:
    if chromaticities is None:
        return LINEAR_SRGB
    try:
        return linear_space_of([float(v) for v in np.asarray(chromaticities).ravel()])
    except (ValueError, np.linalg.LinAlgError) as error:
        raise UnreadableError("is damaged: its primaries span no colours") from error


def header_of(space: RgbSpace, **more: Any) -> dict[str, Any]:
    """A header for pictures in `space`, with `more` attributes."""
    return {
        "compression": OpenEXR.ZIP_COMPRESSION,
        "type": OpenEXR.scanlineimage,
        "chromaticities": chromaticities_of(space),
        **more,
    }


def channels_of(colour: Floats, alpha: Floats | None, depth: str) -> dict[str, NDArray[Any]]:
    """Colour (h, w, 3) and alpha (h, w) as the channels of a part, colour multiplied by alpha."""
    kind = np.float16 if depth == "half" else np.float32
    lit = colour if alpha is None else colour * alpha[:, :, None]

    def plane(channel: int) -> NDArray[Any]:
        one = np.array(lit[:, :, channel], np.float32)
        return np.clip(one, -HALF_MOST, HALF_MOST, out=one).astype(kind) if depth == "half" else one

    with ThreadPoolExecutor(3) as threads:
        planes = dict(zip("RGB", threads.map(plane, range(3)), strict=True))
    return planes if alpha is None else {**planes, "A": np.ascontiguousarray(alpha, kind)}


def written(parts: list[Any]) -> bytes:
    """The bytes of a file of parts."""
    with as_path(b"") as path:
        OpenEXR.File(parts).write(path)
        return Path(path).read_bytes()


def write(raster: Raster, depth: str, quality: int) -> bytes:
    space = raster.space or LINEAR_SRGB
    carried = {RIG: raster.rig} if raster.rig else {}
    return written([OpenEXR.Part(header_of(space, **carried), channels_of(raster.samples, raster.alpha, depth), "result")])
