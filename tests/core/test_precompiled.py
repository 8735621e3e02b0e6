"""Every kernel that is kept beside its code was compiled before the first picture: nobody waits for one under the hand."""

from __future__ import annotations

import importlib
import pkgutil
import unittest
from collections.abc import Iterator
from pathlib import Path
from types import ModuleType
from typing import Any

import aurelon.core
from aurelon.core.imaging.blend.modes import MODES
from aurelon.core.imaging.kernels import Kernel


def modules() -> Iterator[ModuleType]:
    for found in pkgutil.walk_packages(aurelon.core.__path__, "aurelon.core."):
        yield importlib.import_module(found.name)


def kept_kernels(module: ModuleType) -> list[str]:
    """Those of a module that Numba keeps on disk, as it names their files."""
    kept = []
    for one in vars(module).values():
        if isinstance(one, Kernel) and one.__module__ == module.__name__:
            kept.append(file_name(one.compiled.py_func))
    return kept


def file_name(function: Any) -> str:
    """How Numba begins the names of the files that keep a compiled function."""
    code = function.__code__
    return f"{Path(code.co_filename).stem}.{function.__qualname__}-{code.co_firstlineno}"


class Precompiled(unittest.TestCase):
    def test_every_kernel_is_there(self) -> None:
        missing, found = [], 0
        loops = [loop for mode in MODES for loop in (mode.loop, mode.opaque) if loop is not None]
        for module in modules():
            assert module.__file__ is not None
            compiled = {path.name.rsplit(".", 2)[0] for path in (Path(module.__file__).parent / "__pycache__").glob("*.nbi")}
            kernels = [
                *kept_kernels(module),
                *(file_name(loop.py_func) for loop in loops if loop.py_func.__module__ == module.__name__),
            ]
            found += len(kernels)
            missing += [name for name in kernels if name not in compiled]
        self.assertGreater(found, 60)
        self.assertEqual(missing, [])
