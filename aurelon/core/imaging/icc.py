"""Reads ICC profiles by the colour engine, littlecms.

Only profiles made of a matrix and curves, or of one grey curve, become a space; every other profile is for the engine
to convert (see `plate.py`).
"""

from __future__ import annotations

import io
from typing import Any

import imagecodecs
import numpy as np
from numpy.typing import NDArray
from PIL import ImageCms

from aurelon.core.imaging.rgb_space import LINEAR_CURVE, SRGB_CURVE, SRGB_TO_PCS, Curve, RgbSpace, make_space

SAMPLES = 4096  # of a curve; the engine's own arithmetic is good to about 5e-6
SAME = 2e-5  # by which a sampled curve may differ from a formula and still be that formula
UNNAMED = "the file's own profile"
RELATIVE = 1  # the rendering intent that keeps the media white


class ProfileError(ValueError):
    """Bytes that are not a readable ICC profile."""


def read_profile(icc: bytes) -> RgbSpace | None:
    """The space of an ICC profile; None when it is neither a matrix with curves nor a grey curve.

    A grey profile gives sRGB primaries with the grey curve, so that coloured light can be laid on it. Raises
    ProfileError when the bytes are not a profile.
    """
    try:
        profile: Any = ImageCms.ImageCmsProfile(io.BytesIO(icc)).profile
        colours = profile.xcolor_space.strip()
    except (OSError, ValueError, ImageCms.PyCMSError) as error:
        raise ProfileError("the ICC profile in the file cannot be read") from error
    try:
        name = (profile.profile_description or UNNAMED).strip()
    except ValueError:  # a name that is not text does not matter to the colours
        name = UNNAMED
    try:
        if colours == "GRAY":
            return make_space(name, SRGB_TO_PCS, _curve(icc, None))
        if colours != "RGB" or profile.connection_space.strip() != "XYZ" or not profile.is_matrix_shaper:
            return None
        columns = [np.array(colorant[0]) for colorant in (profile.red_colorant, profile.green_colorant, profile.blue_colorant)]
        if abs(np.linalg.det(np.stack(columns))) < 1e-6:
            raise ProfileError("the ICC profile in the file has primaries that span no colours")
        red, green, blue = (_curve(icc, channel) for channel in range(3))
    except (imagecodecs.CmsError, TypeError, ValueError) as error:
        if isinstance(error, ProfileError):
            raise
        raise ProfileError("the ICC profile in the file is damaged") from error
    rows = tuple((float(columns[0][i]), float(columns[1][i]), float(columns[2][i])) for i in range(3))
    return RgbSpace(name, rows, (red, green, blue), icc)


def _curve(icc: bytes, channel: int | None) -> Curve:
    """The curve of a channel, or of grey: luminance as the engine makes it of evenly spaced codes."""
    codes = np.linspace(0, 1, SAMPLES)
    ramp = np.zeros((SAMPLES, 1, 3) if channel is not None else (SAMPLES, 1), np.float32)
    if channel is None:
        ramp[:, 0] = codes
    else:
        ramp[:, 0, channel] = codes
    result = imagecodecs.cms_transform(
        ramp,
        icc,
        imagecodecs.cms_profile("xyz"),
        colorspace="gray" if channel is None else "rgb",
        outcolorspace="xyz",
        outdtype="float32",
        intent=RELATIVE,
    )
    luminance = np.asarray(result, np.float64)[:, 0, 1]
    if not luminance[-1] > 0:
        raise ProfileError("the ICC profile in the file has a curve without light")
    return _known(codes, np.maximum(luminance, 0) / luminance[-1])


def _known(codes: NDArray[np.float64], values: NDArray[np.float64]) -> Curve:
    """The formula of a sampled curve where it is one of the usual, which goes on beyond white; else the samples."""
    middle = SAMPLES // 2
    gamma = float(np.log(max(values[middle], 1e-9)) / np.log(codes[middle]))
    for curve in (LINEAR_CURVE, SRGB_CURVE, Curve((gamma, 1.0, 0.0, 0.0, 0.0, 0.0, 0.0))):
        if np.abs(curve.decode(codes) - values).max() < SAME:
            return curve
    return Curve(table=tuple(np.maximum.accumulate(values).tolist()))
