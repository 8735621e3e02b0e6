"""The depth that some files hold beside the picture, as nearness."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from aurelon.core.imaging.arrays import Floats

NEAREST = 0.005  # quantile of distance that is taken for the nearest thing seen, so that one stray sample is not
EVEN = 1e-3  # relative difference below which all is equally far
NOT_USED = "holds a depth (Z) that says nothing, and it was left aside"
EVEN_DEPTH = "holds a depth picture that says nothing, and it was left aside"
NO_DEPTH = "holds a depth picture that cannot be decoded, and it was left aside"


def nearness_of(distance: NDArray[Any]) -> Floats | None:
    """Nearness (H, W), 1 the nearest thing seen and 0 infinitely far, from distances (H, W) from the eye in any unit; None where
    all is equally far, or nothing is stated. Infinite distances are 0. Places without a distance, those with NaN, 0 or less, take
    the nearness of the nearest place that has one."""
    z = np.asarray(distance, np.float32)
    stated = z > 0  # NaN is not
    near = stated & np.isfinite(z)
    if not near.any():
        return None
    nearest = float(np.quantile(z[near], NEAREST))
    with np.errstate(divide="ignore", invalid="ignore"):
        result = np.where(stated, np.minimum(np.float32(nearest) / z, 1), 0).astype(np.float32)
    if float(np.ptp(result[stated])) < EVEN:
        return None
    if not stated.all():
        result = _filled(result, stated)
    return result


def nearness_of_codes(codes: NDArray[Any]) -> Floats | None:
    """Nearness (h, w) from a depth picture (h, w) of whole numbers that grow with the inverse of distance, as ISO/IEC 23008-12 has
    them; None where all is equally far."""
    values = np.asarray(codes, np.float32)
    highest = float(np.quantile(values, 1 - NEAREST))
    if highest <= 0 or float(np.ptp(values)) < EVEN * highest:
        return None
    return np.asarray(np.minimum(values / np.float32(highest), 1), np.float32)


def _filled(values: Floats, known: NDArray[np.bool_]) -> Floats:
    """Values (H, W) with those that are not known taken from the nearest place that is."""
    _, labels = cv2.distanceTransformWithLabels((~known).astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
    of_label = np.zeros(int(labels.max()) + 1, np.float32)
    of_label[labels[known]] = values[known]
    return np.asarray(of_label[labels], np.float32)
