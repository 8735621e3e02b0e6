"""A small fault in the code, and the tests that must see it. `list/` has them all, a line of JSON each, a file for each part of the
code."""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True)
class Fault:
    """`before` stands once in the file and becomes `after`. `tests` are names as unittest takes them. A fault that no test sees
    says why in `unseen`."""

    file: str
    before: str
    after: str
    tests: tuple[str, ...]
    unseen: str = ""


def faults() -> list[Fault]:
    """Every fault."""
    files = sorted(Path(__file__).with_name("list").glob("*.jsonl"))
    lines = [json.loads(line) for file in files for line in file.read_text("utf-8").splitlines()]
    return [Fault(**{**line, "tests": tuple(line["tests"])}) for line in lines]
