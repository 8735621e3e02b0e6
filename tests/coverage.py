"""Branch coverage of the rooms that hold the rules of the job: python -m tests.coverage, or make coverage.

Commands, workers and schedulers of clusters are processes of their own; each writes what it has covered, and all is put together
at the end. Kernels are compiled, and a compiled line is not seen to run, so they are left out.
"""

from __future__ import annotations

import sys
import tempfile
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
    *("test_grids.Keeping", "test_grids.Rendering", "test_areas", "test_light_colour", "test_distance.LampsInDepth"),
    *("test_distance.Said", "test_distance.InTheAir", "test_distance.InTheFile", "test_other_kind", "test_finder.Finder"),
    *("test_headroom", "test_colour", "test_promises"),
)
RUNS = ("test_steps", "test_many", "test_cluster", "test_cluster_client", "test_reels", "test_originals")
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
SETTINGS = """[run]
branch = true
parallel = true
sigterm = true
concurrency = thread, multiprocessing
patch = subprocess, _exit, fork
data_file = {data}
source =
    {rooms}
[report]
exclude_also =
    ^@(kernel|whole_kernel|inlined)
"""
WANTED = 95.0  # per cent of lines and branches


def main() -> int:
    with tempfile.TemporaryDirectory() as folder:
        return measured(Path(folder))


def measured(folder: Path) -> int:
    """Runs the tests and prints what they cover; what each process covers is kept in the folder meanwhile."""
    settings = folder / "settings"
    settings.write_text(SETTINGS.format(data=folder / "covered", rooms="\n    ".join(str(ROOT / room) for room in ROOMS)))
    seen = coverage.Coverage(config_file=str(settings))
    seen.start()
    names = [*(f"tests.core.{name}" for name in TESTS), *(f"tests.runs.{name}" for name in RUNS)]
    names += [f"tests.web.{name}" for name in SERVED]
    suite = unittest.defaultTestLoader.loadTestsFromNames(names)
    suite.addTests(unittest.defaultTestLoader.discover("tests/store", top_level_dir="."))
    good = unittest.TextTestRunner(verbosity=0).run(suite).wasSuccessful()
    seen.stop()
    seen.save()
    seen.combine([str(folder)])
    share = seen.report(show_missing=True, skip_covered=True, precision=1)
    print(f"{share:.1f} % of lines and branches of {', '.join(ROOMS)}; {WANTED:g} wanted")
    return 0 if good else 1


if __name__ == "__main__":
    sys.exit(main())
