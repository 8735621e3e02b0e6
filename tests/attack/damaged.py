"""Damaged files of every format that is written: each is read, or refused by a sentence of Aurelon's own.

A file is made of one that is whole: bytes changed, numbers of a header set to extremes, pieces cut out, doubled, or taken from
another file. What comes of a seed is always the same.
"""

from __future__ import annotations

import io
import multiprocessing
import os
import random
import resource
import struct
import sys
import tempfile
import time
import warnings
import zipfile
from collections import Counter
from collections.abc import Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from contextlib import closing
from functools import cache
from pathlib import Path
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from aurelon.core import AurelonError, read_plate, read_reel
from aurelon.core.codecs import codecs, layers_in
from aurelon.core.codecs.shared.raster import Raster
from aurelon.core.imaging.rgb_space import DISPLAY_P3
from aurelon.core.reel import is_reel
from tests.dng import dng_of
from tests.reels import write_video

SLOW = 5.0  # s
MEMORY = 4 << 30  # bytes that a process may take
BATCH = 250
EXTREMES = (0, 1, 2, 255, 256, 65535, 65536, 2**31 - 1, 2**31, 2**32 - 1)


class Whole(NamedTuple):
    """A file that is whole."""

    name: str
    data: bytes


class Fault(NamedTuple):
    """What was neither read nor refused as it should be, and the seed that makes it again."""

    seed: int
    name: str
    what: str


class Report(NamedTuple):
    """What came of some files: how many were read and refused, and what should not have come."""

    read: int
    refused: int
    faults: tuple[Fault, ...]


@cache
def wholes() -> tuple[Whole, ...]:
    """A small picture in every format and depth that is written, and a raw one."""
    rng = np.random.default_rng(7)
    found = []
    for name, codec in codecs().items():
        for depth in codec.FORMAT.depths if codec.FORMAT.written else ():
            kind, top = {"8": ("uint8", 255), "float": ("float32", 1), "half": ("float32", 1)}.get(depth, ("uint16", 65535))
            samples = (rng.random((40, 56, 3)) * top).astype(kind)
            raster = Raster(samples, None, DISPLAY_P3.icc)
            found.append(Whole(f"{name}-{depth}{codec.FORMAT.suffixes[0]}", codec.write(raster, depth, 90)))
    light = rng.random((40, 56, 3)).astype(np.float32)
    return (*found, Whole("camera.dng", dng_of(light)), *moving(rng))


def moving(rng: np.random.Generator) -> Iterator[Whole]:
    """Animated pictures, numbered stills in archives of every kind, layers, and films."""
    samples = [(rng.random((20, 28, 3)) * 255).astype(np.uint8) for _ in range(4)]
    pictures = [Image.fromarray(one) for one in samples]
    for form, suffix in (("GIF", ".gif"), ("WEBP", ".webp"), ("PNG", ".png")):
        out = io.BytesIO()
        pictures[0].save(out, form, save_all=True, append_images=pictures[1:], duration=40)
        yield Whole(f"animated{suffix}", out.getvalue())
    still = io.BytesIO()
    pictures[0].save(still, "PNG")
    for way in (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED, zipfile.ZIP_LZMA, zipfile.ZIP_BZIP2):
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", way) as archive:
            for number in range(3):
                archive.writestr(f"shot_{number}.png", still.getvalue())
        yield Whole(f"stills-{way}.zip", out.getvalue())
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr(zipfile.ZipInfo("mimetype"), b"image/openraster")
        archive.writestr("stack.xml", '<image w="28" h="20"><stack><layer name="a" src="data/a.png"/></stack></image>')
        archive.writestr("data/a.png", still.getvalue())
        archive.writestr("mergedimage.png", still.getvalue())
    yield Whole("layers.ora", out.getvalue())
    films = {"film.mkv": ("ffv1", "bgr0"), "film.webm": ("libvpx-vp9", "yuv420p"), "film.mp4": ("mpeg4", "yuv420p")}
    with tempfile.TemporaryDirectory() as folder:
        for name, (codec, pixels) in films.items():
            yield Whole(name, write_video(Path(folder) / name, samples, codec=codec, pixels=pixels).read_bytes())


def read(data: bytes, name: str) -> NDArray[np.float32]:
    """The pixels of a picture, or of the first and the last frame of what moves; and the names of its layers, which it may have."""
    if not is_reel(io.BytesIO(data)):
        layers_in(data, name)
        return read_plate(data, name).pixels
    with closing(read_reel(lambda: io.BytesIO(data), name)) as reel:
        return np.concatenate([reel[0].pixels, reel[len(reel) - 1].pixels])


def damaged(seed: int) -> Whole:
    """The damaged file of a seed."""
    rng = random.Random(seed)
    of, other = rng.choice(wholes()), rng.choice(wholes())
    data = bytearray(of.data)
    for _ in range(rng.choice((1, 1, 2, 3, 8))):
        # Most of the damage lies in what says how the file is laid out, which stands at its head or at its end.
        place = rng.random()
        at = rng.randrange(min(600, len(data))) if place < 0.6 else rng.randrange(max(len(data) - 600, 0), len(data))
        at = rng.randrange(len(data)) if place > 0.9 else at
        way = rng.random()
        if way < 0.45:
            data[at] = rng.choice((0, 1, 2, 4, 8, 127, 128, 255, rng.randrange(256)))
        elif way < 0.75:
            order, size = rng.choice("<>"), rng.choice("BHI")
            number = struct.pack(order + size, rng.choice(EXTREMES) % 256 ** struct.calcsize(size))
            data[at : at + len(number)] = number
        elif way < 0.85:
            del data[at : at + rng.randrange(1, 40)]
        elif way < 0.93:
            data[at:at] = data[at : at + rng.randrange(1, 60)]
        else:
            data[at : at + 30] = other.data[at : at + 30]
        if not data:
            break
    if rng.random() < 0.08:
        del data[rng.randrange(len(data) + 1) :]
    return Whole(of.name, bytes(data))


def confine() -> None:
    """A process with no more memory than it may take, and without what libraries in C say of damage for themselves."""
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
    warnings.simplefilter("ignore")
    nowhere = os.open(os.devnull, os.O_WRONLY)
    os.dup2(nowhere, 1)
    os.dup2(nowhere, 2)


def attack(seeds: Sequence[int], slow: float = SLOW) -> Report:
    """Reads the damaged files of some seeds, one after another."""
    counted: Counter[str] = Counter()
    faults = []
    for seed in seeds:
        name, data = damaged(seed)
        began = time.monotonic()
        try:
            pixels = read(data, name)
            counted["read"] += 1
            if not np.isfinite(pixels).all() or pixels.min() < 0:
                faults.append(Fault(seed, name, "gave pixels that are negative or no numbers"))
        except AurelonError as error:
            counted["refused"] += 1
            if name not in str(error):
                faults.append(Fault(seed, name, f"was refused without its name: {error}"))
        except BaseException as error:  # that is what is looked for
            faults.append(Fault(seed, name, f"raised {type(error).__name__}: {error}"))
        if time.monotonic() - began > slow:
            faults.append(Fault(seed, name, f"took {time.monotonic() - began:.1f} s"))
    return Report(counted["read"], counted["refused"], tuple(faults))


def campaign(count: int, first: int = 0, workers: int = 2, slow: float = SLOW) -> Report:
    """So many damaged files, in processes of their own: a decoder that ends its process is a fault of the seeds it was given."""
    batches = [range(at, min(at + BATCH, first + count)) for at in range(first, first + count, BATCH)]
    report = []
    spawn = multiprocessing.get_context("spawn")
    waiting = list(batches)
    while waiting:
        with ProcessPoolExecutor(workers, mp_context=spawn, initializer=confine) as pool:
            asked = [(batch, pool.submit(attack, batch, slow)) for batch in waiting]
            left = []
            for batch, answer in asked:
                try:
                    report.append(answer.result())
                except BrokenProcessPool:
                    left.append(batch)
        # A batch that ends its process alone is halved, until the one seed is found.
        waiting = []
        for batch in left:
            if len(left) > 1 and len(batch) == BATCH:
                waiting.append(batch)
            elif len(batch) == 1:
                report.append(Report(0, 0, (Fault(batch[0], damaged(batch[0]).name, "ended the process"),)))
            else:
                middle = batch.start + len(batch) // 2
                waiting += [range(batch.start, middle), range(middle, batch.stop)]
    return Report(
        sum(one.read for one in report), sum(one.refused for one in report), tuple(fault for one in report for fault in one.faults)
    )


def main() -> int:
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 50_000
    began = time.monotonic()
    report = campaign(count)
    for fault in report.faults[:40]:
        print(f"seed {fault.seed}, {fault.name}: {fault.what}")
    print(
        f"{count} damaged files: {report.read} read, {report.refused} refused by a sentence, {len(report.faults)} faults, "
        f"in {time.monotonic() - began:.0f} s"
    )
    return 1 if report.faults else 0


if __name__ == "__main__":
    sys.exit(main())
