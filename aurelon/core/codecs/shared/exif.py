"""What a camera noted (EXIF, CIPA DC-008): read tag by tag, for a file that keeps it in directories of its own."""

from __future__ import annotations

import io
import logging
import struct
from typing import Any

from PIL import Image
from PIL.TiffImagePlugin import ImageFileDirectory_v2

from aurelon.core.codecs.shared.raster import DESCRIPTIVE_TAGS, EXIF_IFD, GPS_IFD

LEFT_OUT = "has damaged EXIF data, which was left out"
DAMAGED = "has damaged EXIF data; what cannot be read of it goes into no TIFF"
TEXTS = frozenset({0x010E, 0x010F, 0x0110, 0x0131, 0x0132, 0x013B, 0x8298})
ASCII = 2
SIZES = {1: 1, 2: 1, 3: 2, 4: 4, 5: 8, 6: 1, 7: 1, 8: 2, 9: 4, 10: 8, 11: 4, 12: 8}  # bytes of a value, by its type

log = logging.getLogger(__name__)


class DamagedExif(ValueError):
    """A block that cannot be read."""


def tags_of(block: bytes) -> tuple[dict[int, bytes], dict[int, dict[int, Any]]]:
    """The texts that describe the picture, by their tags, and what is in the directories below them. Raises DamagedExif."""
    exif, texts, directories = Image.Exif(), {}, {}
    try:
        exif.load(block)
        for tag in DESCRIPTIVE_TAGS:
            if isinstance(exif.get(tag), str):
                # As it is in the block, whose bytes come as characters of one byte each.
                texts[tag] = str(exif[tag]).encode("latin-1", "replace") + b"\0"
        for tag in (EXIF_IFD, GPS_IFD):
            if inner := dict(exif.get_ifd(tag)):
                directory("<", inner).tobytes(8)  # which shows whether it can be written
                directories[tag] = inner
    except Exception as error:  # tags of any type and length, of which the library expects its own
        raise DamagedExif from error
    return texts, directories


def exif_in_tiff(data: bytes) -> tuple[bytes | None, tuple[str, ...]]:
    """What a TIFF, or camera raw of its make, says of its picture, as an EXIF block; None when it says nothing, or what cannot be
    read, which is said."""
    if data[2:4] in (b"+\0", b"\0+"):
        return None, ()  # BigTIFF, whose directories the reader of EXIF does not know
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
        return (kept.tobytes() if len(kept) else None), ()
    except Exception:  # tags of any type and length, of which the library expects its own
        log.info("EXIF is left out", exc_info=True)
        return None, (LEFT_OUT,)


def directory(order: str, content: dict[int, Any]) -> ImageFileDirectory_v2:
    """A directory of tags, in a byte order of `struct`."""
    result = ImageFileDirectory_v2(prefix=b"II" if order == "<" else b"MM")
    for key, value in content.items():
        if not isinstance(value, dict):
            result[key] = value
    return result


def notes_of(block: bytes | None) -> tuple[str, ...]:
    """What there is to say of a block that came in a file: nothing, unless it is damaged."""
    try:
        tags_of(block or b"")
    except DamagedExif:
        return (DAMAGED,)
    return (DAMAGED,) if block and not _whole(block.removeprefix(b"Exif\0\0")) else ()


def _whole(block: bytes) -> bool:
    """Whether all that the first directory names is there, and is of the type that it should be."""
    order = {b"II": "<", b"MM": ">"}.get(block[:2])
    if order is None or len(block) < 8:
        return False
    (at,) = struct.unpack_from(order + "I", block, 4)
    if at + 2 > len(block):
        return False
    (count,) = struct.unpack_from(order + "H", block, at)
    if at + 2 + 12 * count > len(block):
        return False
    for entry in range(at + 2, at + 2 + 12 * count, 12):
        tag, kind, many, place = struct.unpack_from(order + "HHII", block, entry)
        size = SIZES.get(kind, 0) * many
        if (size > 4 and place + size > len(block)) or (tag in (EXIF_IFD, GPS_IFD) and place + 2 > len(block)):
            return False
        if tag in TEXTS and kind != ASCII:
            return False
    return True
