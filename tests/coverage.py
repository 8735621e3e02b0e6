"""Branch coverage of the rooms that hold the rules of the job: python -m tests.coverage, or make coverage.

Kernels are compiled, and a compiled line is not seen to run. Nor are workers and clients of clusters, which
are processes of their own: `tests/runs/` plays them whole.
"""

from __future__ import annotations

import sys
import unittest
from pathlib import Path

import coverage

ROOT = Path(__file__).resolve().parents[1]
ROOMS = ("aurelon/core/graph", "aurelon/core/rig", "aurelon/store", "aurelon/runs")
TESTS = (
    *(
        "test_digests",
        "test_edits",
        "test_keys",
        "test_patch",
        "test_mistakes",
        "test_applying",
        "test_copies",
        "test_parts_of_frames",
    ),
    *(
        "test_rig_and_cli",
        "test_large_plates",
        "test_opening",
        "test_viewing",
        "test_notebooks",
        "test_masks.Mattes",
        "test_passes",
    ),
    *("test_grids.Keeping", "test_grids.Rendering", "test_areas.Behind", "test_areas.FirstSettings", "test_light_colour"),
)
STEPS = ("tests.runs.test_steps", "tests.runs.test_many.Driving", "tests.runs.test_many.Keeping")
SERVED = (
    "test_masking",
    "test_choosing",
    "test_runs.Laying",
    "test_runs.Making",
    "test_runs.Standing",
    "test_runs.Refusing",
    "test_reels",
    "test_peers.LanesOfJobs",
)
WANTED = 95.0  # per cent of lines and branches


def main() -> int:
    seen = coverage.Coverage(branch=True, source=[str(ROOT / room) for room in ROOMS], data_file=None)
    seen.start()
    names = [*(f"tests.core.{name}" for name in TESTS), *STEPS, *(f"tests.web.{name}" for name in SERVED)]
    suite = unittest.defaultTestLoader.loadTestsFromNames(names)
    suite.addTests(unittest.defaultTestLoader.discover("tests/store", top_level_dir="."))
    good = unittest.TextTestRunner(verbosity=0).run(suite).wasSuccessful()
    seen.stop()
    share = seen.report(show_missing=True, skip_covered=True, precision=1)
    print(f"{share:.1f} % of lines and branches of {', '.join(ROOMS)}; {WANTED:g} wanted")
    return 0 if good else 1


if __name__ == "__main__":
    sys.exit(main())
