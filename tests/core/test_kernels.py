"""Kernels: whoever does the turns of their loop, and in whatever blocks, the same comes out; and none is compiled twice."""

from __future__ import annotations

import errno
import json
import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from typing import Any, cast
from unittest import mock

import numpy as np
from filelock import FileLock
from numba import prange

from aurelon.core.imaging import kernel_cache, kernels, stale_kernels
from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.kernels import Kernel, kernel, strict_kernel

# Compiles one small kernel, and says whether it was kept already.
COMPILES = """
import json, numpy as np
from aurelon.core.imaging.samples import _translate
_translate(np.arange(9, dtype=np.uint16), np.arange(1 << 16, dtype=np.uint16))
stats = _translate.compiled.stats
print(json.dumps([sum(stats.cache_misses.values()), sum(stats.cache_hits.values())]))
"""

# Lights a plate by every kind, in drafts and exactly, and prints what Numba compiled that is not kept for the next process.
LIGHTS = """
import json
from numba.core import caching, dispatcher
found, inside, compile_or_load = [], [], dispatcher.Dispatcher.compile
def compile(self, signature):
    if not inside and isinstance(self._cache, caching.NullCache):
        found.append(f"{self.py_func.__module__}.{self.py_func.__qualname__}")
    inside.append(self)
    try:
        return compile_or_load(self, signature)
    finally:
        inside.pop()
dispatcher.Dispatcher.compile = compile
from aurelon.core import Rig
from aurelon.core.graph.cache import Cache
from aurelon.core.graph.renderer import Renderer
from aurelon.core.imaging.frame import Frame
from aurelon.core.lights import kinds
from aurelon.core.precompile import plate_with_lamps
plate = plate_with_lamps()
rig = Rig.model_validate({"lights": [{"id": name, "kind": name, **kind.initial(plate)} for name, kind in kinds().items()]})
for draft in (True, False):
    Renderer(plate, Cache(1 << 29)).part(rig, Frame.whole((320, 271)), draft=draft)
print(json.dumps(found))
"""


@kernel
def _sums(lines: Floats, out: Floats) -> None:
    rows, columns = lines.shape
    for row in prange(rows):
        total = np.float32(0.0)
        for x in range(columns):
            total += lines[row, x]
        out[row] += total


@strict_kernel
def _are_numbers(values: Floats, out: Floats) -> None:
    for i in prange(values.size):
        out[i] = np.float32(1.0) if values[i] == values[i] else np.float32(0.0)


def doubled(x: float) -> float:
    return x + x


class NothingIsCompiledAtEveryStart(unittest.TestCase):
    def test_no_kind_of_light_compiles_what_is_not_kept(self) -> None:
        done = subprocess.run([sys.executable, "-W", "ignore", "-c", LIGHTS], capture_output=True, text=True, check=True)
        self.assertEqual(json.loads(done.stdout), [])


class Turns(unittest.TestCase):
    def setUp(self) -> None:
        self.addCleanup(kernels.use_threads, kernels._threads.count)

    def test_every_turn_is_done_once_by_any_number_of_threads_and_in_any_blocks(self) -> None:
        lines = np.random.default_rng(1).random((1003, 64)).astype(np.float32)
        whole = np.zeros(1003, np.float32)
        _sums(lines, whole)
        np.testing.assert_allclose(whole, lines.sum(axis=1), rtol=1e-5)
        for threads in (1, 2):
            for block in (0.0, 1e-7, 1.0):
                kernels.use_threads(threads)
                again = np.zeros(1003, np.float32)
                with mock.patch.object(kernels, "A_BLOCK", block), mock.patch.object(kernels, "WORTH_IT", 0.0):
                    _sums(lines, again)
                with self.subTest(threads=threads, block=block):
                    np.testing.assert_array_equal(again, whole)
        _sums(lines[:0], whole[:0])

    def test_a_thread_that_draws_undivided_takes_no_other_beside_it(self) -> None:
        lines, out = np.ones((1003, 64), np.float32), np.zeros(1003, np.float32)
        kernels.use_threads(2)
        with mock.patch.object(kernels, "A_BLOCK", 0.0), mock.patch.object(kernels, "WORTH_IT", 0.0):
            with mock.patch.object(kernels._threads, "pool", side_effect=AssertionError), kernels.undivided():
                _sums(lines, out)
            np.testing.assert_array_equal(out, 64)
            with mock.patch.object(kernels._threads, "pool", wraps=kernels._threads.pool) as pool:
                _sums(lines, out)
            pool.assert_called()

    def test_a_strict_kernel_sees_what_is_no_number(self) -> None:
        out = np.empty(4, np.float32)
        _are_numbers(np.array([1.0, np.nan, np.inf, 0.0], np.float32), out)
        self.assertEqual(out.tolist(), [1.0, 0.0, 1.0, 1.0])

    def test_what_does_not_end_with_its_loop_is_refused(self) -> None:
        def summed(lines: Floats) -> np.float32:
            total = np.float32(0.0)
            for row in prange(lines.shape[0]):
                total += lines[row, 0]
            return total

        with self.assertRaisesRegex(TypeError, "summed does not end with a loop over prange"):
            cast(Kernel, kernel(summed)).compiled  # noqa: B018 - it is made when it is first wanted

    def test_a_fault_in_a_block_comes_out(self) -> None:
        broken = cast(Kernel, _sums)
        with (
            mock.patch.object(broken, "compiled", side_effect=[1000, MemoryError, MemoryError, MemoryError]),
            mock.patch.object(kernels, "WORTH_IT", 0.0),
        ):
            kernels.use_threads(2)
            with self.assertRaises(MemoryError):
                _sums(np.ones((1000, 3), np.float32), np.zeros(1000, np.float32))


class Kept(unittest.TestCase):
    def test_two_processes_at_once_do_not_compile_the_same_twice(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            command = [sys.executable, "-c", f"import os; os.environ['NUMBA_CACHE_DIR'] = {folder!r}\n{COMPILES}"]
            both = [subprocess.Popen(command, stdout=subprocess.PIPE, text=True) for _ in range(2)]
            answer = [json.loads(one.communicate(timeout=300)[0]) for one in both]
        self.assertEqual(sorted(answer), [[0, 1], [1, 0]])

    def test_a_process_that_compiles_for_a_service_ends_with_it(self) -> None:
        with tempfile.TemporaryDirectory() as folder, FileLock(Path(folder) / f"aurelon-precompile-{os.getuid()}.lock"):
            command = [sys.executable, "-m", "aurelon.core.precompile", "--while-stdin-is-open"]
            compiling = subprocess.Popen(command, stdin=subprocess.PIPE, env={**os.environ, "TMPDIR": folder})
            assert compiling.stdin is not None
            with self.assertRaises(subprocess.TimeoutExpired):
                compiling.wait(0.5)  # the lock holds it up
            compiling.stdin.close()
            self.assertEqual(compiling.wait(60), 0)

    def test_where_nothing_can_be_kept_it_is_said_and_light_is_made_all_the_same(self) -> None:
        nowhere = mock.patch.object(kernels, "KernelCache", side_effect=RuntimeError("no locator available"))
        with nowhere, mock.patch.object(kernel_cache, "_reported", set()), self.assertLogs() as answer:
            result = [kernels.kept(doubled) for _ in range(2)]
        self.assertEqual([one(2.0) for one in result], [4.0, 4.0])
        self.assertEqual(len(answer.output), 1)
        self.assertIn("kernels cannot be kept", answer.output[0])

    def test_what_was_compiled_to_its_end_is_noted_and_forgotten_when_code_changes(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            known, done = Path(folder) / "kernels.json", Path(folder) / "precompiled.json"
            with mock.patch.multiple(stale_kernels, KNOWN=known, DONE=done, CORE=Path(folder)):
                (Path(folder) / "light.py").write_text("from numba import njit\n")
                self.assertEqual(stale_kernels.remove_stale_kernels(), ["light.py"])
                stale_kernels.note_precompiled("first")
                self.assertEqual([stale_kernels.is_precompiled(what) for what in ("first", "all")], [True, False])
                stale_kernels.note_precompiled("all")
                self.assertEqual(stale_kernels.remove_stale_kernels(), [])
                self.assertTrue(stale_kernels.is_precompiled("first"))
                (Path(folder) / "light.py").write_text("from numba import njit  # changed\n")
                stale_kernels.remove_stale_kernels()
                self.assertFalse(stale_kernels.is_precompiled("first"))


class Damaged(unittest.TestCase):
    """What a kill, a full disk, another version and damage make of the files in which a kernel is kept."""

    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        (self.folder / "lights.py").write_text("def gain(x):\n    return x * 2.0\n")
        self.enterContext(mock.patch.object(kernel_cache, "_reported", set()))
        self.enterContext(mock.patch.dict(os.environ, {"NUMBA_CACHE_DIR": ""}))

    def gain(self) -> Any:
        """The kernel as a process that has just started has it."""
        result: dict[str, Any] = {}
        path = self.folder / "lights.py"
        exec(compile(path.read_text(), str(path), "exec"), result)
        return kernels.kept(result["gain"])

    def change(self) -> None:
        (self.folder / "lights.py").write_text("def gain(x):\n    return x * 3.00\n")

    def hits(self, result: Any) -> int:
        return sum(result.stats.cache_hits.values())

    def files(self, ending: str) -> list[Path]:
        return sorted((self.folder / "__pycache__").glob(f"*.{ending}"))

    def test_it_is_kept_and_found(self) -> None:
        self.assertEqual(self.gain()(2.0), 4.0)
        result = self.gain()
        self.assertEqual((result(2.0), self.hits(result)), (4.0, 1))

    def test_a_kill_while_it_is_kept_never_leaves_the_kernel_of_older_code(self) -> None:
        self.gain()(2.0)
        self.change()
        for step in ("_save_data", "_save_index"):
            with mock.patch.object(kernel_cache._Files, step, side_effect=KeyboardInterrupt), self.assertRaises(KeyboardInterrupt):
                self.gain()(2.0)
            result = self.gain()
            self.assertEqual((step, result(2.0)), (step, 6.0))
            for path in self.files("nbi"):
                path.unlink()

    def test_damaged_files_are_compiled_again(self) -> None:
        for ending in ("nbc", "nbi"):
            for damage in (lambda data: data[: len(data) // 2], lambda data: b"", lambda data: data[:-9] + b"x" * 9):
                self.gain()(2.0)
                (path,) = self.files(ending)
                path.write_bytes(damage(path.read_bytes()))
                result = self.gain()
                with self.subTest(ending=ending):
                    self.assertEqual((result(2.0), self.hits(result)), (4.0, 0))
                result = self.gain()
                self.assertEqual((result(2.0), self.hits(result)), (4.0, 1))

    def test_a_full_disk_is_reported_once_and_light_is_made(self) -> None:
        full = mock.patch.object(
            kernel_cache._Files, "_open_for_write", side_effect=OSError(errno.ENOSPC, "No space left on device")
        )
        with full, self.assertLogs() as answer:
            self.assertEqual([self.gain()(2.0) for _ in range(2)], [4.0, 4.0])
        self.assertEqual(len(answer.output), 1)
        self.assertIn("No space left on device", answer.output[0])

    def test_a_kernel_of_another_version_is_not_taken(self) -> None:
        self.gain()(2.0)
        with mock.patch.object(kernel_cache, "__version__", "0.0.9"):
            result = self.gain()
            self.assertEqual((result(2.0), self.hits(result)), (4.0, 0))


if __name__ == "__main__":
    unittest.main()
