"""How fast files are read and written: `make bench-formats`. Each format on 24 MP beside its library alone, passes beside as many
files, camera raw beside what develops it, and the memory of a large picture with passes."""

from __future__ import annotations

import io
import resource
import subprocess
import sys
import tempfile
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any
from unittest import mock

import imagecodecs
import numpy as np
import OpenEXR
import rawpy
import tifffile
from PIL import Image

from aurelon.core.codecs import codecs, raw
from aurelon.core.codecs.shared.raster import Raster
from aurelon.core.export import targets
from aurelon.core.export.passes import PassesExport
from aurelon.core.export.shared.layers import Sums, sums
from aurelon.core.graph.renderer import never
from aurelon.core.imaging.rgb_space import LINEAR_SRGB, SRGB, RgbSpace
from tests.bench import Row, Table, copying, ratio
from tests.dng import dng_of
from tests.pictures import Floats, light, plate_of, rig_of, scene

SIZE = 6000, 4000
ROUNDS = 3
ALONE, PASSES, SHOWN, DEVELOPED = 1.3, 2.0, 25.0, 1.3  # times what they are beside
LARGE, MOST = (11600, 8640), 4 << 30  # pixels and bytes of memory
LIGHTS = ("bloom", "shafts", "halation", "starburst", "velvet")
# Five passes of a large float picture, in a process of their own.
IN_MEMORY = """
import sys, numpy as np
from aurelon.core.export import targets
from aurelon.core.export.passes import PassesExport
from aurelon.core.export.shared.layers import Sums, sums
from aurelon.core.graph.renderer import never
from aurelon.core.plate import Plate
from aurelon.core.imaging.rgb_space import LINEAR_SRGB
from tests.pictures import light, rig_of
width, height = int(sys.argv[1]), int(sys.argv[2])
pixels = np.empty((height, width, 3), np.float32)
pixels[:] = np.linspace(0.05, 0.4, width, dtype=np.float32)[None, :, None]
pixels[height // 3 : height // 3 + 60, width // 2 : width // 2 + 60] = 20
rig = rig_of(*(light(kind, id=kind) for kind in sys.argv[4:]))
options = PassesExport(format="exr", depth="float")
made = targets()["passes"].run(Plate(pixels, LINEAR_SRGB), rig, options, lambda share: None, never)
with open(sys.argv[3], "wb") as file:
    made.copy_to(file)
"""


def samples() -> tuple[Any, Any, Floats]:
    """The picture in 8 bits, 16 bits, and as light."""
    seen = scene(*SIZE)
    codes = SRGB.curves[0].encode(seen)
    return np.round(codes * 255).astype(np.uint8), np.round(codes * 65535).astype(np.uint16), seen


def by_exr(planes: dict[str, Any]) -> bytes:
    with tempfile.NamedTemporaryFile(suffix=".exr") as file:
        OpenEXR.File([OpenEXR.Part({"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}, planes, "")]).write(
            file.name
        )
        return Path(file.name).read_bytes()


def exr_alone(data: bytes) -> None:
    with tempfile.NamedTemporaryFile(suffix=".exr") as file:
        file.write(data)
        file.flush()
        with OpenEXR.File(file.name, separate_channels=True) as opened:
            for channel in opened.parts[0].channels.values():
                np.asarray(channel.pixels)


def by_pillow(form: str, picture: Any, **options: Any) -> bytes:
    out = io.BytesIO()
    Image.fromarray(picture).save(out, form, **options)
    return out.getvalue()


def by_tifffile(picture: Any, **options: Any) -> bytes:
    out = io.BytesIO()
    tifffile.imwrite(out, picture, photometric="rgb", rowsperstrip=64, metadata=None, **options)
    return out.getvalue()


def pillow_alone(data: bytes) -> None:
    np.asarray(Image.open(io.BytesIO(data)))


def tifffile_alone(data: bytes) -> None:
    tifffile.imread(io.BytesIO(data))


def bench_codecs(table: Table) -> None:
    eight, sixteen, seen = samples()
    twelve = sixteen >> 4
    packed = {"compression": "zlib", "compressionargs": {"level": 4}, "predictor": True}
    half, planes = seen.astype(np.float16), {name: np.ascontiguousarray(seen[:, :, c]) for c, name in enumerate("RGB")}
    halves = {name: np.ascontiguousarray(half[:, :, c]) for c, name in enumerate("RGB")}
    ic = imagecodecs
    rows: list[tuple[str, str, Any, RgbSpace, int, Callable[[], Any], Callable[[bytes], Any]]] = [
        ("jpeg", "8", eight, SRGB, 92, lambda: by_pillow("JPEG", eight, quality=92, subsampling="4:4:4"), pillow_alone),
        ("png", "8", eight, SRGB, 92, lambda: ic.png_encode(eight, level=4), pillow_alone),
        ("png", "16", sixteen, SRGB, 92, lambda: ic.png_encode(sixteen, level=4), ic.png_decode),
        ("tiff", "16", sixteen, SRGB, 92, lambda: by_tifffile(sixteen, **packed), tifffile_alone),
        ("tiff", "float", seen, LINEAR_SRGB, 92, lambda: by_tifffile(seen), tifffile_alone),
        ("webp", "8", eight, SRGB, 92, lambda: by_pillow("WEBP", eight, quality=92, exact=True, method=3), pillow_alone),
        ("avif", "8", eight, SRGB, 92, lambda: ic.avif_encode(eight, 92, speed=8, pixelformat="444"), ic.avif_decode),
        (
            "avif",
            "12",
            sixteen,
            SRGB,
            92,
            lambda: ic.avif_encode(twelve, 92, speed=8, bitspersample=12, pixelformat="444"),
            ic.avif_decode,
        ),
        ("jxl", "8", eight, SRGB, 92, lambda: ic.jpegxl_encode(eight, 92, effort=4), ic.jpegxl_decode),
        ("jxl", "12", sixteen, SRGB, 92, lambda: ic.jpegxl_encode(seen, 92, effort=4), ic.jpegxl_decode),
        ("jxl", "float", seen, LINEAR_SRGB, 92, lambda: ic.jpegxl_encode(seen, 92, effort=4), ic.jpegxl_decode),
        ("exr", "float", seen, LINEAR_SRGB, 92, lambda: by_exr(planes), exr_alone),
        ("exr", "half", seen, LINEAR_SRGB, 92, lambda: by_exr(halves), exr_alone),
        ("hdr", "float", seen, LINEAR_SRGB, 92, lambda: ic.rgbe_encode(seen, rle=True), ic.rgbe_decode),
    ]
    for name, depth, picture, space, quality, encode, decode in rows:
        if sys.argv[1:] and name not in sys.argv[1:]:
            continue
        codec, raster = codecs()[name], Raster(picture, icc=space.icc, space=space)
        data = codec.write(raster, depth, quality)
        write = ratio(partial(codec.write, raster, depth, quality), encode, ROUNDS)
        table.add(Row(f"{codec.FORMAT.title}, {depth}: written, by its library alone", write, ALONE))
        read = ratio(partial(codec.read, data), partial(decode, data), ROUNDS)
        table.add(Row(f"{codec.FORMAT.title}, {depth}: read, by its library alone", read, ALONE))


def bench_passes(table: Table) -> None:
    """What writing them takes: the light of the layers has to be made whatever becomes of it."""
    plate, rig = plate_of(scene(*SIZE)), rig_of(*(light(kind, id=kind) for kind in LIGHTS))
    target, options = targets()["passes"], PassesExport(format="exr", depth="half")
    half = {name: np.ascontiguousarray(plate.pixels[:, :, c], np.float16) for c, name in enumerate("RGB")}
    result: list[Sums] = []
    rows: list[list[Any]] = []

    def lit_before(*arguments: Any) -> Sums:
        if not result:
            result.append(sums(*arguments))
            rows.extend(result[0].rows)
        return Sums(result[0].passes, iter(rows))

    with mock.patch("aurelon.core.export.passes.sums", lit_before):
        writing = ratio(
            lambda: target.run(plate, rig, options, lambda share: None, never), lambda: [by_exr(half) for _ in LIGHTS], ROUNDS
        )
    table.add(Row("Passes of five lights as OpenEXR: written, by five files alone", writing, PASSES))


def bench_raw(table: Table) -> None:
    seen = scene(*SIZE)
    data = dng_of(seen)

    def developed() -> None:
        with rawpy.imread(io.BytesIO(data)) as opened:
            opened.postprocess(gamma=(1, 1), no_auto_bright=True, output_bps=16)

    table.add(Row("Camera raw: seen, by copying the picture", ratio(lambda: raw.glance(data), copying(seen), ROUNDS), SHOWN))
    table.add(Row("Camera raw: developed, by its library alone", ratio(lambda: raw.read(data), developed, ROUNDS), DEVELOPED))


def bench_memory(table: Table) -> None:
    with tempfile.TemporaryDirectory() as folder:
        command = [sys.executable, "-c", IN_MEMORY, *(str(side) for side in LARGE), f"{folder}/passes.exr", *LIGHTS]
        subprocess.run(command, check=True)
    most = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss * 1024
    table.add(Row(f"Memory of 100 MP as float OpenEXR with five passes, {most / 1e9:.2f} GB, by 4 GB", most / MOST, 1.0))


def main() -> int:
    table = Table()
    print(f"{'work':<66} {'ratio':>8}   bound")
    bench_codecs(table)
    bench_raw(table)
    bench_passes(table)
    bench_memory(table)
    missed = sum(not row.kept for row in table.rows)
    print(f"{len(table.rows)} rows, {missed} missed")
    return 1 if missed else 0


if __name__ == "__main__":
    sys.exit(main())
