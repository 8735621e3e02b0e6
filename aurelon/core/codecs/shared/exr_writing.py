"""Writes OpenEXR of several parts row by row, so that no part is ever whole in memory; as the format's own document has it
("OpenEXR File Layout", openexr.com), scan lines in blocks of 16 packed with ZIP.
"""

from __future__ import annotations

import struct
from collections.abc import Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import Any, BinaryIO

import imagecodecs
import numpy as np
from numba import get_num_threads
from numpy.typing import NDArray

MAGIC, VERSION, LONG_NAMES, SEVERAL = 20000630, 2, 0x400, 0x1000
LINES = 16  # of a block
LEVEL = 4  # of packing, that of the format's own library
ZIP, INCREASING = 3, 0
KINDS = {np.dtype(np.float16): 1, np.dtype(np.float32): 2}
CHANNELS = "BGR"  # in the order of the alphabet
SHORT_NAME = 31


class PartsWriter:
    """A file of parts that have the same size (width, height), the same `kind` of samples (float16 or float32) and the channels R,
    G and B. Each part has a name and attributes, which are texts or tuples of numbers (chromaticities)."""

    def __init__(
        self, file: BinaryIO, size: tuple[int, int], kind: Any, parts: Sequence[tuple[str, Mapping[str, str | tuple[float, ...]]]]
    ) -> None:
        self._file, self._kind = file, np.dtype(kind)
        self._width, self._height = size
        blocks = -(-self._height // LINES)
        long = any(len(key) > SHORT_NAME for _, attributes in parts for key in attributes)
        file.write(struct.pack("<II", MAGIC, VERSION | SEVERAL | (LONG_NAMES if long else 0)))
        for name, attributes in parts:
            file.write(self._header(name, attributes, blocks))
        file.write(b"\0")
        self._tables = file.tell()
        self._places = np.zeros((len(parts), blocks), np.uint64)
        file.write(self._places.tobytes())
        self._waiting: list[list[NDArray[Any]]] = [[] for _ in parts]
        self._rows = [0] * len(parts)  # that are written
        self._threads = ThreadPoolExecutor(get_num_threads())

    def put(self, part: int, rows: NDArray[Any]) -> None:
        """The next rows (n, width, 3) of a part, from the top."""
        waiting = self._waiting[part]
        waiting.append(np.asarray(rows, self._kind))
        held = sum(len(one) for one in waiting)
        last = self._rows[part] + held == self._height
        if held < LINES and not last:
            return
        there = waiting[0] if len(waiting) == 1 else np.concatenate(waiting)
        whole = held if last else held - held % LINES
        self._waiting[part] = [] if whole == held else [there[whole:].copy()]
        blocks = [there[y : min(y + LINES, whole)] for y in range(0, whole, LINES)]
        for packed in self._threads.map(_packed, blocks):
            y = self._rows[part]
            self._places[part, y // LINES] = self._file.tell()
            self._file.write(struct.pack("<iii", part, y, len(packed)))
            self._file.write(packed)
            self._rows[part] = min(y + LINES, self._height)

    def close(self) -> None:
        """Says where everything is. Raises ValueError where rows are missing."""
        self._threads.shutdown()
        if any(rows != self._height for rows in self._rows):
            raise ValueError("a part was not written to its end")
        self._file.seek(self._tables)
        self._file.write(self._places.tobytes())

    def _header(self, name: str, attributes: Mapping[str, str | tuple[float, ...]], blocks: int) -> bytes:
        window = struct.pack("<iiii", 0, 0, self._width - 1, self._height - 1)
        channel = struct.pack("<iB3xii", KINDS[self._kind], 0, 1, 1)
        stated: list[tuple[str, str, bytes]] = [
            ("channels", "chlist", b"".join(one.encode() + b"\0" + channel for one in CHANNELS) + b"\0"),
            ("compression", "compression", bytes((ZIP,))),
            ("dataWindow", "box2i", window),
            ("displayWindow", "box2i", window),
            ("lineOrder", "lineOrder", bytes((INCREASING,))),
            ("pixelAspectRatio", "float", struct.pack("<f", 1)),
            ("screenWindowCenter", "v2f", struct.pack("<ff", 0, 0)),
            ("screenWindowWidth", "float", struct.pack("<f", 1)),
            ("name", "string", name.encode()),
            ("type", "string", b"scanlineimage"),
            ("chunkCount", "int", struct.pack("<i", blocks)),
        ]
        for key, value in attributes.items():
            if isinstance(value, str):
                stated.append((key, "string", value.encode()))
            else:
                stated.append((key, "chromaticities", struct.pack(f"<{len(value)}f", *value)))
        of_reel = (
            key.encode() + b"\0" + kind.encode() + b"\0" + struct.pack("<i", len(value)) + value for key, kind, value in stated
        )
        return b"".join(of_reel) + b"\0"


def _packed(rows: NDArray[Any]) -> bytes:
    """A block: line by line its channels one after another, the first bytes of each pair before the second, each as the difference
    to the one before; as it is where packing does not make it smaller."""
    plain = np.ascontiguousarray(rows[:, :, ::-1].transpose(0, 2, 1)).view(np.uint8).reshape(-1)
    apart = np.concatenate([plain[0::2], plain[1::2]])
    apart[1:] = np.diff(apart) + np.uint8(128)
    packed = bytes(imagecodecs.deflate_encode(apart.tobytes(), LEVEL))
    return packed if len(packed) < plain.size else plain.tobytes()
