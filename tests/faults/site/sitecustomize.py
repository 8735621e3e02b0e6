"""Puts a small fault into one file of the code as it is imported, where AURELON_FAULT names one; the file itself stays as it is."""

from __future__ import annotations

import json
import os
from importlib.machinery import SourceFileLoader
from pathlib import Path

FAULT = os.environ.get("AURELON_FAULT")


def install(path: str, before: str, after: str) -> None:
    """From now on a module of that path is imported with the text `after` in place of `before`."""
    get_code = SourceFileLoader.get_code

    def faulty(self, fullname):  # type: ignore[no-untyped-def]
        if self.path != path:
            return get_code(self, fullname)
        text = Path(path).read_text("utf-8")
        if text.count(before) != 1:
            raise SystemExit(f"the text of the fault is {text.count(before)} times in {path}")
        return compile(text.replace(before, after), path, "exec", dont_inherit=True)

    SourceFileLoader.get_code = faulty  # type: ignore[method-assign]


if FAULT:
    install(**json.loads(FAULT))
