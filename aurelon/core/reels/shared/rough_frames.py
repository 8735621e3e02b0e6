"""Rough frames of a reel, packed and kept: where a film has few frames that stand alone, each of the others takes long to reach."""

from __future__ import annotations

from threading import Lock

import cv2
import numpy as np

from aurelon.core.reels.shared.footage import Codes

MOST_BYTES = 64 << 20
QUALITY = 90  # of JPEG


class RoughFrames:
    """Frames (h, w, 3) of 8 bits as JPEG, by number, up to `most` bytes of them. Safe between threads."""

    def __init__(self, most: int = MOST_BYTES) -> None:
        self._most = most
        self._packed: dict[int, bytes] = {}
        self._lock = Lock()
        self.nbytes = 0

    @property
    def full(self) -> bool:
        return self.nbytes >= self._most

    def __contains__(self, number: int) -> bool:
        return number in self._packed

    def get(self, number: int) -> Codes | None:
        packed = self._packed.get(number)
        if packed is None:
            return None
        codes = np.asarray(cv2.imdecode(np.frombuffer(packed, np.uint8), cv2.IMREAD_COLOR))
        return np.asarray(cv2.cvtColor(codes, cv2.COLOR_BGR2RGB), np.uint8)

    def put(self, number: int, codes: Codes) -> None:
        """Keeps a frame, unless it is kept already or there is no room."""
        if self.full or number in self:
            return
        _, packed = cv2.imencode(".jpg", cv2.cvtColor(codes, cv2.COLOR_RGB2BGR), [cv2.IMWRITE_JPEG_QUALITY, QUALITY])
        with self._lock:
            if number not in self._packed:
                self._packed[number] = packed.tobytes()
                self.nbytes += len(self._packed[number])

    def clear(self) -> None:
        with self._lock:
            self._packed.clear()
            self.nbytes = 0
