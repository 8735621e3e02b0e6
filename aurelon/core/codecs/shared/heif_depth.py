"""The depth picture of a file of ISO/IEC 23008-12 (HEIF), which AVIF is: an auxiliary item of the picture, whose type says that it
is depth (6.5.8, 6.6.2)."""

from __future__ import annotations

import struct

from aurelon.core.codecs.shared.heif_items import FULL, boxes

KINDS = (b"urn:mpeg:hevc:2015:auxid:2", b"urn:mpeg:mpegB:cicp:systems:auxiliary:depth")


def with_depth_first(data: bytes) -> bytes | None:
    """The file with its depth in the picture's place, which any decoder of the picture reads then; None where it holds none."""
    try:
        item = _depth_of(data)
        return None if item is None else _with_primary(data, item)
    except (struct.error, IndexError, KeyError):  # it is damaged, or laid out in another way: as if there were none
        return None


def _inside(data: bytes, name: bytes, start: int, end: int) -> tuple[int, int]:
    """Where the content of the first box of that type lies. Raises KeyError where there is none."""
    for kind, first, last in boxes(data, start, end):
        if kind == name:
            return first, last
    raise KeyError(name)


def _meta(data: bytes) -> tuple[int, int]:
    start, end = _inside(data, b"meta", 0, len(data))
    return start + FULL, end


def _number(data: bytes, at: int, *, wide: bool) -> tuple[int, int]:
    """The number of an item, and where what comes after it begins."""
    (number,) = struct.unpack_from(">I" if wide else ">H", data, at)
    return number, at + (4 if wide else 2)


def _depth_of(data: bytes) -> int | None:
    """The number of the item that is the picture's depth."""
    meta = _meta(data)
    at, _ = _inside(data, b"pitm", *meta)
    picture, _ = _number(data, at + FULL, wide=data[at] > 0)
    start, end = _inside(data, b"iref", *meta)
    for kind, at, _ in boxes(data, start + FULL, end):
        item, at = _number(data, at, wide=data[start] > 0)
        (count,) = struct.unpack_from(">H", data, at)
        at += 2
        for _ in range(count if kind == b"auxl" else 0):
            of, at = _number(data, at, wide=data[start] > 0)
            if of == picture and item in _items_of_depth(data, meta):
                return item
    return None


def _items_of_depth(data: bytes, meta: tuple[int, int]) -> set[int]:
    """Numbers of the items whose kind is depth."""
    properties = _inside(data, b"iprp", *meta)
    kinds = [
        kind == b"auxC" and data[first + FULL : last].split(b"\0")[0] in KINDS
        for kind, first, last in boxes(data, *_inside(data, b"ipco", *properties))
    ]
    at, end = _inside(data, b"ipma", *properties)
    version, long = data[at], data[at + 3] & 1
    (count,) = struct.unpack_from(">I", data, at + FULL)
    at, result = at + FULL + 4, set[int]()
    for _ in range(min(count, end - at)):
        item, at = _number(data, at, wide=version > 0)
        (many,) = struct.unpack_from(">B", data, at)
        at += 1
        for _ in range(many):
            # The highest bit says whether a reader must know the property.
            index = struct.unpack_from(">H", data, at)[0] & 0x7FFF if long else data[at] & 0x7F
            at += 2 if long else 1
            if 0 < index <= len(kinds) and kinds[index - 1]:
                result.add(item)
    return result


def _with_primary(data: bytes, item: int) -> bytes:
    at, _ = _inside(data, b"pitm", *_meta(data))
    number = struct.pack(">I" if data[at] > 0 else ">H", item)
    at += FULL
    return data[:at] + number + data[at + len(number) :]
