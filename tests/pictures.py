"""Made-up pictures and rigs for tests."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from aurelon.core import Plate, Rig
from aurelon.core.lights import kinds
from aurelon.core.space import SRGB

Floats = NDArray[np.float32]


def scene(width: int = 480, height: int = 320, seed: int = 1) -> Floats:
    """A bright sky over a dark, ragged shore with a post in it: linear light (h, w, 3)."""
    rng = np.random.default_rng(seed)
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    shore = height * (0.62 + 0.06 * np.sin(x / width * 19) + 0.03 * np.sin(x / width * 61))
    sky = np.stack([0.75 - 0.3 * y / height, 0.62 - 0.2 * y / height, 0.5 + 0 * y], axis=2)
    land = np.stack([0.03 + 0 * y, 0.035 + 0 * y, 0.02 + 0 * y], axis=2)
    picture = np.where((y > shore)[:, :, None], land, sky)
    post = (abs(x - 0.4 * width) < 0.02 * width) & (y > 0.2 * height)
    picture[post] = 0.02
    picture *= 1 + 0.04 * rng.standard_normal((height, width, 1))
    return np.maximum(picture, 0).astype(np.float32)


def plate_of(pixels: Floats) -> Plate:
    return Plate(np.ascontiguousarray(pixels, np.float32), SRGB)


def light(kind: str, **stages: Any) -> dict[str, Any]:
    """A light as data, with stages merged over the kind's defaults."""
    return {"id": "under-test", "kind": kind, **stages}


def rig_of(*lights: dict[str, Any], **rest: Any) -> Rig:
    return Rig.model_validate({"lights": list(lights), **rest})


def every_kind() -> list[str]:
    return list(kinds())


def psnr(a: Floats, b: Floats) -> float:
    """Peak signal to noise ratio in dB against a peak of 1."""
    error = float(np.mean((a.astype(np.float64) - b) ** 2))
    return 200.0 if error == 0 else 10 * np.log10(1 / error)
