"""Arithmetic over runs of numbers inside kernels, a loop each: written as arithmetic of arrays a kernel makes a new array
first, which costs several times as much.
"""

from __future__ import annotations

import numpy as np

from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.kernels import inlined


@inlined
def fill(run: Floats, value: np.float32) -> None:
    for x in range(run.size):
        run[x] = value


@inlined
def add_to(run: Floats, other: Floats) -> None:
    for x in range(run.size):
        run[x] += other[x]


@inlined
def multiply(run: Floats, by: Floats) -> None:
    for x in range(run.size):
        run[x] *= by[x]


@inlined
def copy_to(out: Floats, values: Floats) -> None:
    for i in range(out.size):
        out[i] = values[i]
