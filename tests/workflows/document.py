"""docs/jobs.md and its pictures, from the jobs that the tests play.

AURELON_DOCUMENT_JOBS=1 python -m unittest tests.workflows.test_sun (and the others), then python -m tests.workflows.document.
"""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from aurelon.core import Plate, Rig, render
from aurelon.core.imaging.screen import encode_jpeg, to_screen

DOCUMENTED = "AURELON_DOCUMENT_JOBS"
DOCS = Path(__file__).resolve().parents[2] / "docs"
JOBS = DOCS / "jobs"
COUNTS = JOBS / "counts.json"
WIDTH = 420


def document(job: str, actions: int, why: str, plate: Plate, rig: Any) -> None:
    """Keeps the picture that a job came to, how many actions it took, and why they are more than were aimed at."""
    JOBS.mkdir(exist_ok=True)
    lit = render(plate, Rig.model_validate(rig), size=(WIDTH, round(WIDTH * plate.size[1] / plate.size[0])))
    (JOBS / f"{job.replace(' ', '-')}.jpg").write_bytes(encode_jpeg(to_screen(lit, plate.space), 84))
    counts = json.loads(COUNTS.read_text()) if COUNTS.exists() else {}
    COUNTS.write_text(json.dumps({**counts, job: {"actions": actions, "why": why}}, indent=1, sort_keys=True) + "\n")


def main() -> None:
    lines = [
        "# Jobs",
        "",
        "Twenty jobs that artists do, as the tests in `tests/workflows/` play them at the screen with real input. A click, a",
        "drag, a key or a typed value counts as one action, a dropdown as two; opening a plate and exporting are not counted.",
        "",
    ]
    for job, answer in json.loads(COUNTS.read_text()).items():
        sentence = f"{answer['actions']} actions. {answer['why']}".strip()
        lines += [f"## {job[0].upper()}{job[1:]}", "", sentence, "", f"![{job}](jobs/{job.replace(' ', '-')}.jpg)", ""]
    (DOCS / "jobs.md").write_text("\n".join(lines))


if __name__ == "__main__":
    main()
