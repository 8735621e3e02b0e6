"""Runs every test and ends with the plain line that counts them."""

from __future__ import annotations

import sys
import unittest


def main() -> int:
    suite = unittest.defaultTestLoader.discover("tests", top_level_dir=".")
    result = unittest.TextTestRunner(verbosity=1, buffer=False).run(suite)
    failed = len({test.id() for test, _ in result.failures + result.errors}) + len(result.unexpectedSuccesses)
    print(f"{result.testsRun - failed} passed, {failed} failed", flush=True)
    return 0 if result.wasSuccessful() else 1


if __name__ == "__main__":
    sys.exit(main())
