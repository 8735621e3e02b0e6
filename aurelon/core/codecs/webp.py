"""WebP (RFC 9649) at 8 bits, with ICC profile and EXIF; quality 100 is lossless."""

from __future__ import annotations

import io

import numpy as np
from PIL import Image

from aurelon.core.codecs.shared.exif import notes_of
from aurelon.core.codecs.shared.raster import (
    Format,
    Raster,
    exif_orientation,
    exif_upright,
    first_by_pillow,
    notices_of,
    open_with_pillow,
    upright,
)
from aurelon.core.codecs.shared.xmp import rig_in, upright_xmp, with_rig

FORMAT = Format("webp", "WebP", "image/webp", (".webp",), ("8",), has_quality=True, largest=16383, carries_rig=True, order=4)


def matches(head: bytes) -> bool:
    return head[:4] == b"RIFF" and head[8:12] == b"WEBP"


def measure(data: bytes) -> tuple[int, int]:
    return open_with_pillow(data).size


def read(data: bytes) -> Raster:
    colour, alpha, picture = first_by_pillow(data)
    exif: bytes | None = picture.info.get("exif")
    turn = exif_orientation(exif)
    opacity = None if alpha is None else upright(alpha, turn)
    icc, xmp = picture.info.get("icc_profile"), upright_xmp(picture.info.get("xmp"))
    return Raster(
        upright(colour, turn),
        opacity,
        icc,
        exif_upright(exif),
        xmp=xmp,
        rig=rig_in(xmp),
        notices=(*notices_of(picture), *notes_of(exif)),
    )


def write(raster: Raster, depth: str, quality: int) -> bytes:
    samples = raster.samples if raster.alpha is None else np.dstack([raster.samples, raster.alpha])
    out = io.BytesIO()
    Image.fromarray(samples).save(
        out,
        "WEBP",
        quality=quality,
        lossless=quality == 100,
        exact=True,  # what is transparent keeps its colour
        method=3,
        icc_profile=raster.icc or b"",
        exif=raster.exif or b"",
        xmp=with_rig(raster.xmp, raster.rig) or b"",
    )
    return out.getvalue()
