"""The names of files that a run reads and writes."""

from __future__ import annotations

import string
from collections.abc import Iterable, Sequence
from pathlib import Path

from aurelon.core import OutputError, PlateError
from aurelon.core.codecs import suffixes

FIELDS = {"name": "the plate's name without its ending", "number": "its place in the run, from 1", "folder": "the folder it is in"}


def plates_in(given: Iterable[Path]) -> list[Path]:
    """The picture files that are meant: each as it stands, and of a folder all that it holds, by name. Raises PlateError for what
    is not there."""
    known = suffixes()
    found: list[Path] = []
    for path in given:
        if path.is_dir():
            inside = sorted(p for p in path.iterdir() if p.suffix.lower() in known and not p.name.startswith("."))
            if not inside:
                raise PlateError(f"{path} holds no picture that Aurelon reads")
            found += inside
        elif path.exists():
            found.append(path)
        else:
            raise PlateError(f"{path} does not exist")
    return found


def check_pattern(pattern: str) -> Path:
    """The folder that all files of an output pattern lie in. Raises OutputError for a pattern that says nothing of use."""
    try:
        used = {name for _, name, _, _ in string.Formatter().parse(pattern) if name is not None}
    except ValueError as error:
        raise OutputError(f"'{pattern}' is no pattern for files ({error}); use one such as out/{{name}}.jpg") from error
    if unknown := used - FIELDS.keys():
        known = ", ".join(f"{{{name}}}" for name in FIELDS)
        raise OutputError(f"'{pattern}' names {{{min(unknown)}}}, which is not known; there are {known}")
    if not used & {"name", "number"}:
        raise OutputError(f"'{pattern}' gives every picture the same name; use one such as out/{{name}}.jpg")
    parts = Path(pattern).parts
    fixed = next((i for i, part in enumerate(parts) if "{" in part), len(parts) - 1)
    return Path(*parts[:fixed])


def outputs_for(pattern: str, plates: Sequence[Path]) -> list[Path]:
    """The file for each plate. Raises OutputError where two have the same, or one would take the place of a plate."""
    made: dict[Path, Path] = {}
    sources = {plate.resolve() for plate in plates}
    for number, plate in enumerate(plates, start=1):
        out = output_for(pattern, plate, number)
        if out.resolve() in sources:
            raise OutputError(f"{out} is one of the plates; choose another folder or name for what is made")
        if out in made:
            raise OutputError(f"{made[out]} and {plate} would both become {out}; use {{number}} or {{folder}} in the name")
        made[out] = plate
    return list(made)


def output_for(pattern: str, plate: Path, number: int) -> Path:
    try:
        return Path(pattern.format(name=plate.stem, number=number, folder=plate.resolve().parent.name))
    except (ValueError, IndexError, KeyError) as error:
        raise OutputError(f"'{pattern}' is no pattern for files ({error}); use one such as out/{{name}}.jpg") from error
