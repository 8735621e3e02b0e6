"""Runs every test, a class at a time on each processor, and ends with the plain line that counts them.

`python -m tests.run tests.browser tests.core.test_masks` runs only those.
"""

from __future__ import annotations

import io
import json
import multiprocessing
import os
import sys
import time
import unittest
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor, as_completed
from dataclasses import dataclass
from pathlib import Path

from aurelon.confined import forkserver

LONG = ("tests.workflows.", "tests.package.", "tests.browser.", "tests.runs.")
CHECKS = "tests.test_checks.Checks"
WITHOUT_BROWSER = "--without-browser"
# What a service imports, at its start or with its first picture.
SERVICE = (
    "aurelon.cli",
    "aurelon.web.server",
    "scipy.ndimage",
    "scipy.sparse.linalg",
    "scipy.sparse.csgraph",
    "scipy.fft",
    "tests.warm",
)
PATIENCE = 6.0  # seconds that a class of tests may take before a commit
TIMES = Path(__file__).resolve().parents[1] / ".stamps" / "test-times.json"


@dataclass(frozen=True)
class Outcome:
    of: str
    ran: int
    failed: frozenset[str]
    good: bool
    seconds: float
    report: str


def cases(suite: unittest.TestSuite) -> Iterator[unittest.TestCase]:
    for test in suite:
        if isinstance(test, unittest.TestSuite):
            yield from cases(test)
        else:
            yield test


def run_class(name: str) -> Outcome:
    """Runs one class of tests; a worker's job."""
    began, stream = time.monotonic(), io.StringIO()
    result = unittest.TextTestRunner(stream, verbosity=0).run(unittest.defaultTestLoader.loadTestsFromName(name))
    failed = frozenset(test.id() for test in [*(t for t, _ in result.failures + result.errors), *result.unexpectedSuccesses])
    return Outcome(name, result.testsRun, failed, result.wasSuccessful(), time.monotonic() - began, stream.getvalue())


def wanted(last: dict[str, float]) -> list[str]:
    """The classes to run, those that took longest when they were last run first; at first those that drive a browser or runs.
    Raises ImportError where a module of tests cannot be read."""
    loader = unittest.defaultTestLoader
    found = [f"{type(t).__module__}.{type(t).__qualname__}" for t in cases(loader.discover("tests", top_level_dir="."))]
    if loader.errors:
        raise ImportError("\n".join(map(str, loader.errors)))
    if names := [word for word in sys.argv[1:] if not word.startswith("-")]:
        found = [name for name in found if name.startswith(tuple(names))]
    if WITHOUT_BROWSER in sys.argv:
        # Before a commit: without what takes as long as a browser, and what took long when it was last run.
        found = [name for name in found if not name.startswith((*LONG, "tests.attack."))]
        found = [name for name in found if last.get(name, 0.0) < PATIENCE or name == CHECKS]
    return sorted(dict.fromkeys(found), key=lambda name: (-last.get(name, 0.0), not name.startswith(LONG)))


def main() -> int:
    last = json.loads(TIMES.read_text()) if TIMES.exists() else {}
    outcomes = []
    # Several processes share the processors here, so none may hold one while its threads wait for work.
    os.environ.setdefault("OMP_WAIT_POLICY", "passive")
    # Not a Pool, whose processes may have no processes of their own.
    # One more than there are processors: some tests wait for the clock, not for a processor.
    with ProcessPoolExecutor(
        (os.cpu_count() or 1) + 1, multiprocessing.get_context("spawn"), initializer=forkserver.begin, initargs=SERVICE
    ) as workers:
        # The checks need none of the tests' modules, so they run while those are read.
        begun = {CHECKS: workers.submit(run_class, CHECKS)} if set(sys.argv[1:]) <= {WITHOUT_BROWSER} else {}
        try:
            begun |= {name: workers.submit(run_class, name) for name in wanted(last) if name not in begun}
        except ImportError as error:
            print(error, file=sys.stderr)
            print("0 passed, 1 failed", flush=True)
            return 1
        for done in as_completed(begun.values()):
            outcomes.append(outcome := done.result())
            print(f"{'ok    ' if outcome.good else 'FAILED'} {outcome.seconds:6.1f} s {outcome.ran:4} in {outcome.of}", flush=True)
            if not outcome.good:
                print(outcome.report, flush=True)
    TIMES.parent.mkdir(exist_ok=True)
    TIMES.write_text(json.dumps(last | {outcome.of: outcome.seconds for outcome in outcomes}))
    failed = sum(len(outcome.failed) for outcome in outcomes)
    print(f"{sum(outcome.ran for outcome in outcomes) - failed} passed, {failed} failed", flush=True)
    return 0 if all(outcome.good for outcome in outcomes) else 1


if __name__ == "__main__":
    sys.exit(main())
