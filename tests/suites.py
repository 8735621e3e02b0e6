"""Every picture of public test suites, compared with the libraries' own decoders: python -m tests.suites, or make suites.

The suites are the sources of Debian's packages, fetched by its own tools into a cache beside the project, never committed. A
picture is *right* where every sample of colour is that of one of the libraries named below to a code of eight bits, *refused
by both* where no library reads it either, *refused* where one does, with Aurelon's sentence, and *wrong* where it differs from
all that read it.
"""

from __future__ import annotations

import io
import os
import subprocess
import sys
import tarfile
from collections import Counter, defaultdict
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import colour
import cv2
import imagecodecs
import numpy as np
import OpenEXR
import tifffile
from numpy.typing import NDArray
from PIL import Image, ImageOps

from aurelon.core import PlateError
from aurelon.core.codecs import codecs, read_raster
from aurelon.core.codecs.shared.raster import Raster
from tests.browser.window import ROOT

PACKAGES = ("libpng1.6", "tiff", "pillow", "openexr", "libwebp", "libheif", "vips", "exiv2")
CACHE = ROOT / ".suites"
SOURCES = Path("/etc/apt/sources.list.d/debian.sources")
A_CODE = 1.01 / 255
Samples = NDArray[np.float64]
Judged = tuple[str, str]  # the verdict, and what there is to say of it


@dataclass(frozen=True)
class Member:
    """A picture of a suite."""

    suite: str
    name: str
    data: bytes


def fetch() -> None:
    """The sources of the packages, by Debian's own tools, with lists of their own: nothing of the machine's set-up changes."""
    for folder in ("lists/partial", "archives/partial", "settings"):
        (CACHE / folder).mkdir(parents=True, exist_ok=True)
    stated = SOURCES.read_text().replace("Types: deb\n", "Types: deb-src\n")
    (CACHE / "settings" / "suites.sources").write_text(stated)
    settings = {
        "Dir::Etc::sourcelist": "/dev/null",
        "Dir::Etc::sourceparts": CACHE / "settings",
        "Dir::State::lists": CACHE / "lists",
        "Dir::Cache": CACHE,
    }
    apt = ["apt-get", "-q", *(f"-o{name}={value}" for name, value in settings.items())]
    if not any((CACHE / "lists").glob("*Sources*")):
        subprocess.run([*apt, "update"], check=True, stdout=subprocess.DEVNULL)
    for package in PACKAGES:
        if not archive_of(package):
            # A signature that has moved on does not matter here; whether the archive is there is looked at below.
            subprocess.run(
                [*apt, "source", "--download-only", package], cwd=CACHE, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
            )
            if not archive_of(package):
                sys.exit(f"the source of {package} could not be fetched")


def archive_of(package: str) -> Path | None:
    found = [path for path in CACHE.glob(f"{package}_*.orig.tar.*") if path.suffix != ".asc"]
    return found[0] if found else None


def members() -> Iterator[Member]:
    endings = {suffix for codec in codecs().values() for suffix in codec.FORMAT.suffixes}
    for package in PACKAGES:
        path = archive_of(package)
        assert path is not None
        with tarfile.open(path) as archive:
            for entry in archive:
                if entry.isfile() and Path(entry.name).suffix.lower() in endings:
                    file = archive.extractfile(entry)
                    assert file is not None
                    yield Member(package, entry.name.split("/", 1)[-1], file.read())


# What other libraries make of a file: samples from 0 to 1, upright.


def _unit(samples: NDArray[Any]) -> Samples:
    if samples.dtype == bool:
        return samples.astype(np.float64)
    whole = samples.dtype.kind == "u"
    return np.asarray(samples, np.float64) / (np.iinfo(samples.dtype).max if whole else 1)


def by_opencv(data: bytes) -> Samples:
    flags = cv2.IMREAD_UNCHANGED | cv2.IMREAD_IGNORE_ORIENTATION
    found = cv2.imdecode(np.frombuffer(data, np.uint8), flags)
    if found is None:
        raise ValueError("OpenCV reads nothing")
    return _unit(found if found.ndim == 2 else found[:, :, 2::-1])


def by_pillow(data: bytes) -> Samples:
    picture = Image.open(io.BytesIO(data))
    picture.load()
    upright = ImageOps.exif_transpose(picture)
    if upright.mode in ("I;16", "I;16B", "I;16L", "I", "F"):
        samples = np.asarray(upright)
        return np.asarray(samples, np.float64) / (65535 if upright.mode.startswith("I") else 1)
    return _unit(np.asarray(upright.convert("RGBA").convert("RGB") if upright.mode == "PA" else upright.convert("RGB")))


def by_pillow_alpha(data: bytes) -> Samples:
    """With what is transparent as it is stored."""
    upright = ImageOps.exif_transpose(Image.open(io.BytesIO(data)))
    return _unit(np.asarray(upright.convert("RGBA")))[:, :, :3]


TURNED = {3: lambda p: p[::-1, ::-1], 6: lambda p: np.rot90(p, -1), 8: lambda p: np.rot90(p, 1)}  # by orientation


def by_tifffile(data: bytes) -> Samples:
    """With alpha divided out where the file says that colours are multiplied by it."""
    with tifffile.TiffFile(io.BytesIO(data)) as file:
        page = file.pages.first
        assert isinstance(page, tifffile.TiffPage)
        samples = page.asarray()
        if page.planarconfig == 2 and samples.ndim == 3:
            samples = np.moveaxis(samples, 0, -1)
        if page.photometric == 0:  # white is zero
            samples = ~samples if samples.dtype == bool else np.iinfo(samples.dtype).max - samples
        if page.photometric == 3:
            return _unit(np.asarray(page.colormap).T[samples if samples.ndim == 2 else samples[:, :, 0]])
        if page.photometric == 8:
            return _of_lab(samples)
        bits, whole = page.bitspersample, samples.dtype.kind == "u"
        narrow = whole and isinstance(bits, int) and bits < 8 * samples.dtype.itemsize
        result = np.asarray(samples, np.float64) / (2**bits - 1) if narrow else _unit(samples)
        if page.extrasamples[:1] == (1,):
            result = np.minimum(result / np.maximum(result[:, :, -1:], 1e-9), 1.0)
        turn = TURNED.get(int(page.tags[274].value) if 274 in page.tags else 1)
        return result if turn is None else turn(result)


def _of_lab(samples: NDArray[Any]) -> Samples:
    """L*a*b* under D50 as the code values of opRGB (IEC 61966-2-5), by colour-science."""
    one = 1 if samples.dtype == np.uint8 else 256
    a_and_b = np.asarray(samples[:, :, 1:].astype(np.int8 if one == 1 else np.int16), np.float64) / one
    lab = np.dstack([_unit(samples[:, :, :1]) * 100, a_and_b])
    xyz = colour.Lab_to_XYZ(lab, (0.3457, 0.3585))
    d65 = colour.chromatic_adaptation(
        xyz, colour.xy_to_XYZ((0.3457, 0.3585)), colour.xy_to_XYZ((0.3127, 0.3290)), transform="Bradford"
    )
    primaries = np.array([[0.64, 0.33], [0.21, 0.71], [0.15, 0.06]])
    matrix = np.linalg.inv(colour.normalised_primary_matrix(primaries, (0.3127, 0.3290)))
    return np.asarray(np.clip(d65 @ matrix.T, 0, 1) ** (1 / 2.19921875))


def by_openexr(data: bytes) -> Samples:
    """Within the display window, with alpha divided out."""
    path = CACHE / "one.exr"
    path.write_bytes(data)
    part = OpenEXR.File(str(path), separate_channels=True).parts[0]
    channels = {name.rsplit(".", 1)[-1]: np.asarray(channel.pixels, np.float64) for name, channel in part.channels.items()}
    names = ("R", "G", "B") if "R" in channels else ("Y",)
    if "RY" in channels or names[0] not in channels:
        raise ValueError(f"channels {sorted(channels)}")
    stacked = np.stack([channels[name] for name in names], axis=2)
    if "A" in channels:
        alpha = channels["A"][:, :, None]
        stacked = np.where(alpha > 0, stacked / np.where(alpha > 0, alpha, 1), 0)
    (left, top), (right, bottom) = part.header["displayWindow"]
    (x0, y0), (x1, y1) = part.header["dataWindow"]
    whole = np.zeros((max(bottom, y1) - min(top, y0) + 1, max(right, x1) - min(left, x0) + 1, len(names)))
    x, y = x0 - min(left, x0), y0 - min(top, y0)
    whole[y : y + stacked.shape[0], x : x + stacked.shape[1]] = stacked
    y, x = top - min(top, y0), left - min(left, x0)
    return whole[y : y + bottom - top + 1, x : x + right - left + 1]


def _with(decode: Callable[..., Any], **how: Any) -> Callable[[bytes], Samples]:
    def by_codec(data: bytes) -> Samples:
        return _unit(np.asarray(decode(data, **how)))

    by_codec.__name__ = f"by_{decode.__name__}"
    return by_codec


LIBRARIES: dict[str, tuple[Callable[[bytes], Samples], ...]] = {
    "png": (by_opencv, by_pillow, by_pillow_alpha, _with(imagecodecs.png_decode)),
    "jpeg": (by_pillow, by_opencv, _with(imagecodecs.jpeg8_decode)),
    "tiff": (by_tifffile, by_pillow, by_opencv, by_pillow_alpha, _with(imagecodecs.tiff_decode)),
    "webp": (by_pillow, _with(imagecodecs.webp_decode)),
    "avif": (_with(imagecodecs.avif_decode), by_pillow),
    "jxl": (_with(imagecodecs.jpegxl_decode),),
    "exr": (by_openexr, by_opencv),
    "hdr": (by_opencv, _with(imagecodecs.rgbe_decode)),
    "raw": (by_tifffile, by_pillow),
    "ora": (),
}


def _off(raster: Raster, other: Samples) -> float:
    """By how much the worst sample is off; infinite for another shape."""
    own = _unit(raster.samples)
    if other.ndim == 2:
        other = other[:, :, None]
    if other.shape[2] in (2, 4):
        other = other[:, :, :-1]
    if own.shape[:2] != other.shape[:2]:
        return float("inf")
    if own.shape[2] != other.shape[2] and 1 not in (own.shape[2], other.shape[2]):
        return float("inf")
    scale = max(1.0, float(np.abs(own).max())) if raster.samples.dtype == np.float32 else 1.0
    seen = slice(None) if raster.alpha is None else np.asarray(raster.alpha > 0)
    return float(np.abs(own - other)[seen].max(initial=0.0)) / scale


def judge(member: Member) -> Judged:
    """What comes of a picture."""
    form = next(name for name, codec in codecs().items() if Path(member.name).suffix.lower() in codec.FORMAT.suffixes)
    others: list[Samples] = []
    reasons: list[str] = []
    for library in LIBRARIES[form]:
        try:
            others.append(library(member.data))
        except Exception as error:
            reasons.append(f"{library.__name__}: {type(error).__name__}")
    try:
        raster = read_raster(member.data, member.name)
    except PlateError as error:
        return ("refused" if others else "refused by both"), str(error)
    if not others:
        return "read alone", "; ".join(reasons)
    off = [_off(raster, other) for other in others]
    if min(off) <= A_CODE:
        return "right", ""
    said = "; ".join(raster.notices)
    shapes = ", ".join(str(other.shape) for other in others)
    return "wrong", f"{raster.samples.dtype} {raster.samples.shape} off by {[f'{o:.3g}' for o in off]}, others {shapes}; {said}"


COLUMNS = ("right", "refused by both", "refused", "read alone", "wrong")
ABOUT = """# Files of other people

`make suites` fetches the sources of Debian's packages, which hold the test pictures of the libraries that read and write such
files, opens every picture of a format that Aurelon reads, and compares each sample of colour with what those libraries decode.
This page is what it wrote last.

- *right*: within a code of eight bits of one of the libraries (OpenCV, Pillow, tifffile, imagecodecs, OpenEXR; L*a*b* by
  colour-science).
- *refused by both*: no library reads it either. Most are files that are broken on purpose.
- *refused*: a library makes something of it, Aurelon does not; every one is listed below with the sentence that is said.
- *read alone*: no library here gives its colours; luminance and chroma of OpenEXR are tested with known light elsewhere.
- *wrong*: differs from every library that reads it.

"""


def row(name: str, counts: Counter[str]) -> str:
    return f"| {name} | {counts.total()} | {' | '.join(str(counts[column]) for column in COLUMNS)} |\n"


def main() -> int:
    os.environ["OPENCV_IO_ENABLE_OPENEXR"] = "1"
    fetch()
    table: dict[str, Counter[str]] = defaultdict(Counter)
    told: list[tuple[str, Member, str]] = []
    for member in members():
        verdict, said = judge(member)
        table[member.suite][verdict] += 1
        if verdict != "right":
            told.append((verdict, member, said))
    whole = sum(table.values(), Counter[str]())
    head = f"| suite | pictures | {' | '.join(COLUMNS)} |\n|---|{'---|' * (len(COLUMNS) + 1)}\n"
    counted = head + "".join(row(suite, counts) for suite, counts in table.items()) + row("**all**", whole)
    refused = "".join(
        f"- {member.suite}, `{member.name}`: {said.removeprefix(member.name).strip()}.\n"
        for verdict, member, said in told
        if verdict == "refused"
    )
    (ROOT / "docs" / "formats.md").write_text(f"{ABOUT}{counted}\n## Refused\n\n{refused}")
    for verdict, member, said in sorted(told, key=lambda one: one[0]):
        print(f"{verdict:16} {member.suite}/{member.name}: {said}")
    print(f"\n{counted}")
    return 1 if whole["wrong"] else 0


if __name__ == "__main__":
    sys.exit(main())
