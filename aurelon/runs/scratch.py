"""Folders for what lasts no longer than a process."""

from __future__ import annotations

import os
import re
import shutil
import tempfile
from pathlib import Path

import psutil

NAME = re.compile(r"aurelon-(?:jobs|run)-(\d+)-")


def scratch_folder(kind: str) -> Path:
    """A new folder of this process. What processes that are gone left behind, and only that, is removed."""
    for left in Path(tempfile.gettempdir()).glob("aurelon-*"):
        found = NAME.match(left.name)
        if found is not None and not psutil.pid_exists(int(found[1])):
            shutil.rmtree(left, ignore_errors=True)  # of another person, perhaps
    return Path(tempfile.mkdtemp(prefix=f"aurelon-{kind}-{os.getpid()}-"))
