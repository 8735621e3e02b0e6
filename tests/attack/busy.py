"""The same verdict on a busy machine: files are looked at alone, and again beside processes that use every processor."""

from __future__ import annotations

import multiprocessing
import sys
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from typing import NamedTuple

import numpy as np

from aurelon.confined.decoder import DecoderPool
from aurelon.core import PlateError
from aurelon.core.codecs import codecs
from aurelon.core.codecs.shared.raster import Raster
from tests.attack.damaged import damaged, moving, wholes

SPINNING = 4  # processes
LARGE = (3000, 4000)  # rows and columns of the largest picture


class Verdict(NamedTuple):
    """The answer for a file: its size, or the sentence by which it was refused."""

    name: str
    sentence: str


def spin() -> None:
    while True:
        pass


@contextmanager
def busy(count: int = SPINNING) -> Iterator[None]:
    """So many processes that spin."""
    spinning = [multiprocessing.get_context("spawn").Process(target=spin, daemon=True) for _ in range(count)]
    for one in spinning:
        one.start()
    try:
        yield
    finally:
        for one in spinning:
            one.kill()


def files(count: int) -> list[tuple[str, bytes]]:
    """Whole files of every format, a large JPEG, and so many damaged ones."""
    rng = np.random.default_rng(3)
    still = {name for name, _ in moving(rng)}
    found = [(name, data) for name, data in wholes() if name not in still]
    noise = Raster(rng.integers(0, 256, (*LARGE, 3), np.uint8))
    found.append(("large.jpg", codecs()["jpeg"].write(noise, "8", 92)))
    bad = (damaged(seed) for seed in range(10**6))
    found += [(name, data) for name, data in (next(bad) for _ in range(2 * count)) if name not in still][:count]
    return found


def verdicts(found: list[tuple[str, bytes]]) -> list[Verdict]:
    """The answers for files that come several at once, as the service looks at them."""
    pool = DecoderPool()

    def sentence(file: tuple[str, bytes]) -> Verdict:
        name, data = file
        try:
            return Verdict(name, str(pool.look(data, name).size))
        except PlateError as error:
            return Verdict(name, str(error))

    try:
        with ThreadPoolExecutor(8) as threads:
            return list(threads.map(sentence, found))
    finally:
        pool.close()


def campaign(count: int) -> list[tuple[Verdict, Verdict]]:
    """The files of which something else was said on the busy machine: both verdicts."""
    found = files(count)
    alone = verdicts(found)
    with busy():
        beside = verdicts(found)
    return [(one, other) for one, other in zip(alone, beside, strict=True) if one != other]


def main() -> int:
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 400
    began = time.monotonic()
    differ = campaign(count)
    for alone, beside in differ[:40]:
        print(f"{alone.name}: alone “{alone.sentence}”, beside others “{beside.sentence}”")
    print(f"{len(files(count))} files looked at twice, {len(differ)} with another verdict, in {time.monotonic() - began:.0f} s")
    return 1 if differ else 0


if __name__ == "__main__":
    sys.exit(main())
