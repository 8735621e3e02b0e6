"""Runs every test and ends with the plain line that counts them."""

from __future__ import annotations

import sys
import time
import unittest
from typing import ClassVar

SLOWEST = 8


class Timed(unittest.TextTestResult):
    """Tells which tests take long; none is judged by it."""

    taken: ClassVar[list[tuple[float, str]]] = []

    def startTest(self, test: unittest.TestCase) -> None:
        self._begun = time.monotonic()
        super().startTest(test)

    def stopTest(self, test: unittest.TestCase) -> None:
        self.taken.append((time.monotonic() - self._begun, test.id()))
        super().stopTest(test)


def main() -> int:
    suite = unittest.defaultTestLoader.discover("tests", top_level_dir=".")
    result = unittest.TextTestRunner(verbosity=1, buffer=False, resultclass=Timed).run(suite)
    sys.stderr.flush()
    for seconds, name in sorted(Timed.taken, reverse=True)[:SLOWEST]:
        print(f"{seconds:6.1f} s  {name}")
    failed = len({test.id() for test, _ in result.failures + result.errors}) + len(result.unexpectedSuccesses)
    print(f"{result.testsRun - failed} passed, {failed} failed", flush=True)
    return 0 if result.wasSuccessful() else 1


if __name__ == "__main__":
    sys.exit(main())
