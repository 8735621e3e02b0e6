"""TIFF 6.0 at 8 and 16 bits and in float, with ICC profile (tag 34675) and EXIF directory."""

from __future__ import annotations

import io
import struct
from typing import Any

import numpy as np
import tifffile
from numpy.typing import NDArray
from PIL import Image
from PIL.TiffImagePlugin import ImageFileDirectory_v2

from aurelon.core.codecs.shared.raster import (
    DESCRIPTIVE_TAGS,
    EXIF_IFD,
    GPS_IFD,
    ORIENTATION,
    Format,
    Raster,
    UnreadableError,
    all_numbers,
    split_alpha,
    upright,
)

FORMAT = Format("tiff", "TIFF", "image/tiff", (".tif", ".tiff"), ("8", "16", "float"), order=3)
ICC_TAG = 34675
PLACEHOLDER = 1  # how far below a directory pointer its placeholder tag lies
READABLE = (
    tifffile.PHOTOMETRIC.MINISBLACK,
    tifffile.PHOTOMETRIC.MINISWHITE,
    tifffile.PHOTOMETRIC.RGB,
    tifffile.PHOTOMETRIC.PALETTE,
    tifffile.PHOTOMETRIC.YCBCR,
)
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
            return page.imagewidth, page.imagelength
    except DAMAGE as error:
        raise UnreadableError("is cut short or damaged; copy it again from where it came") from error


def read(data: bytes) -> Raster:
    try:
        with tifffile.TiffFile(io.BytesIO(data)) as file:
            page = _first_page(file)
            if page.photometric not in READABLE:
                raise UnreadableError(
                    f"is a TIFF of kind {tifffile.PHOTOMETRIC(page.photometric).name}, which Aurelon does not read; "
                    "convert it to RGB or grey first"
                )
            samples = page.asarray()
            if page.planarconfig == tifffile.PLANARCONFIG.SEPARATE and samples.ndim == 3:
                samples = np.moveaxis(samples, 0, -1)
            tags = page.tags
            orientation = tags[ORIENTATION].value if ORIENTATION in tags else 1
            icc = tags[ICC_TAG].value if ICC_TAG in tags else None
            inverted = page.photometric == tifffile.PHOTOMETRIC.MINISWHITE
            palette = page.colormap if page.photometric == tifffile.PHOTOMETRIC.PALETTE else None
    except UnreadableError:
        raise
    except DAMAGE as error:
        raise UnreadableError("is cut short or damaged; copy it again from where it came") from error
    if palette is not None:
        samples = np.moveaxis(palette[:, samples], 0, -1)
    samples = _plain(samples)
    if inverted and samples.dtype != np.float32:
        samples = np.iinfo(samples.dtype).max - samples
    colour, alpha = split_alpha(upright(samples, orientation))
    return Raster(np.ascontiguousarray(colour), alpha, icc, _exif_block(data))


def _plain(samples: NDArray[Any]) -> NDArray[Any]:
    """Samples as uint8, uint16 or float32, and at most four of them a pixel."""
    if samples.ndim not in (2, 3) or (samples.ndim == 3 and samples.shape[2] > 4):
        raise UnreadableError("has a layout of samples that Aurelon does not read; save it as plain RGB or grey")
    if samples.dtype == np.bool_:
        return samples.astype(np.uint8) * 255
    if samples.dtype in (np.uint8, np.uint16):
        return samples
    if samples.dtype.kind == "f":
        return all_numbers(samples)
    if samples.dtype == np.uint32:
        return (samples >> 16).astype(np.uint16)
    raise UnreadableError(f"has samples of type {samples.dtype}, which Aurelon does not read; save it at 8 or 16 bits")


def _exif_block(data: bytes) -> bytes | None:
    """What the file says of its picture, as an EXIF block; None when it says nothing."""
    found = Image.Exif()
    try:
        found.load_from_fp(io.BytesIO(data))
        kept = Image.Exif()
        for tag in DESCRIPTIVE_TAGS:
            if tag in found:
                kept[tag] = found[tag]
        for directory in (EXIF_IFD, GPS_IFD):
            inner = found.get_ifd(directory)
            if inner:
                kept.get_ifd(directory).update(inner)
                kept[directory] = inner
        return kept.tobytes() if len(kept) else None
    except (OSError, SyntaxError, ValueError, struct.error) as error:
        raise UnreadableError(f"is damaged: its EXIF data cannot be read ({error})") from error


def write(raster: Raster, depth: str, quality: int) -> bytes:
    samples = raster.samples if raster.alpha is None else np.dstack([raster.samples, raster.alpha])
    extra: list[tuple[int, int, int, Any, bool]] = []
    directories: dict[int, dict[int, Any]] = {}
    if raster.exif:
        exif = Image.Exif()
        exif.load(raster.exif)
        for tag in DESCRIPTIVE_TAGS:
            if isinstance(exif.get(tag), str):
                # As it is in the block, whose bytes come as characters of one byte each.
                text = str(exif[tag]).encode("latin-1", "replace") + b"\0"
                extra.append((tag, 2, len(text), text, True))
        for tag in (EXIF_IFD, GPS_IFD):
            if inner := dict(exif.get_ifd(tag)):
                directories[tag] = inner
                extra.append((tag - PLACEHOLDER, 4, 1, 0, True))
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
        directory = ImageFileDirectory_v2(prefix=b"II" if order == "<" else b"MM")
        for key, value in content.items():
            if not isinstance(value, dict):
                directory[key] = value
        out.write(b"\0" * (offset - end) + directory.tobytes(offset))
        out.seek(places[tag].offset)
        out.write(struct.pack(order + "H", tag))
        out.seek(places[tag].valueoffset)
        out.write(struct.pack(order + "I", offset))
