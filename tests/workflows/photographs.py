"""The jobs played on photographs that a general package ships, in place of the demo plates.

`python -m tests.workflows.photographs [NAME ...]` plays every job on each photograph (all of them where none is named), prints how
many actions it took, beside its budget, and how many of the checks that were written for the demo plate hold there too, and keeps
that for docs/jobs.md.
"""

from __future__ import annotations

import json
import sys
import tempfile
import unittest
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import skimage
from PIL import Image

from aurelon.core import open_plate
from tests.run import cases
from tests.workflows import test_lamps, test_made, test_sun
from tests.workflows.document import ON_PHOTOGRAPHS
from tests.workflows.hand import Job

PICTURES = Path(skimage.__file__).parent / "data"
NAMES = ("rocket.jpg", "coffee.png", "astronaut.png")
LONG_EDGE = 900  # pixels; the demo plates of jobs are about as large
CHECKS = ("assertEqual", "assertNotEqual", "assertAlmostEqual", "assertGreater", "assertLess")


class OnAPhotograph(Job):
    """A job on a photograph: a check that fails is counted, and the hand goes on."""

    photograph: Path
    rows: list[tuple[str, int, int, int, int]]  # title, actions, budget, checks that hold, all checks

    def setUp(self) -> None:
        super().setUp()
        self.held = self.all = 0
        for name in CHECKS:
            setattr(self, name, self.counted(getattr(self, name)))

    def counted(self, check: Callable[..., None]) -> Callable[..., None]:
        """A check that counts whether it holds."""

        def count(*arguments: Any, **how: Any) -> None:
            self.all += 1
            try:
                check(*arguments, **how)
            except AssertionError:
                return
            self.held += 1

        return count

    def on(self, name: str, file: str) -> None:
        self.title = self.photograph.stem
        buffer = self.photograph.read_bytes()
        upload: Any = {"name": self.photograph.name, "mimeType": "application/octet-stream", "buffer": buffer}
        answer = self.context.request.post(f"{self.service.url}/api/plates", multipart={"file": upload})
        self.source = open_plate(self.photograph)
        self.plate = self.go_to(answer.json()["id"])

    def behind(self, name: str) -> None:
        """What is offered under that name, or else whatever is."""
        self.rested()
        names = self.page.get_by_role("group", name="Behind").locator("button[aria-pressed]").all_inner_texts()
        if len(names) < 2:
            raise unittest.SkipTest("nothing is found there that a light could stand behind")
        super().behind(name if name in names else names[1])

    def within(self, budget: int, over: int = 0, why: str = "") -> None:
        title = (type(self).__mro__[2].__dict__[self._testMethodName].__doc__ or "").strip()
        self.rows.append((title, self.actions, budget + over, self.held, self.all))


def keep(photograph: str, title: str, actions: int, held: int, checks: int) -> None:
    """Keeps how a job went on a photograph."""
    known = json.loads(ON_PHOTOGRAPHS.read_text()) if ON_PHOTOGRAPHS.exists() else {}
    known.setdefault(title, {})[photograph] = [actions, held, checks]
    ON_PHOTOGRAPHS.write_text(json.dumps(known, indent=1, sort_keys=True) + "\n")


def played(photograph: Path) -> Iterator[str]:
    """Plays every job on a photograph; a line for each."""
    for module in (test_sun, test_lamps, test_made):
        for case in cases(unittest.defaultTestLoader.loadTestsFromModule(module)):
            of: Any = type(case)
            if of is test_made.FromNothing:  # which begins with no picture
                continue
            rows: list[tuple[str, int, int, int, int]] = []
            one = type(of.__name__, (OnAPhotograph, of), {"photograph": photograph, "rows": rows})(case.id().rsplit(".", 1)[1])
            result = unittest.TestResult()
            unittest.TestSuite([one]).run(result)
            for _, why in result.skipped:
                yield f"  not played: {why}  {case.shortDescription()}"
            for _, trace in result.errors + result.failures:
                yield f"  FAILED  {case.id()}: {trace.strip().splitlines()[-1]}"
            for title, actions, budget, held, checks in rows:
                keep(photograph.stem, title, actions, held, checks)
                yield f"  {actions:3} of {budget:3}  {held} of {checks} checks  {title}"


def main() -> int:
    bad = 0
    with tempfile.TemporaryDirectory() as folder:
        for name in sys.argv[1:] or NAMES:
            path = Path(folder) / f"{Path(name).stem.title()}.png"
            picture = Image.open(PICTURES / name).convert("RGB")
            picture.thumbnail((LONG_EDGE, LONG_EDGE))
            picture.save(path)
            print(name, flush=True)
            for line in played(path):
                bad += line.startswith("  FAILED")
                print(line, flush=True)
    return 1 if bad else 0


if __name__ == "__main__":
    sys.exit(main())
