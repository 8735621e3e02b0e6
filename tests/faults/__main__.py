"""python -m tests.faults, or make faults: every fault, and those that no test sees. `--tenth` takes a tenth of them, chosen by the
day; words take those in files of such a name."""

from __future__ import annotations

import datetime
import sys
import time

from tests.faults.fault import Fault, faults
from tests.faults.runner import verdicts

LEAST = 0.9  # share that is to be seen, of those that change something that shows
NO_FAULT = ("aurelon/__init__.py", "__version__ = ", "__version__ = ")
GAP = "no test sees it yet"


def tenth(of: list[Fault], day: int) -> list[Fault]:
    """Every tenth, from another one on each day."""
    return of[day % 10 :: 10]


def main() -> int:
    began, chosen = time.monotonic(), faults()
    words = [word for word in sys.argv[1:] if not word.startswith("-")]
    if words:
        chosen = [fault for fault in chosen if any(word in fault.file for word in words)]
    if "--tenth" in sys.argv:
        chosen = tenth(chosen, datetime.date.today().toordinal())
    else:
        # Tests that fail without any fault would see every one. Before a commit they were just run.
        names = sorted({name for fault in chosen for name in fault.tests})
        failing = [v.fault.tests[0] for v in verdicts(Fault(*NO_FAULT, (name,)) for name in names) if v.seen]
        if failing:
            print(f"these fail without a fault; mend them first: {', '.join(failing)}")
            return 1
    seen, equal, missed = 0, 0, []
    for verdict in verdicts(chosen):
        fault = verdict.fault
        if verdict.seen:
            seen += 1
            if fault.unseen:
                print(f"seen after all   {fault.file}: {fault.before}", flush=True)
            continue
        equal += fault.unseen not in ("", GAP)
        missed.append(fault)
        print(f"unseen {verdict.seconds:5.1f} s   {fault.file}: {fault.before}  ->  {fault.after}   {fault.unseen}", flush=True)
    of_note = len(chosen) - equal
    new = [fault for fault in missed if not fault.unseen]
    share = seen / max(of_note, 1)
    print(
        f"{len(chosen)} faults: {seen} seen, {len(missed)} unseen, {equal} of them by their nature; "
        f"{share:.0%} of those that show, in {time.monotonic() - began:.0f} s"
    )
    return 1 if new or share < LEAST else 0


if __name__ == "__main__":
    sys.exit(main())
