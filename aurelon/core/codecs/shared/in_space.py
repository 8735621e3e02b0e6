"""Samples whose RGB space is known: where a file names it by a profile, the profile is read, or applied."""

from __future__ import annotations

from dataclasses import replace

import imagecodecs
import numpy as np

from aurelon.core.codecs.shared.raster import Raster
from aurelon.core.imaging.icc import ProfileError, read_profile
from aurelon.core.imaging.rgb_space import LINEAR_SRGB, SRGB

LEFT_ASIDE = "has a colour profile that cannot be used; its colours were taken for those of sRGB"


def in_space(raster: Raster) -> Raster:
    """The raster with its `space`: that of its profile, or sRGB where it names none. A profile of another form than a
    matrix and curves is applied: the samples become sRGB. One that cannot be used is left aside, and that is said."""
    if raster.space is not None:
        return raster
    usual = LINEAR_SRGB if raster.samples.dtype == np.float32 else SRGB
    if not raster.icc:
        return replace(raster, space=usual)
    try:
        space = read_profile(raster.icc)
        return replace(_converted_to_srgb(raster, raster.icc), space=SRGB) if space is None else replace(raster, space=space)
    except ProfileError:
        return replace(raster, icc=None, space=usual, notices=(*raster.notices, LEFT_ASIDE))


def _converted_to_srgb(raster: Raster, icc: bytes) -> Raster:
    """Samples brought to sRGB by the colour engine, at their own depth."""
    samples = raster.samples
    try:
        converted = imagecodecs.cms_transform(
            samples if samples.shape[2] == 3 else samples[:, :, 0],
            icc,
            imagecodecs.cms_profile("srgb"),
            colorspace="rgb" if samples.shape[2] == 3 else "gray",
            outcolorspace="rgb",
            intent=1,
        )
    except (imagecodecs.CmsError, ValueError) as error:
        raise ProfileError(f"its colour profile cannot be applied ({error})") from error
    return replace(raster, samples=np.ascontiguousarray(converted), icc=None)
