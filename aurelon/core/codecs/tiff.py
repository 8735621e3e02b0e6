"""TIFF 6.0 at 8 and 16 bits and in float, with ICC profile (tag 34675) and EXIF directory."""

from __future__ import annotations

import io
import json
import logging
import struct
from typing import Any

import numpy as np
import tifffile
from numpy.typing import NDArray

from aurelon.core.codecs.shared.conversion import FROM_LAB, from_cmyk, from_lab, lab_codes
from aurelon.core.codecs.shared.exif import DamagedExif, directory, exif_in_tiff, tags_of
from aurelon.core.codecs.shared.raster import (
    CUT_SHORT,
    ORIENTATION,
    Format,
    Raster,
    UnreadableError,
    all_numbers,
    open_with_pillow,
    split_alpha,
    upright,
)
from aurelon.core.codecs.shared.xmp import rig_in, upright_xmp, with_rig
from aurelon.core.imaging.rgb_space import OPRGB, RgbSpace

FORMAT = Format("tiff", "TIFF", "image/tiff", (".tif", ".tiff"), ("8", "16", "float"), carries_rig=True, order=3)
ICC_TAG, XMP_TAG, PAGE_NAME = 34675, 700, 285
MOST_SAMPLES = 8  # of a pixel: more than colours and their alpha are decoded too, and left aside
ASSOCIATED, UNASSOCIATED = 1, 2  # alpha among the extra samples; 0 says nothing of what one is
MAY_GO_ON = (32773, 8, 32946)  # compressions behind whose last pixel bytes may go on: PackBits, and Deflate by both its numbers
OLD_JPEG = 6  # the compression of TIFF 6.0, section 22, of which libtiff makes sense
EXTRA = "has more channels than its colours and their alpha; they were left aside"
PLACEHOLDER = 1  # how far below a directory pointer its placeholder tag lies
READABLE = (
    tifffile.PHOTOMETRIC.MINISBLACK,
    tifffile.PHOTOMETRIC.MINISWHITE,
    tifffile.PHOTOMETRIC.RGB,
    tifffile.PHOTOMETRIC.PALETTE,
    tifffile.PHOTOMETRIC.YCBCR,
)
CONVERTED = (tifffile.PHOTOMETRIC.SEPARATED, tifffile.PHOTOMETRIC.CIELAB, tifffile.PHOTOMETRIC.ICCLAB)
DAMAGE = (
    tifffile.TiffFileError,
    ValueError,
    IndexError,
    KeyError,
    TypeError,
    OSError,
    RuntimeError,
    struct.error,
    ZeroDivisionError,
)


# What is wrong with a file is said in one sentence of our own.
logging.getLogger("tifffile").setLevel(logging.CRITICAL)


def matches(head: bytes) -> bool:
    return head[:4] in (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+")


def _first_page(file: tifffile.TiffFile) -> tifffile.TiffPage:
    page = file.pages.first
    if not isinstance(page, tifffile.TiffPage):
        raise UnreadableError("is damaged: it holds no picture")
    return page


def measure(data: bytes) -> tuple[int, int]:
    try:
        with tifffile.TiffFile(io.BytesIO(data)) as file:
            page = _first_page(file)
            if page.samplesperpixel > MOST_SAMPLES:
                raise UnreadableError("has a layout of samples that Aurelon does not read; save it as plain RGB or grey")
            return page.imagewidth, page.imagelength
    except UnreadableError:
        raise
    except DAMAGE as error:
        raise UnreadableError("is cut short or damaged; copy it again from where it came") from error


def layers(data: bytes) -> list[str]:
    """Names of the pictures in the file, each page at its full size."""
    try:
        with tifffile.TiffFile(io.BytesIO(data)) as file:
            return list(_pages(file))
    except DAMAGE as error:
        raise UnreadableError(CUT_SHORT) from error


def read(data: bytes) -> Raster:
    return _read(data, None)


def read_layer(data: bytes, layer: str) -> Raster:
    return _read(data, layer)


def _pages(file: tifffile.TiffFile) -> dict[str, tifffile.TiffPage]:
    """Pages by their names, none twice; without those that are smaller versions of others."""
    found: dict[str, tifffile.TiffPage] = {}
    for number, page in enumerate(file.pages, start=1):
        if not isinstance(page, tifffile.TiffPage) or (number > 1 and page.is_reduced):
            continue
        name = page.tags[PAGE_NAME].value if PAGE_NAME in page.tags else ""
        name = name if isinstance(name, str) and name else f"Page {number}"
        found[name if name not in found else f"{name} {number}"] = page
    return found


def _read(data: bytes, layer: str | None) -> Raster:
    try:
        with tifffile.TiffFile(io.BytesIO(data)) as file:
            page = _first_page(file) if layer is None else _pages(file)[layer]
            if page.photometric not in READABLE + CONVERTED:
                raise UnreadableError(
                    f"is a TIFF of kind {tifffile.PHOTOMETRIC(page.photometric).name}, which Aurelon does not read; "
                    "convert it to RGB or grey first"
                )
            samples = _samples(page, data)
            if page.planarconfig == tifffile.PLANARCONFIG.SEPARATE and samples.ndim == 3:
                samples = np.moveaxis(samples, 0, -1)
            tags = page.tags
            stated = tags[ORIENTATION].value if ORIENTATION in tags else 1
            orientation = stated if isinstance(stated, int) else 1
            icc = _bytes(tags[ICC_TAG].value) if ICC_TAG in tags else None
            xmp = upright_xmp(_bytes(tags[XMP_TAG].value)) if XMP_TAG in tags else None
            kind = page.photometric
            palette = page.colormap if kind == tifffile.PHOTOMETRIC.PALETTE else None
            bits = page.bitspersample if isinstance(page.bitspersample, int) else 0
            extra = tuple(map(int, page.extrasamples))
            about = _about(page.description)
    except UnreadableError:
        raise
    except DAMAGE as error:
        raise UnreadableError(CUT_SHORT) from error
    exif, notes = exif_in_tiff(data)
    rest: dict[str, Any] = {"exif": exif, "xmp": xmp, "rig": about or rig_in(xmp)}
    samples = upright(samples, orientation)
    if kind in CONVERTED:
        colours, alpha, space, how = _converted(samples, kind, icc)
        return Raster(colours, alpha, space=space, notices=(how, *notes), **rest)
    if palette is not None:
        samples = _by_palette(samples, palette)
    samples, associated, left_aside = _colours_and_alpha(samples, kind, extra)
    samples = _plain(samples, bits if palette is None else 0)
    if kind == tifffile.PHOTOMETRIC.MINISWHITE and samples.dtype != np.float32:
        samples = np.iinfo(samples.dtype).max - samples
    colour, alpha = split_alpha(samples)
    if associated and alpha is not None:
        colour = _unassociated(colour, alpha)
    notices = (EXTRA, *notes) if left_aside else notes
    return Raster(np.ascontiguousarray(colour), alpha, icc, notices=notices, **rest)


def _by_palette(samples: NDArray[Any], palette: NDArray[np.uint16]) -> NDArray[Any]:
    """The colours (h, w, 3) uint16 that samples name, and further samples of a pixel behind them."""
    if samples.ndim == 2:
        return np.moveaxis(palette[:, samples.astype(np.uint16)], 0, -1)
    colours = np.moveaxis(palette[:, samples[:, :, 0].astype(np.uint16)], 0, -1)
    further = samples[:, :, 1:].astype(np.uint16)
    return np.concatenate([colours, further * 257 if samples.dtype == np.uint8 else further], axis=2)


def _colours_and_alpha(samples: NDArray[Any], kind: int, extra: tuple[int, ...]) -> tuple[NDArray[Any], bool, bool]:
    """The colours with the first alpha among the `extra` samples, whether the colours are multiplied by it, and whether any sample
    was left aside."""
    if samples.ndim != 3:
        return samples, False, False
    count = 3 if kind in (tifffile.PHOTOMETRIC.RGB, tifffile.PHOTOMETRIC.YCBCR, tifffile.PHOTOMETRIC.PALETTE) else 1
    beyond = samples.shape[2] - count
    place = next((k for k, what in enumerate(extra[:beyond]) if what in (ASSOCIATED, UNASSOCIATED)), None)
    kept = list(range(count)) + ([] if place is None else [count + place])
    left_aside = beyond > (place is not None)
    return samples[:, :, kept] if left_aside else samples, place is not None and extra[place] == ASSOCIATED, left_aside


def _unassociated(colour: NDArray[Any], alpha: NDArray[Any]) -> NDArray[Any]:
    """Colours (h, w, c) that were multiplied by their alpha (h, w), without it; black where nothing is opaque."""
    share = alpha[:, :, None].astype(np.float64)
    divided = np.divide(colour, share, out=np.zeros(colour.shape), where=share > 0)
    if colour.dtype.kind == "f":
        return np.asarray(divided, np.float32)
    top = np.iinfo(colour.dtype).max
    return np.asarray(np.minimum(np.round(divided * top), top), colour.dtype)


def _samples(page: tifffile.TiffPage, data: bytes) -> NDArray[Any]:
    if page.compression == OLD_JPEG:
        return _by_pillow(data)
    try:
        return page.asarray()
    except RuntimeError:
        # libtiff stops at the last pixel, where bytes may go on behind it.
        if page.compression not in MAY_GO_ON or page.bitspersample != 8:
            raise
        return _by_pillow(data)


def _by_pillow(data: bytes) -> NDArray[Any]:
    """The first picture as libtiff decodes it, 8 bits."""
    picture = open_with_pillow(data)
    return np.asarray(picture if picture.mode in ("L", "RGB") else picture.convert("RGB"))


def _bytes(value: Any) -> bytes:
    return value if isinstance(value, bytes) else bytes(value) if isinstance(value, tuple) else str(value).encode()


def _about(description: str) -> str:
    """The rig in what a file of passes says of itself; "" without one."""
    try:
        of_reel = json.loads(description) if description.startswith("{") else {}
    except ValueError:
        return ""
    return json.dumps(of_reel["rig"]) if isinstance(of_reel, dict) and isinstance(of_reel.get("rig"), dict) else ""


def _converted(samples: NDArray[Any], kind: int, icc: bytes | None) -> tuple[NDArray[Any], NDArray[Any] | None, RgbSpace, str]:
    """Printing inks or L*a*b* as RGB at 16 bits, the alpha that comes after them, the space, and how that was done."""
    count = 4 if kind == tifffile.PHOTOMETRIC.SEPARATED else 3
    if samples.ndim != 3 or samples.shape[2] not in (count, count + 1) or samples.dtype not in (np.uint8, np.uint16):
        raise UnreadableError("has a layout of samples that Aurelon does not read; save it as RGB at 8 or 16 bits")
    alpha = None if samples.shape[2] == count else samples[:, :, count]
    if alpha is not None and alpha.dtype == np.uint8:
        alpha = alpha.astype(np.uint16) * 257
    colours = np.ascontiguousarray(samples[:, :, :count])
    if kind == tifffile.PHOTOMETRIC.SEPARATED:
        result, space, how = from_cmyk(colours, icc)
        return result, alpha, space, how
    return from_lab(lab_codes(colours, signed=kind == tifffile.PHOTOMETRIC.CIELAB)), alpha, OPRGB, FROM_LAB


def _plain(samples: NDArray[Any], bits: int) -> NDArray[Any]:
    """Samples as uint8, uint16 or float32, and at most four of them a pixel; of fewer `bits` than their type has they are scaled to
    all of it. 0 where they are to be taken as they are."""
    if samples.ndim not in (2, 3) or (samples.ndim == 3 and samples.shape[2] > 4):
        raise UnreadableError("has a layout of samples that Aurelon does not read; save it as plain RGB or grey")
    if samples.dtype == np.bool_:
        return samples.astype(np.uint8) * 255
    if samples.dtype in (np.uint8, np.uint16):
        top, most = (1 << bits) - 1, np.iinfo(samples.dtype).max
        if 0 < top < most:
            return np.asarray((samples.astype(np.uint32) * most + top // 2) // top, samples.dtype)
        return samples
    if samples.dtype.kind == "f":
        return all_numbers(samples)
    if samples.dtype == np.uint32:
        return (samples >> 16).astype(np.uint16)
    raise UnreadableError(f"has samples of type {samples.dtype}, which Aurelon does not read; save it at 8 or 16 bits")


def write(raster: Raster, depth: str, quality: int) -> bytes:
    samples = raster.samples if raster.alpha is None else np.dstack([raster.samples, raster.alpha])
    extra, directories = _carried(raster.exif)
    if xmp := with_rig(raster.xmp, raster.rig):
        extra.append((XMP_TAG, 1, len(xmp), xmp, True))
    out = io.BytesIO()
    tifffile.imwrite(
        out,
        samples,
        photometric="rgb",
        compression="zlib" if depth != "float" else None,
        compressionargs={"level": 4} if depth != "float" else None,
        predictor=depth != "float",
        rowsperstrip=64,
        extrasamples=[] if raster.alpha is None else ["unassalpha"],
        iccprofile=raster.icc,
        extratags=extra,
        metadata=None,
        software=False,
    )
    if directories:
        _append_directories(out, directories)
    return out.getvalue()


Tag = tuple[int, int, int, Any, bool]


def _carried(block: bytes | None) -> tuple[list[Tag], dict[int, dict[int, Any]]]:
    """The tags of an EXIF block for the first page, and the directories that hang below it. A block that is damaged is left out:
    the picture is what matters, and it was said when it came."""
    try:
        texts, directories = tags_of(block or b"")
    except DamagedExif:
        return [], {}
    extra: list[Tag] = [(tag, 2, len(text), text, True) for tag, text in texts.items()]
    return [*extra, *((tag - PLACEHOLDER, 4, 1, 0, True) for tag in directories)], directories


def _append_directories(out: io.BytesIO, directories: dict[int, dict[int, Any]]) -> None:
    """Adds EXIF and GPS directories at the end of the file and points the first page at them.

    tifffile writes no such pointers itself, so a placeholder tag, which sorts where the pointer
    belongs, is there to be made one.
    """
    with tifffile.TiffFile(io.BytesIO(out.getvalue())) as file:
        places = {tag: _first_page(file).tags[tag - PLACEHOLDER] for tag in directories}
        order = file.byteorder
    for tag, content in directories.items():
        end = out.seek(0, io.SEEK_END)
        offset = end + end % 2
        out.write(b"\0" * (offset - end) + directory(order, content).tobytes(offset))
        out.seek(places[tag].offset)
        out.write(struct.pack(order + "H", tag))
        out.seek(places[tag].valueoffset)
        out.write(struct.pack(order + "I", offset))
