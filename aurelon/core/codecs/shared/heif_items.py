"""Metadata as items of their own in a file of ISO/IEC 23008-12 (HEIF), which AVIF is: EXIF (Annex A) and XMP, each said to describe
the picture."""

from __future__ import annotations

import struct
from collections.abc import Iterator

XMP_TYPE = b"application/rdf+xml"
FULL = 4  # bytes of version and flags, with which most boxes begin
_OFFSETS_OF_4 = b"\x44\0"  # item offsets and lengths of 4 bytes, no base offset


def box(kind: bytes, content: bytes) -> bytes:
    """A box of ISO/IEC 14496-12; longer than 32 bits can say where it must be."""
    if len(content) + 8 < 1 << 32:
        return struct.pack(">I4s", len(content) + 8, kind) + content
    return struct.pack(">I4sQ", 1, kind, len(content) + 16) + content


def boxes(data: bytes, place: int = 0, end: int | None = None) -> Iterator[tuple[bytes, int, int]]:
    """Type of each box, and where its content begins and ends; up to the first that is damaged."""
    end = len(data) if end is None else end
    while place + 8 <= end:
        length, kind = struct.unpack_from(">I4s", data, place)
        start = place + 8
        if length == 1 and start + 8 <= end:
            (length,) = struct.unpack_from(">Q", data, start)
            start += 8
        after = end if length == 0 else place + length
        if after < start:
            return
        yield kind, start, min(after, end)
        place = after


def with_metadata(data: bytes, exif: bytes | None, xmp: bytes | None) -> bytes:
    """The file with these metadata. `data` is one picture as the encoder writes it: places of 4 bytes, counted from the beginning.

    Raises ValueError for another layout.
    """
    block = (exif or b"").removeprefix(b"Exif\0\0")  # readers give the whole file up where it is not a block
    contents = [
        (b"Exif\0", struct.pack(">I", 0) + block if block[:4] in (b"II*\0", b"MM\0*") else b""),
        (b"mime\0" + XMP_TYPE + b"\0", xmp or b""),
    ]
    contents = [(kind, content) for kind, content in contents if content]
    if not contents:
        return data
    (meta,) = [found for found in boxes(data) if found[0] == b"meta"]
    parts = {kind: data[start:end] for kind, start, end in boxes(data, meta[1] + FULL, meta[2])}
    if parts[b"iloc"][FULL : FULL + 2] != _OFFSETS_OF_4 or any(parts[name][0] for name in (b"iloc", b"iinf", b"pitm")):
        raise ValueError("the items of this file are laid out in a way that Aurelon does not read")
    (picture,) = struct.unpack(">H", parts[b"pitm"][FULL:])
    (count,) = struct.unpack_from(">H", parts[b"iinf"], FULL)
    numbers = range(count + 1, count + 1 + len(contents))
    of_reel, referred = b"", b""
    for number, (kind, _) in zip(numbers, contents, strict=True):
        of_reel += box(b"infe", struct.pack(">IHH", 2 << 24, number, 0) + kind)
        referred += box(b"cdsc", struct.pack(">HHH", number, 1, picture))  # describes the picture
    parts[b"iinf"] = parts[b"iinf"][:FULL] + struct.pack(">H", count + len(contents)) + parts[b"iinf"][FULL + 2 :] + of_reel
    parts[b"iref"] = parts.get(b"iref", bytes(FULL)) + referred

    def places(shift: int) -> bytes:
        """Where each item is: those that were there, `shift` bytes later, and the new ones behind everything."""
        old = parts[b"iloc"]
        at, result = FULL + 4, old[: FULL + 2] + struct.pack(">H", count + len(contents))
        for _ in range(count):
            item, source, extents = struct.unpack_from(">HHH", old, at)
            at, result = at + 6, result + struct.pack(">HHH", item, source, extents)
            for _ in range(extents):
                offset, length = struct.unpack_from(">II", old, at)
                at, result = at + 8, result + struct.pack(">II", offset + shift, length)
        after = len(data) + shift + 8
        for number, (_, content) in zip(numbers, contents, strict=True):
            result += struct.pack(">HHHII", number, 0, 1, after, len(content))
            after += len(content)
        return result

    def whole(shift: int) -> bytes:
        inner = [box(kind, places(shift) if kind == b"iloc" else content) for kind, content in parts.items()]
        return box(b"meta", data[meta[1] : meta[1] + FULL] + b"".join(inner))

    shift = len(whole(0)) - (meta[2] - meta[1] + 8)
    return data[: meta[1] - 8] + whole(shift) + data[meta[2] :] + box(b"mdat", b"".join(content for _, content in contents))
