"""What a DNG says of its picture (DNG Specification 1.7): levels, crop, exposure; and the light of one whose
colours are all there at every pixel (LinearRaw), or which has one channel only."""

from __future__ import annotations

import io
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
import tifffile
from numpy.typing import NDArray

from aurelon.core.codecs.shared.raster import CUT_SHORT, ORIENTATION, UnreadableError, all_numbers, upright
from aurelon.core.imaging.arrays import Doubles, Floats

LINEAR_RAW, COLOUR_FILTERS = 34892, 32803
MOST_PAGES = 24
BLACK_LEVEL, WHITE_LEVEL, LINEARIZATION = 50714, 50717, 50712
CROP_ORIGIN, CROP_SIZE, ACTIVE_AREA = 50719, 50720, 50829
MATRICES = ((50722, 50779), (50721, 50778))  # of a colour matrix and its illuminant, the second before the first
D65, NEUTRAL, BASELINE_EXPOSURE = 21, 50728, 50730
BRIGHTEST_STOPS = 8.0  # of a baseline exposure; a greater one is taken for a mistake
DAMAGE = (tifffile.TiffFileError, ValueError, IndexError, KeyError, TypeError, OSError, RuntimeError, ZeroDivisionError)

Crop = tuple[int, int, int, int]  # first column and row, width and height


@dataclass(frozen=True)
class DngFacts:
    """What is done to the developed picture: brightened by so many stops, and cropped within its active area, before it is turned;
    and whether it needs no developing."""

    stops: float = 0.0
    crop: Crop | None = None
    linear: bool = False
    size: tuple[int, int] = (0, 0)  # what is decoded, width and height


@dataclass(frozen=True)
class LinearRaw:
    """Balanced channels, 1 where the strongest is full (h, w, 3) or (h, w, 1), the matrix that takes XYZ under D65 to the camera's
    channels, and what the camera sees of a neutral grey."""

    light: Floats
    from_xyz: Doubles | None
    neutral: Doubles


def _values(page: tifffile.TiffPage, tag: int) -> list[float]:
    """The numbers of a tag; none where it is missing."""
    if tag not in page.tags:
        return []
    found = page.tags[tag]
    values = list(found.value) if isinstance(found.value, tuple) else [found.value]
    if found.dtype in (5, 10):  # rationals
        pairs = zip(values[::2], values[1::2], strict=True)
        return [float(top) / float(under) if under else 0.0 for top, under in pairs]
    return [float(value) for value in values]


def _pages(file: tifffile.TiffFile) -> Iterator[tifffile.TiffPage]:
    seen = 0
    for page in file.pages:
        if not isinstance(page, tifffile.TiffPage):
            continue
        for one in (page, *(sub for sub in (page.pages or ()) if isinstance(sub, tifffile.TiffPage))):
            yield one
            seen += 1
            if seen == MOST_PAGES:
                return


def _raw_page(file: tifffile.TiffFile) -> tifffile.TiffPage | None:
    """The page of what the sensor saw: the largest."""
    raw = [page for page in _pages(file) if page.photometric in (LINEAR_RAW, COLOUR_FILTERS)]
    return max(raw, key=lambda page: page.imagewidth * page.imagelength) if raw else None


def facts_of(data: bytes) -> DngFacts:
    """What the file says; the defaults where it is not a DNG, or states values that cannot be met."""
    try:
        with tifffile.TiffFile(io.BytesIO(data)) as file:
            page = _raw_page(file)
            if page is None or not isinstance(file.pages.first, tifffile.TiffPage):
                return DngFacts()
            stated = _values(file.pages.first, BASELINE_EXPOSURE)
            stops = stated[0] if stated and abs(stated[0]) <= BRIGHTEST_STOPS else 0.0
            size = page.imagewidth, page.imagelength
            return DngFacts(stops, _crop_of(page), page.photometric == LINEAR_RAW, size)
    except DAMAGE:
        return DngFacts()


def _crop_of(page: tifffile.TiffPage) -> Crop | None:
    origin, size = _values(page, CROP_ORIGIN), _values(page, CROP_SIZE)
    if len(origin) != 2 or len(size) != 2:
        return None
    top, left, bottom, right = _active_area(page)
    x0, y0, width, height = (round(value) for value in (*origin, *size))
    fits = x0 >= 0 and y0 >= 0 and width > 0 and height > 0 and x0 + width <= right - left and y0 + height <= bottom - top
    whole = (x0, y0, width, height) == (0, 0, right - left, bottom - top)
    return (x0, y0, width, height) if fits and not whole else None


def _active_area(page: tifffile.TiffPage) -> tuple[int, int, int, int]:
    """First row and column, and those after the last."""
    stated = [round(value) for value in _values(page, ACTIVE_AREA)]
    if len(stated) == 4 and 0 <= stated[0] < stated[2] <= page.imagelength and 0 <= stated[1] < stated[3] <= page.imagewidth:
        return stated[0], stated[1], stated[2], stated[3]
    return 0, 0, page.imagelength, page.imagewidth


def cropped(picture: NDArray[Any], crop: Crop | None, orientation: int, scale: int = 1) -> NDArray[Any]:
    """A crop of a picture (h, w, ...) that was turned by an EXIF orientation; `scale` times smaller than the crop says."""
    if crop is None:
        return picture
    turned = orientation in (5, 6, 7, 8)
    height, width = picture.shape[:2] if not turned else picture.shape[1::-1]
    # Which pixels are kept goes the way that the pixels went.
    kept = np.zeros((height, width), np.bool_)
    x0, y0, across, down = (value // scale for value in crop)
    kept[y0 : y0 + down, x0 : x0 + across] = True
    kept = upright(kept, orientation)
    rows, columns = np.flatnonzero(kept.any(axis=1)), np.flatnonzero(kept.any(axis=0))
    if not rows.size or not columns.size:
        return picture
    return np.ascontiguousarray(picture[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1])


def linear_raw(data: bytes) -> LinearRaw | None:
    """The light of a LinearRaw picture, or of a monochrome one, within its active area and crop, upright; None where a file holds
    another kind. Raises UnreadableError where its samples cannot be decoded."""
    try:
        with tifffile.TiffFile(io.BytesIO(data)) as file:
            page, first = _raw_page(file), file.pages.first
            if page is None or page.photometric != LINEAR_RAW or not isinstance(first, tifffile.TiffPage):
                return None
            samples = np.asarray(page.asarray())
            if page.planarconfig == tifffile.PLANARCONFIG.SEPARATE and samples.ndim == 3:
                samples = np.moveaxis(samples, 0, -1)
            samples = samples.reshape(*samples.shape[:2], -1)
            light = _levelled(samples, page)
            matrix = next((values for values in _matrices(first) if values is not None), None)
            neutral = _values(first, NEUTRAL)
            stated = first.tags[ORIENTATION].value if ORIENTATION in first.tags else 1
            orientation = stated if isinstance(stated, int) else 1
            top, left, bottom, right = _active_area(page)
            crop = _crop_of(page)
    except UnreadableError:
        raise
    except DAMAGE as error:
        raise UnreadableError(CUT_SHORT) from error
    light = light[top:bottom, left:right]
    if light.shape[2] not in (1, 3):
        raise UnreadableError("has a layout of samples that Aurelon does not read; save it as RGB or grey")
    usable = len(neutral) == 3 and min(neutral) > 0
    seen = np.array(neutral if usable else [1.0, 1.0, 1.0])
    return LinearRaw(cropped(upright(light, orientation), crop, orientation), matrix, seen)


def _levelled(samples: NDArray[Any], page: tifffile.TiffPage) -> Floats:
    """Samples as shares of what lies between black and white; float samples keep what is above."""
    floating = samples.dtype.kind == "f"
    count = samples.shape[2]
    if LINEARIZATION in page.tags and not floating:
        table = np.array(_values(page, LINEARIZATION))
        samples = table[np.minimum(samples, table.size - 1)]
    top = 1.0 if floating else float((1 << int(page.bitspersample)) - 1)
    black, white = (_values(page, tag) for tag in (BLACK_LEVEL, WHITE_LEVEL))
    low = np.array(black if len(black) == count else [black[0] if black else 0.0] * count)
    high = np.array(white if len(white) == count else [white[0] if white else top] * count)
    if (high <= low).any():
        raise UnreadableError("is damaged: its white is not above its black")
    light = all_numbers((samples.astype(np.float32) - low.astype(np.float32)) / (high - low).astype(np.float32))
    return np.maximum(light, np.float32(0)) if floating else np.clip(light, np.float32(0), np.float32(1))


def _matrices(first: tifffile.TiffPage) -> Iterator[Doubles | None]:
    """Matrices from XYZ to the camera, that for daylight before any other."""
    found = [(_values(first, matrix), _values(first, illuminant)) for matrix, illuminant in MATRICES]
    for wanted in (True, False):
        for values, illuminant in found:
            if len(values) == 9 and (illuminant[:1] == [D65]) == wanted:
                yield np.array(values).reshape(3, 3)
