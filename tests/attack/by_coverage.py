"""Files that are bred by what of the readers they reach (libFuzzer, through atheris): what reaches new code is kept and damaged
further. Aurelon's own readers of headers, profiles and notes are followed, and those of tifffile.
"""

from __future__ import annotations

import importlib
import pkgutil
import re
import subprocess
import sys
import tempfile
import warnings
from pathlib import Path
from types import FunctionType, ModuleType
from typing import NamedTuple

import tifffile

import aurelon.core.codecs as formats
import aurelon.core.codecs.shared as shared
from aurelon.core import AurelonError, read_plate
from aurelon.core.imaging import icc
from tests.attack.damaged import wholes

ROOT = Path(__file__).resolve().parents[2]
LONGEST = 40_000  # bytes of a file
SLOW = 5  # s
MEMORY = 4096  # MB
NAME = "bred"


class Report(NamedTuple):
    """How many files were bred, how many places of the readers they reached, and how it ended where it broke off."""

    files: int
    reached: int
    fault: str


def campaign(count: int, seed: int = 1) -> Report:
    """Breeds so many files in a process of its own, which ends at the first that is neither read nor refused by a sentence."""
    with tempfile.TemporaryDirectory() as folder:
        command = [sys.executable, "-m", "tests.attack.by_coverage", "breed", folder, str(count), str(seed)]
        ended = subprocess.run(command, cwd=ROOT, capture_output=True, text=True, errors="replace")
        report = ended.stderr
        done = re.findall(r"^#(\d+)\s.*?cov: (\d+)", report, re.M)
        files, reached = (int(number) for number in done[-1]) if done else (0, 0)
        fault = "" if ended.returncode == 0 else f"ended with {ended.returncode}: {report[-1500:]}"
        for left in Path(folder).glob("bad-*"):
            fault += f"\n{left.name}: {left.read_bytes()[:200]!r}"
        return Report(files, reached, fault)


def followed() -> list[ModuleType]:
    """The modules whose functions are followed."""
    names = [
        f"{package.__name__}.{found.name}" for package in (formats, shared) for found in pkgutil.iter_modules(package.__path__)
    ]
    return [formats, icc, tifffile.tifffile, *(importlib.import_module(name) for name in names)]


def breed(folder: Path, count: int, seed: int) -> None:
    import atheris

    for module in followed():
        for value in list(vars(module).values()):
            for function in [value] if isinstance(value, FunctionType) else vars(value).values() if isinstance(value, type) else []:
                # In place, so that kernels, which are compiled from what they are, stay as they are.
                if isinstance(function, FunctionType) and function.__module__ == module.__name__:
                    atheris.instrument_func(function)
    warnings.simplefilter("ignore")
    begin = folder / "begin"
    begin.mkdir()
    for whole in wholes():
        if len(whole.data) <= LONGEST:
            (begin / whole.name).write_bytes(whole.data)

    def one(data: bytes) -> None:
        try:
            plate = read_plate(data, NAME)
        except AurelonError as error:
            if NAME not in str(error):
                raise AssertionError(f"refused without its name: {error}") from error
            return
        if not plate.pixels.min() >= 0:  # nor where it is no number
            raise AssertionError("gave pixels that are negative or no numbers")

    limits = [f"-max_len={LONGEST}", f"-timeout={SLOW}", f"-rss_limit_mb={MEMORY}", f"-artifact_prefix={folder}/bad-"]
    atheris.Setup([sys.argv[0], f"-runs={count}", f"-seed={seed}", "-close_fd_mask=1", *limits, str(begin)], one)
    atheris.Fuzz()


def main() -> int:
    if sys.argv[1:2] == ["breed"]:
        breed(Path(sys.argv[2]), int(sys.argv[3]), int(sys.argv[4]))
        return 0
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 50_000
    report = campaign(count)
    print(report.fault or f"{report.files} files bred by coverage: {report.reached} places reached, no fault")
    return 1 if report.fault else 0


if __name__ == "__main__":
    sys.exit(main())
