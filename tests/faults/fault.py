"""A small fault in the code, and the tests that must see it."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Fault:
    """`before` stands once in the file and becomes `after`. `tests` are names as unittest takes them. A fault that no test can
    see, as it changes nothing that shows, says why in `unseen`."""

    file: str
    before: str
    after: str
    tests: tuple[str, ...]
    unseen: str = ""
