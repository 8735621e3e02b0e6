"""A compiled kernel goes when it, or a kernel that it calls, has changed."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path
from unittest import mock

from aurelon.core.imaging import stale_kernels

FILES = {
    "imaging/base.py": "from numba import njit\n",
    "imaging/middle.py": "from numba import njit\nfrom aurelon.core.imaging.base import ease\n",
    "lights/top.py": "from numba import njit\nfrom aurelon.core.imaging.middle import mean\n",
    "lights/apart.py": "from numba import njit\n",
    "lights/plain.py": "from aurelon.core.imaging.base import ease\n",
}


class StaleKernels(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.core = Path(folder.name)
        for name, text in FILES.items():
            path = self.core / name
            (path.parent / "__pycache__").mkdir(parents=True, exist_ok=True)
            path.write_text(text)
        for target, value in (("CORE", self.core), ("KNOWN", self.core / "__pycache__" / "kernels.json")):
            patched = mock.patch.object(stale_kernels, target, value)
            patched.start()
            self.addCleanup(patched.stop)
        self.assertEqual(len(stale_kernels.remove_stale_kernels()), 4)
        for name in FILES:
            path = self.core / name
            (path.parent / "__pycache__" / f"{path.stem}.kernel-1.py311.nbi").touch()

    def compiled(self) -> set[str]:
        return {path.name.split(".")[0] for path in self.core.rglob("*.nbi")}

    def test_what_has_not_changed_stays(self) -> None:
        self.assertEqual(stale_kernels.remove_stale_kernels(), [])
        self.assertEqual(len(self.compiled()), 5)

    def test_what_calls_a_changed_kernel_goes_with_it(self) -> None:
        (self.core / "imaging/base.py").write_text(FILES["imaging/base.py"] + "EASE = 2\n")
        stale = stale_kernels.remove_stale_kernels()
        self.assertEqual(stale, ["imaging/base.py", "imaging/middle.py", "lights/top.py"])
        self.assertEqual(self.compiled(), {"apart", "plain"})

    def test_a_change_at_the_top_leaves_what_it_calls(self) -> None:
        (self.core / "lights/top.py").write_text(FILES["lights/top.py"] + "TOP = 2\n")
        self.assertEqual(stale_kernels.remove_stale_kernels(), ["lights/top.py"])
        self.assertEqual(self.compiled(), {"apart", "plain", "base", "middle"})


if __name__ == "__main__":
    unittest.main()
