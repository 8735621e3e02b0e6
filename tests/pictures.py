"""Made-up pictures and rigs for tests."""

from __future__ import annotations

import base64
import hashlib
from fractions import Fraction
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from aurelon.core import Plate, Renderer, Rig
from aurelon.core.export.picture import PictureExport, export
from aurelon.core.graph.cache import Cache
from aurelon.core.imaging.rgb_space import SRGB
from aurelon.core.lights import kinds
from aurelon.core.masks import parts
from aurelon.core.reels.writers.video import grey_reel

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


def plate_of(pixels: NDArray[Any]) -> Plate:
    return Plate(np.ascontiguousarray(pixels, np.float32), SRGB)


def light(kind: str, **stages: Any) -> dict[str, Any]:
    """A light as data, with stages merged over the kind's defaults."""
    return {"id": "under-test", "kind": kind, **stages}


def rig_of(*lights: dict[str, Any], **rest: Any) -> Rig:
    return Rig.model_validate({"lights": list(lights), **rest})


def renderer_of(pixels: NDArray[Any] | Plate) -> Renderer:
    """A renderer with a cache of its own, of a plate or of pixels."""
    return Renderer(pixels if isinstance(pixels, Plate) else plate_of(pixels), Cache(1 << 28))


def exported(plate: Plate, rig: Rig, form: str, depth: str, **options: Any) -> bytes:
    """The bytes of an exported picture."""
    return export(plate, rig, PictureExport(format=form, depth=depth, **options))


def every_kind() -> list[str]:
    return list(kinds())


def psnr(a: NDArray[Any], b: NDArray[Any]) -> float:
    """Peak signal to noise ratio in dB against a peak of 1."""
    error = float(np.mean((a.astype(np.float64) - b) ** 2))
    return 200.0 if error == 0 else 10 * np.log10(1 / error)


def stroke(*points: tuple[float, ...], **settings: Any) -> dict[str, Any]:
    """A brush stroke through (x, y) or (x, y, pressure) points."""
    return {"points": [v for p in points for v in ((*p, 1.0) if len(p) == 2 else p)], **settings}


def grey_file(pixels: Floats) -> tuple[str, str]:
    """A grey picture (h, w) of values in 0..1 as a 16-bit PNG: its SHA-256, and the file in base64."""
    result, data = cv2.imencode(".png", np.round(pixels * 65535).astype(np.uint16))
    assert result
    return hashlib.sha256(data.tobytes()).hexdigest(), base64.b64encode(data.tobytes()).decode()


RAMP = grey_file(np.tile(np.linspace(0, 1, 300, dtype=np.float32), (200, 1)))


def carried_file(matte: NDArray[np.uint8]) -> tuple[str, str]:
    """A matte (h, w) as the one frame of a reel of mattes: its SHA-256, and the file in base64."""
    data = grey_reel([matte], Fraction(24))
    return hashlib.sha256(data).hexdigest(), base64.b64encode(data).decode()


CARRIED = carried_file(np.asarray(cv2.circle(np.zeros((200, 300), np.uint8), (120, 130), 45, 255, -1), np.uint8))

# Of every part one that covers some of the scene and leaves some; a new part needs a line here.
PARTS: dict[str, dict[str, Any]] = {
    "strokes": {
        "strokes": [
            stroke((0.2, 0.3), (0.5, 0.4, 0.4), (0.7, 0.7), size=0.06, hardness=0.3, flow=0.6),
            stroke((0.3, 0.3), (0.4, 0.6), size=0.05, flow=0.5, erase=True),
        ]
    },
    "linear": {"begin": [0.3, 0.4], "end": [0.6, 0.7]},
    "radial": {"middle": [0.45, 0.5], "radius": 0.25, "roundness": 0.6, "angle": 30},
    "polygon": {"corners": [[0.1, 0.2], [0.8, 0.3], [0.5, 0.9], [0.4, 0.1]]},
    "tones": {"low": 0.5, "high": 0.85, "softness": 0.2},
    "colours": {"spot": [0.7, 0.15], "tolerance": 0.25, "reach": "contiguous"},
    "sky": {},
    "subject": {"box": [0.33, 0.12, 0.47, 0.75]},
    "matte": {"matte": "shape", "spill": 0.2, "combine": "add"},
    "grey": {"file": RAMP[0], "low": 0.2, "high": 0.9},
    "carried": {"file": CARRIED[0], "hinted": [0]},
}
FILES = dict([RAMP, CARRIED])
MATTE = {"id": "shape", "mask": {"start": "nothing", "parts": [{"part": "radial", "radius": 0.2}]}}


def every_part() -> list[dict[str, Any]]:
    return [{"part": name, **PARTS[name]} for name in parts()]


def masked_rig(*mask_parts: dict[str, Any], start: str = "nothing", **rest: Any) -> Rig:
    """A rig of one light with a mask of these parts; its matte and its grey picture come with it."""
    result = light("bloom", mask={"start": start, "parts": list(mask_parts)})
    return rig_of(result, mattes=[MATTE], files=FILES, **rest)


def texture(seed: int, width: int, height: int, scale: float) -> NDArray[np.float64]:
    """Soft random colours, (h, w, 3) in 0..255."""
    rough = np.random.default_rng(seed).random((height, width, 3))
    soft = cv2.GaussianBlur(rough, (0, 0), scale)
    soft = (soft - soft.mean()) / soft.std()
    return np.clip(128 + 45 * soft, 0, 255)
