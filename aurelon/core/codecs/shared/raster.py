"""What every codec reads into and writes from."""

from __future__ import annotations

import errno
import io
import struct
import tempfile
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image, UnidentifiedImageError

from aurelon.core.imaging.code_points import HLG, PQ, space_of, to_light
from aurelon.core.imaging.rgb_space import RgbSpace
from aurelon.core.imaging.samples import all_finite

ORIENTATION = 0x0112
EXIF_IFD = 0x8769
GPS_IFD = 0x8825
# Tags of the first directory that describe the picture, not how its samples are stored.
DESCRIPTIVE_TAGS = (0x010E, 0x010F, 0x0110, 0x011A, 0x011B, 0x0128, 0x0131, 0x0132, 0x013B, 0x8298)


@dataclass(frozen=True)
class Format:
    """A family of files: its name in the API, on the screen, its endings and the depths it can hold."""

    name: str
    title: str
    media_type: str
    suffixes: tuple[str, ...]
    depths: tuple[str, ...]
    has_quality: bool = False
    has_alpha: bool = True
    largest: int = 1 << 20  # pixels on a side
    linear: bool = False  # its samples are linear light, whatever profile is asked for
    light_in: Mapping[str, RgbSpace] = field(default_factory=dict)  # depths that take linear light, and in which space
    holds: Callable[[RgbSpace], bool] | None = None  # which spaces it can state; None where it holds any profile
    written: bool = True
    without_exif: tuple[str, ...] = ()  # depths at which it is written without EXIF
    carries_rig: bool = False  # within it, to be found when it is brought in
    most_xmp: int | None = None  # bytes of metadata in XMP, the rig's among them
    order: int = 99  # in which formats are tried and listed


DEPTHS = {"uint8": "8", "uint16": "16"}  # of a plate, by the type of its samples; "float" for others


@dataclass(frozen=True)
class Raster:
    """Samples as stored: (H, W, C) uint8, uint16 or float32, upright; C is 1 or 3 without the alpha."""

    samples: NDArray[Any]
    alpha: NDArray[Any] | None = None
    icc: bytes | None = None
    exif: bytes | None = None
    # The space of the samples where the file says it in another way than by a profile.
    space: RgbSpace | None = None
    xmp: bytes | None = None
    rig: str = ""  # the rig that travels in the file, as JSON
    nearness: NDArray[np.float32] | None = None  # (H, W) in 0..1 from the depth that the file holds: 1 is near, 0 infinitely far
    # What a person should know of what was read, as ends of sentences that begin with the file's name.
    notices: tuple[str, ...] = ()


# Sizes are held to a limit before anything is decoded; the library is not to warn of pictures within it.
Image.MAX_IMAGE_PIXELS = 150_000_000


class UnreadableError(ValueError):
    """Why bytes cannot be decoded, as the end of a sentence that begins with the file's name."""


def open_with_pillow(data: bytes) -> Image.Image:
    try:
        return Image.open(io.BytesIO(data))
    except UnidentifiedImageError as error:
        raise UnreadableError("is damaged: its header cannot be read") from error
    except (OSError, ValueError, SyntaxError, struct.error) as error:
        raise UnreadableError(f"is damaged ({error})") from error
    except Image.DecompressionBombError as error:
        raise UnreadableError("is far too large to be opened; reduce it first") from error


NO_ROOM = (errno.ENOSPC, errno.EDQUOT, errno.EFBIG)


def why_unreadable(error: Exception, damaged: str) -> UnreadableError:
    """Why a decoder gave up, as the end of a sentence: `damaged`, unless the machine lacked what it needed. Raises what is no
    verdict on the file as it is."""
    if isinstance(error, MemoryError):
        raise error
    if isinstance(error, OSError) and error.errno in NO_ROOM:
        return UnreadableError(f"could not be read, as a disk is full ({error.strerror}); make room in {tempfile.gettempdir()}")
    return error if isinstance(error, UnreadableError) else UnreadableError(damaged)


ANIMATED = "is animated; its first picture was taken"


def notices_of(picture: Image.Image) -> tuple[str, ...]:
    """What there is to say of a file that is opened."""
    return (ANIMATED,) if is_animated(picture) else ()


def is_animated(picture: Image.Image) -> bool:
    return getattr(picture, "is_animated", False) or getattr(picture, "n_frames", 1) > 1


NO_NUMBERS = "contains NaN or infinite samples; export it again without them"
CUT_SHORT = "is cut short or damaged; copy it again from where it came"


def all_numbers(samples: NDArray[Any]) -> NDArray[np.float32]:
    """Float samples as float32. Raises UnreadableError where one is NaN or infinite."""
    with np.errstate(over="ignore"):
        numbers = np.asarray(samples, np.float32)
    if not all_finite(numbers):
        raise UnreadableError(NO_NUMBERS)
    return numbers


def first_by_pillow(data: bytes) -> tuple[NDArray[Any], NDArray[Any] | None, Image.Image]:
    """The first picture in a file, 8 bits: colour, alpha and the opened file."""
    picture = open_with_pillow(data)
    try:
        alpha = picture.mode in ("LA", "RGBA", "PA") or "transparency" in picture.info
        grey = picture.mode in ("1", "L", "LA")
        samples = np.asarray(picture.convert(("LA" if alpha else "L") if grey else "RGBA" if alpha else "RGB"))
    except (OSError, SyntaxError, ValueError) as error:
        raise UnreadableError(CUT_SHORT) from error
    colour, opacity = split_alpha(samples)
    return np.ascontiguousarray(colour), opacity, picture


def by_code_points(colour: NDArray[Any], alpha: NDArray[Any] | None, exif: bytes | None, primaries: int, transfer: int) -> Raster:
    """Samples whose colours code points state (ITU-T H.273); PQ and HLG become linear light."""
    space = space_of(primaries, transfer)
    if transfer not in (PQ, HLG):
        return Raster(colour, alpha, None, exif, space)
    light = to_light(_in_units(colour), transfer)
    return Raster(light, None if alpha is None else _in_units(alpha), None, exif, space)


def _in_units(samples: NDArray[Any]) -> NDArray[np.float32]:
    """Samples of any depth as 0..1."""
    whole = samples.dtype.kind == "u"
    return np.asarray(samples / np.float32(np.iinfo(samples.dtype).max) if whole else samples, np.float32)


def split_alpha(samples: NDArray[Any]) -> tuple[NDArray[Any], NDArray[Any] | None]:
    """(H, W) or (H, W, 1..4) as colour (H, W, 1 or 3) and alpha (H, W) or None."""
    if samples.ndim == 2:
        samples = samples[:, :, None]
    if samples.shape[2] in (2, 4):
        return samples[:, :, :-1], np.ascontiguousarray(samples[:, :, -1])
    return samples, None


def upright(samples: NDArray[Any], orientation: int) -> NDArray[Any]:
    """Turned and mirrored as the EXIF orientation 1..8 says (CIPA DC-008, 4.6.5)."""
    if orientation in (5, 6, 7, 8):
        samples = samples.swapaxes(0, 1)
    if orientation in (2, 3, 6, 7):
        samples = samples[:, ::-1]
    if orientation in (3, 4, 7, 8):
        samples = samples[::-1]
    return np.ascontiguousarray(samples)


def exif_orientation(exif: bytes | None) -> int:
    """The orientation in an EXIF block; 1 where it is missing or invalid."""
    place = _orientation_place(exif)
    if place is None or exif is None:
        return 1
    offset, order = place
    (value,) = struct.unpack_from(order + "H", exif, offset)
    return value if 1 <= value <= 8 else 1


def exif_upright(exif: bytes | None) -> bytes | None:
    """The same EXIF block, byte for byte, but for an orientation of 1."""
    place = _orientation_place(exif)
    if place is None or exif is None:
        return exif
    offset, order = place
    return exif[:offset] + struct.pack(order + "H", 1) + exif[offset + 2 :]


def _orientation_place(exif: bytes | None) -> tuple[int, str] | None:
    if not exif:
        return None
    start = 6 if exif[:6] == b"Exif\0\0" else 0
    order = {b"II": "<", b"MM": ">"}.get(exif[start : start + 2])
    if order is None or len(exif) < start + 8:
        return None
    (directory,) = struct.unpack_from(order + "I", exif, start + 4)
    base = start + directory
    if base + 2 > len(exif):
        return None
    (count,) = struct.unpack_from(order + "H", exif, base)
    for i in range(count):
        entry = base + 2 + 12 * i
        if entry + 12 > len(exif):
            return None
        (tag,) = struct.unpack_from(order + "H", exif, entry)
        if tag == ORIENTATION:
            return entry + 8, order
    return None
