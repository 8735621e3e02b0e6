"""How much memory work may take, and freed memory kept for the next picture.

Every stage makes an array of tens of megabytes and drops another. By default the C library gives
each back to the kernel and asks for fresh, zeroed pages again, which costs more than the stage.
"""

from __future__ import annotations

import ctypes
import ctypes.util
import sys
from contextlib import suppress

# Parameters of mallopt(3) in <malloc.h> of the GNU C library.
M_TRIM_THRESHOLD, M_MMAP_THRESHOLD, M_ARENA_MAX = -1, -3, -8
LARGEST_REUSED = 32 << 20  # the most that the library allows
KEPT_FREE = 384 << 20
_working = [1 << 30]


def working_bytes() -> int:
    """The most that a rendering without a cache of its own keeps between its bands, in bytes."""
    return _working[0]


def bound_working(most: int) -> None:
    """Limits the bytes that every rendering of this process keeps."""
    _working[0] = min(_working[0], most)


def keep_freed() -> bool:
    """Asks the GNU C library to keep freed memory; False where another library is in use."""
    if not sys.platform.startswith("linux"):
        return False
    try:
        mallopt = ctypes.CDLL(ctypes.util.find_library("c") or "libc.so.6").mallopt
    except (OSError, AttributeError):
        return False
    wanted = ((M_ARENA_MAX, 1), (M_MMAP_THRESHOLD, LARGEST_REUSED), (M_TRIM_THRESHOLD, KEPT_FREE))
    return all(mallopt(name, value) == 1 for name, value in wanted)


def give_back() -> None:
    """Gives what is free back to the system, after much was let go at once. Does nothing with another C library than GNU's."""
    if sys.platform.startswith("linux"):
        with suppress(OSError, AttributeError):
            ctypes.CDLL(ctypes.util.find_library("c") or "libc.so.6").malloc_trim(0)
