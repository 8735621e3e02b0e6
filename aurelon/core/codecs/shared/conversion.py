"""Colours in printing inks or L*a*b*, converted to opRGB by the colour engine."""

from __future__ import annotations

from functools import cache
from typing import Any

import imagecodecs
import numpy as np
from numpy.typing import NDArray
from PIL import ImageCms

from aurelon.core.codecs.shared.raster import UnreadableError
from aurelon.core.imaging.rgb_space import OPRGB, SRGB, RgbSpace

RELATIVE = 1  # the rendering intent that keeps the media white
FROM_CMYK = "is in printing inks (CMYK); its colours were brought to opRGB by its profile"
AS_FILTERS = "is in printing inks (CMYK) without a profile; they were taken for ideal filters, so its colours may be off"
FROM_LAB = "is in L*a*b*; its colours were brought to opRGB"


@cache
def _lab_profile() -> bytes:
    return ImageCms.ImageCmsProfile(ImageCms.createProfile("LAB")).tobytes()


def _converted(samples: NDArray[Any], icc: bytes, colours: str) -> NDArray[np.uint16]:
    try:
        result = imagecodecs.cms_transform(
            np.ascontiguousarray(samples),
            icc,
            OPRGB.icc,
            colorspace=colours,
            outcolorspace="rgb",
            outdtype="uint16",
            intent=RELATIVE,
        )
    except (imagecodecs.CmsError, ValueError, TypeError) as error:
        raise UnreadableError("has a colour profile that cannot be applied; save it as RGB first") from error
    return np.ascontiguousarray(result, np.uint16)


def from_cmyk(inks: NDArray[Any], icc: bytes | None) -> tuple[NDArray[np.uint16], RgbSpace, str]:
    """Inks (H, W, 4), uint8 or uint16, 0 without ink, as RGB at 16 bits, its space, and how that was done: by the profile, or
    without one as ideal filters one behind another, in sRGB."""
    if icc:
        return _converted(inks, icc, "cmyk"), OPRGB, FROM_CMYK
    passed = 1 - inks.astype(np.float32) / np.float32(np.iinfo(inks.dtype).max)
    codes = np.round(passed[:, :, :3] * passed[:, :, 3:] * np.float32(65535))
    return codes.astype(np.uint16), SRGB, AS_FILTERS


def from_lab(lab: NDArray[np.uint16]) -> NDArray[np.uint16]:
    """L*a*b* (H, W, 3) as ICC.1:2022 codes it at 16 bits, under its white D50, as opRGB at 16 bits."""
    return _converted(lab, _lab_profile(), "lab")


def lab_codes(samples: NDArray[Any], signed: bool) -> NDArray[np.uint16]:
    """L*a*b* as a TIFF holds it, uint8 or uint16, as `from_lab` takes it: CIELAB with signed a* and b* (TIFF 6.0, section 23), or
    ICCLAB with an offset (Technical Note 4)."""
    wide = samples.dtype == np.uint16
    step = np.float32(256 if wide else 1)
    stored = samples[:, :, 1:].view(np.int16 if wide else np.int8) if signed else samples[:, :, 1:]
    tones = stored.astype(np.float32) / step - np.float32(0 if signed else 128)
    # ICCLAB at 16 bits has L* = 100 at 0xFF00, as profiles of version 2 have.
    top = 65280.0 if wide and not signed else float(np.iinfo(samples.dtype).max)
    out = np.empty(samples.shape, np.uint16)
    out[:, :, 0] = np.round(np.minimum(samples[:, :, 0] / np.float32(top), 1) * np.float32(65535))
    out[:, :, 1:] = np.round(np.clip((tones + 128) * np.float32(257), 0, 65535))
    return out
