"""docs/jobs.md and its pictures, from the jobs that the tests play.

AURELON_DOCUMENT_JOBS=1 python -m unittest tests.workflows.test_sun (and the others), then python -m tests.workflows.document.
"""

from __future__ import annotations

import json
import re
from itertools import groupby
from pathlib import Path
from typing import Any, NamedTuple

from aurelon.core import Plate, Rig, render
from aurelon.core.imaging.screen import encode_jpeg, to_screen

DOCUMENTED = "AURELON_DOCUMENT_JOBS"
DOCS = Path(__file__).resolve().parents[2] / "docs"
JOBS = DOCS / "jobs"
PLAYED = JOBS / "played.json"
ON_PHOTOGRAPHS = JOBS / "photographs.json"
WIDTH = 420
FILES = ("sun", "lamps", "made")  # of the tests, in the order in which artists work


class Played(NamedTuple):
    """A job as it was played: what a person calls it, the actions, why they are more than were aimed at, each step in words, and
    its place in its file."""

    title: str
    actions: int
    why: str
    steps: list[str]
    line: int


def _picture(title: str) -> str:
    return re.sub("[^a-z]+", "-", title.lower()).strip("-")


def document(file: str, job: Played, plate: Plate, rig: Any) -> None:
    """Keeps a job of a file of tests, and the picture that it came to."""
    JOBS.mkdir(exist_ok=True)
    lit = render(plate, Rig.model_validate(rig), size=(WIDTH, round(WIDTH * plate.size[1] / plate.size[0])))
    (JOBS / f"{_picture(job.title)}.jpg").write_bytes(encode_jpeg(to_screen(lit, plate.space), 84))
    known = json.loads(PLAYED.read_text()) if PLAYED.exists() else {}
    PLAYED.write_text(json.dumps({**known, job.title: {"file": file, **job._asdict()}}, indent=1, sort_keys=True) + "\n")


def main() -> None:
    lines = [
        "# Jobs",
        "",
        "Twenty jobs that artists do, as the tests in `tests/workflows/` play them at the screen with real input. A click, a",
        "drag, a key or a typed value counts as one action, a dropdown as two; opening a plate and exporting are not counted.",
        "",
    ]
    jobs = sorted(json.loads(PLAYED.read_text()).values(), key=lambda job: (FILES.index(job["file"]), job["line"]))
    lines += [f"{sum(job['actions'] for job in jobs)} actions in all.", ""]
    for job in jobs:
        lines += [f"## {job['title']}", "", f"{job['actions']} actions. {job['why']}".strip(), ""]
        for step, times in ((step, len(list(same))) for step, same in groupby(job["steps"])):
            lines.append(f"1. {step}" if times == 1 else f"1. {step[:-1]}, {times} times.")
        lines += ["", f"![{job['title']}](jobs/{_picture(job['title'])}.jpg)", ""]
    if ON_PHOTOGRAPHS.exists():
        lines += on_photographs(json.loads(ON_PHOTOGRAPHS.read_text()), [job["title"] for job in jobs])
    (DOCS / "jobs.md").write_text("\n".join(lines))


def on_photographs(found: dict[str, dict[str, list[int]]], titles: list[str]) -> list[str]:
    """The part on photographs: actions, and how many checks that were written for the demo plate hold."""
    names = sorted({name for one in found.values() for name in one})
    lines = [
        "## On photographs",
        "",
        "The same hand on photographs that the package scikit-image ships (`python -m tests.workflows.photographs`): actions, and",
        "how many of the checks that were written for the demo plate hold there too. Where the demo plate has a matte, what is",
        "found in the photograph stands in for it. A scene from nothing has no photograph.",
        "",
        f"| job | {' | '.join(names)} |",
        f"|---|{'---|' * len(names)}",
    ]
    for title in titles:
        if title in found:
            cells = (found[title].get(name) for name in names)
            lines.append(f"| {title} | {' | '.join(f'{c[0]}; {c[1]} of {c[2]}' if c else '' for c in cells)} |")
    return [*lines, ""]


if __name__ == "__main__":
    main()
