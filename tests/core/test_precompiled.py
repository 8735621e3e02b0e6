"""Every kernel that is kept beside its code was compiled before the first picture: nobody waits for one under the hand."""

from __future__ import annotations

import importlib
import pkgutil
import unittest
from collections.abc import Iterator
from pathlib import Path
from types import ModuleType

import aurelon.core
from aurelon.core.imaging.kernels import Kernel


def modules() -> Iterator[ModuleType]:
    for found in pkgutil.walk_packages(aurelon.core.__path__, "aurelon.core."):
        yield importlib.import_module(found.name)


def kept_kernels(module: ModuleType) -> list[str]:
    """Those of a module that Numba keeps on disk, as it names their files."""
    kept = []
    for one in vars(module).values():
        if isinstance(one, Kernel) and one.__module__ == module.__name__:
            code = one.compiled.py_func.__code__
            kept.append(f"{Path(code.co_filename).stem}.{one.py_func.__qualname__}-{code.co_firstlineno}")
    return kept


class Precompiled(unittest.TestCase):
    def test_every_kernel_is_there(self) -> None:
        missing, found = [], 0
        for module in modules():
            assert module.__file__ is not None
            compiled = {path.name.rsplit(".", 2)[0] for path in (Path(module.__file__).parent / "__pycache__").glob("*.nbi")}
            kernels = kept_kernels(module)
            found += len(kernels)
            missing += [name for name in kernels if name not in compiled]
        self.assertGreater(found, 40)
        self.assertEqual(missing, [])
