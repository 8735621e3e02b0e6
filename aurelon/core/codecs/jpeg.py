"""JPEG (ITU-T T.81) with the ICC profile in APP2 and EXIF in APP1."""

from __future__ import annotations

import io

import numpy as np
from PIL import Image

from aurelon.core.codecs.shared.raster import (
    Format,
    Raster,
    UnreadableError,
    exif_orientation,
    exif_upright,
    open_with_pillow,
    upright,
)

FORMAT = Format("jpeg", "JPEG", "image/jpeg", (".jpg", ".jpeg"), ("8",), has_quality=True, has_alpha=False)


def matches(head: bytes) -> bool:
    return head[:3] == b"\xff\xd8\xff"


def measure(data: bytes) -> tuple[int, int]:
    return open_with_pillow(data).size


def read(data: bytes) -> Raster:
    picture = open_with_pillow(data)
    if picture.mode in ("CMYK", "YCCK"):
        raise UnreadableError("is a CMYK JPEG, made for print; convert it to RGB first")
    try:
        samples = np.asarray(picture if picture.mode == "L" else picture.convert("RGB"))
    except (OSError, SyntaxError, ValueError) as error:
        raise UnreadableError("is cut short or damaged; copy it again from where it came") from error
    exif: bytes | None = picture.info.get("exif")
    if samples.ndim == 2:
        samples = samples[:, :, None]
    samples = upright(samples, exif_orientation(exif))
    return Raster(samples, icc=picture.info.get("icc_profile"), exif=exif_upright(exif))


def write(raster: Raster, depth: str, quality: int) -> bytes:
    out = io.BytesIO()
    Image.fromarray(raster.samples).save(
        out,
        "JPEG",
        quality=quality,
        subsampling="4:4:4" if quality >= 90 else "4:2:0",
        icc_profile=raster.icc,
        exif=raster.exif or b"",
    )
    return out.getvalue()
