"""A rig on a plate as passes: every light as a layer of its own, the picture under them, the mattes and the result beside them."""

from __future__ import annotations

import io
import json
import os
import tempfile
import zipfile
from collections.abc import Callable, Sequence
from functools import partial
from typing import Any, BinaryIO, Literal

import numpy as np
import tifffile
from pydantic import Field, ValidationError

from aurelon.core.codecs import png
from aurelon.core.codecs.shared.exr_writing import PartsWriter
from aurelon.core.codecs.shared.raster import Format, Raster
from aurelon.core.errors import OutputError
from aurelon.core.export.picture import PROFILES, ProfileName, frame_for, in_linear_light, to_codes
from aurelon.core.export.shared.archive import put
from aurelon.core.export.shared.layers import SHARED_MODES, Layer, Layers, Pass, Sums, overs, sums
from aurelon.core.export.shared.openraster import open_raster
from aurelon.core.export.shared.target import Exported, ExportTarget, Progress
from aurelon.core.graph.input_space import as_input
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.profiles import SPACES
from aurelon.core.imaging.rgb_space import DISPLAY_P3, SRGB, RgbSpace, chromaticities_of
from aurelon.core.plate import Plate
from aurelon.core.rig import Rig
from aurelon.core.settings import Settings, choice

ADDED = "The result is the sum of the part 'picture' and of all parts whose rule is 'add', in linear light."
LAID = "The result is each layer laid over those below it by its mode, opacity and alpha, on the samples as they are stored."
NORMAL = "below * (1 - alpha * opacity) + layer * alpha * opacity, on code values from 0 to 1; hidden layers are left out"
# The containers, as the formats of a picture are given to the screen.
CONTAINERS = {
    "exr": Format(
        "exr", "OpenEXR, several parts", "image/x-exr", (".exr",), ("half", "float"), linear=True, without_exif=("half", "float")
    ),
    "ora": Format("ora", "OpenRaster", "image/openraster", (".ora",), ("8", "16"), without_exif=("8", "16")),
    "tiff": Format("tiff", "TIFF, several pages", "image/tiff", (".tif", ".tiff"), ("8", "16"), without_exif=("8", "16")),
    "zip": Format("zip", "PNG files in an archive", "application/zip", (".zip",), ("8", "16"), without_exif=("8", "16")),
}


class PassesExport(Settings):
    """How passes are written; size and profile as those of a picture."""

    target: Literal["passes"] = "passes"
    format: str
    depth: str
    profile: ProfileName = choice("keep", "Colour profile of the layers", words=PROFILES)
    long_edge: int | None = Field(None, ge=1)
    size: tuple[int, int] | None = None


def check(plate: Plate, rig: Rig, options: PassesExport) -> None:
    """Raises OutputError when the options cannot be met."""
    form = CONTAINERS.get(options.format)
    if form is None:
        raise OutputError(f"passes cannot be written as '{options.format}'; there are: {', '.join(CONTAINERS)}")
    if options.depth not in form.depths:
        raise OutputError(f"{form.title} cannot hold passes of {options.depth} bits; it holds {' or '.join(form.depths)}")
    frame_for(plate, rig, options)


def coded_space(plate: Plate, options: PassesExport) -> RgbSpace:
    """The space of layers in whole numbers: linear light gets a curve, and primaries that people have."""
    space = SPACES.get(options.profile, plate.space)
    if all(curve.is_linear for curve in space.curves):
        return SRGB if space.matrix_to(SRGB) is None else DISPLAY_P3
    return space


def _run(plate: Plate, rig: Rig, options: PassesExport, progress: Progress, cancelled: Callable[[], bool]) -> Exported:
    check(plate, rig, options)
    plate = as_input(plate, rig)
    form, frame = CONTAINERS[options.format], frame_for(plate, rig, options)
    carried = rig.model_dump_json()
    if form.linear:
        space = in_linear_light(SPACES.get(options.profile, plate.space))
        kind = np.float16 if options.depth == "half" else np.float32
        added = sums(plate, rig, frame, space, kind, progress, cancelled)
        data: bytes | BinaryIO = _open_exr(added, frame, kind, space, carried)
    else:
        space = coded_space(plate, options)
        modes = SHARED_MODES if options.format == "ora" else ()
        whole = np.uint8 if options.depth == "8" else np.uint16
        code = partial(to_codes, plate_space=plate.space, target=space)
        result = overs(plate, rig, frame, code, space, whole, modes, progress, cancelled)
        data = _WRITERS[options.format](result, space, options.depth, carried)
    progress(1.0)
    return Exported(data, form.suffixes[0], form.media_type)


def _names(layers: Sequence[Layer | Pass]) -> list[str]:
    """A name for each, no two alike, in their order."""
    taken: set[str] = {"result"}
    names = []
    for layer in layers:
        name, k = layer.name or "layer", 2
        while name in taken:
            name, k = f"{layer.name} {k}", k + 1
        taken.add(name)
        names.append(name)
    return names


def _open_exr(result: Sums, frame: Frame, kind: Any, space: RgbSpace, rig: str) -> BinaryIO:
    """A file that is gone with the object: it may be more than there is memory. Raises OutputError where there is no room."""
    about = [("result", {"rule": "whole", "rules": ADDED, "rig": rig})]
    for name, one in zip(_names(result.passes), result.passes, strict=True):
        about.append((name, {"rule": "beside" if one.hidden else "add" if one.added else "first", **one.about}))
    primaries: dict[str, str | tuple[float, ...]] = {"chromaticities": chromaticities_of(space)}
    parts = [(name, primaries | {f"aurelon:{key}": value for key, value in stated.items()}) for name, stated in about]
    handle, name = tempfile.mkstemp(suffix=".exr")
    os.unlink(name)  # it goes when it is closed
    file, (rows, columns) = os.fdopen(handle, "w+b"), frame.shape
    try:
        writer = PartsWriter(file, (columns, rows), kind, parts)
        for band in result.rows:
            for number, samples in enumerate(band):
                writer.put(number, samples)
        writer.close()
        file.flush()
    except OSError as error:
        file.close()
        raise OutputError(
            f"the passes could not be written ({error.strerror or error}); make room in {tempfile.gettempdir()}"
        ) from error
    return file


def _listed(result: Layers) -> list[dict[str, Any]]:
    return [
        {
            "name": name,
            "mode": layer.mode,
            "opacity": layer.opacity,
            "hidden": layer.hidden,
            **({"of": layer.about} if layer.about else {}),
        }
        for name, layer in zip(_names(result.layers), result.layers, strict=True)
    ]


def _pages(result: Layers, space: RgbSpace, depth: str, rig: str) -> bytes:
    """The result first, for readers of one page; then the layers, lowest first."""
    out = io.BytesIO()
    listing = json.dumps({"rules": LAID, "layers": _listed(result), "rig": json.loads(rig)})
    with tifffile.TiffWriter(out, bigtiff=result.result.nbytes * (len(result.layers) + 1) > 3 << 30) as file:
        for name, layer in zip(("result", *_names(result.layers)), (Layer("result", result.result), *result.layers), strict=True):
            samples = layer.samples if layer.alpha is None else np.dstack([layer.samples, layer.alpha])
            file.write(
                samples,
                photometric="rgb",
                compression="zlib",
                compressionargs={"level": 4},
                predictor=True,
                rowsperstrip=64,
                extrasamples=[] if layer.alpha is None else ["unassalpha"],
                iccprofile=space.icc,
                description=listing if name == "result" else None,
                extratags=[(285, 2, len(name.encode()) + 1, name.encode() + b"\0", True)],
                metadata=None,
                software=False,
            )
    return out.getvalue()


def _files(result: Layers, space: RgbSpace, depth: str, rig: str) -> bytes:
    """PNG files, with a list that tells a program without OpenRaster all that it needs to lay them."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        listed = _listed(result)
        for number, (entry, layer) in enumerate(zip(listed, result.layers, strict=True), start=1):
            safe = "".join(c if c.isalnum() or c in " -_" else "-" for c in str(entry["name"])).strip() or "layer"
            entry["file"] = f"{number:02} {safe}.png"
            entry["alpha"] = "none" if layer.alpha is None else "straight"
            entry["place"] = [0, 0]
            put(archive, entry["file"], png.write(Raster(layer.samples, layer.alpha, space.icc), depth, 100))
        put(archive, "result.png", png.write(Raster(result.result, icc=space.icc), depth, 100))
        height, width, _ = result.result.shape
        listing = {
            "rules": LAID,
            "normal": NORMAL,
            "order": "lowest first",
            "size": [width, height],
            "bits": int(depth),
            "space": {"icc": space.name, "stored_as": "code values of this profile, which is in every file"},
            "result": "result.png",
            "rig": "rig.json",
            "layers": listed,
        }
        put(archive, "layers.json", json.dumps(listing, indent=1, ensure_ascii=False))
        put(archive, "rig.json", rig)
    return out.getvalue()


_WRITERS = {"ora": open_raster, "tiff": _pages, "zip": _files}


def options_in(form: Format, plate: Plate, **options: Any) -> PassesExport:
    """Passes in a format, at the plate's own depth or the most it has."""
    given = {"depth": plate.depth if plate.depth in form.depths else form.depths[-1], **options}
    try:
        return PassesExport(format=form.name, **given)
    except ValidationError as error:
        raise OutputError(f"passes have no {error.errors()[0]['loc'][0]}; leave it out") from error


TARGET = ExportTarget(
    name="passes",
    order=2,
    title="Passes: every light as a layer of its own",
    options=PassesExport,
    formats=lambda: list(CONTAINERS.values()),
    for_path=options_in,
    check=check,
    run=_run,
    note="With the picture under them and the result beside them. In OpenEXR the parts are added up; in the others each layer lies "
    "over those below it.",
    switch="--passes",
    switch_help="every light as a layer, with the picture and the result: .exr, .ora, .tif or .zip",
)
