"""AVIF files with a depth picture beside the picture, put together from two that an encoder wrote (ISO/IEC 23008-12, 14496-12)."""

from __future__ import annotations

import struct
from typing import Any

import imagecodecs
from numpy.typing import NDArray

DEPTH = b"urn:mpeg:mpegB:cicp:systems:auxiliary:depth"


def _box(kind: bytes, content: bytes) -> bytes:
    return struct.pack(">I4s", 8 + len(content), kind) + content


def _boxes(data: bytes) -> list[tuple[bytes, bytes]]:
    result, at = list[tuple[bytes, bytes]](), 0
    while at < len(data):
        length, kind = struct.unpack_from(">I4s", data, at)
        result.append((kind, data[at + 8 : at + length]))
        at += length
    return result


def _properties(meta: dict[bytes, bytes]) -> tuple[list[bytes], list[int]]:
    """The properties of a file of one item as boxes, and which of them it has."""
    inner = dict(_boxes(meta[b"iprp"]))
    return [_box(*one) for one in _boxes(inner[b"ipco"])], list(inner[b"ipma"][11:])


def with_depth(colour: NDArray[Any], depth: NDArray[Any], kind: bytes = DEPTH) -> bytes:
    """An AVIF file of a picture (h, w, 3), the first item, and of its depth (h, w), the second, both uint8."""
    files = [
        dict(_boxes(bytes(imagecodecs.avif_encode(one, 95, speed=8, pixelformat=form))))
        for one, form in ((colour, "444"), (depth, "400"))
    ]
    meta, other = (dict(_boxes(file[b"meta"][4:])) for file in files)
    properties, used = _properties(meta)
    others, others_used = _properties(other)
    auxiliary = _box(b"auxC", bytes(4) + kind + b"\0")
    shifted = [(number & 0x80) | ((number & 0x7F) + len(properties)) for number in others_used]
    every = [*properties, *others, auxiliary]
    entries = (
        struct.pack(">HB", 1, len(used)) + bytes(used) + struct.pack(">HB", 2, len(shifted) + 1) + bytes([*shifted, len(every)])
    )
    items = b"".join(_box(b"infe", struct.pack(">IHH", 2 << 24, number, 0) + b"av01\0") for number in (1, 2))
    contents = [file[b"mdat"] for file in files]

    def whole(place: int) -> bytes:
        places = struct.pack(">I", 0) + b"\x44\0" + struct.pack(">H", 2)
        for number, content in enumerate(contents, start=1):
            places += struct.pack(">HHHII", number, 0, 1, place + sum(map(len, contents[: number - 1])), len(content))
        inner = (
            _box(b"hdlr", meta[b"hdlr"]),
            _box(b"pitm", meta[b"pitm"]),
            _box(b"iloc", places),
            _box(b"iinf", bytes(4) + struct.pack(">H", 2) + items),
            _box(b"iref", bytes(4) + _box(b"auxl", struct.pack(">HHH", 2, 1, 1))),
            _box(b"iprp", _box(b"ipco", b"".join(every)) + _box(b"ipma", bytes(4) + struct.pack(">I", 2) + entries)),
        )
        return _box(b"ftyp", files[0][b"ftyp"]) + _box(b"meta", bytes(4) + b"".join(inner))

    return whole(len(whole(0)) + 8) + _box(b"mdat", b"".join(contents))
