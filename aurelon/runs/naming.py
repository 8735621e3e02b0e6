"""The names of files that a run reads and writes."""

from __future__ import annotations

import string
from collections.abc import Iterable, Mapping, Sequence
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
        raise OutputError(f"'{pattern}' is not a file pattern ({error}); use one such as out/{{name}}.jpg") from error
    if unknown := used - FIELDS.keys():
        known = ", ".join(f"{{{name}}}" for name in FIELDS)
        raise OutputError(f"'{pattern}' names {{{min(unknown)}}}, which is not known; there are {known}")
    if not used & {"name", "number"}:
        raise OutputError(f"'{pattern}' gives every picture the same name; use one such as out/{{name}}.jpg")
    parts = Path(pattern).parts
    fixed = next((i for i, part in enumerate(parts) if "{" in part), len(parts) - 1)
    return Path(*parts[:fixed])


def outputs_for(pattern: str, plates: Sequence[Path]) -> list[Path]:
    """The file for each plate. Raises OutputError where two have the same."""
    outs = [output_for(pattern, plate, number) for number, plate in enumerate(plates, start=1)]
    sources = Sources()
    for out, plate in zip(outs, plates, strict=True):
        sources.claim(out, plate)
    return outs


class Sources:
    """Which plate each output is made of: one output has one plate."""

    def __init__(self) -> None:
        self._of: dict[Path, Path] = {}

    def claim(self, out: Path, plate: Path) -> None:
        """Raises OutputError where the output is another plate's."""
        other = self._of.setdefault(out.resolve(), plate)
        if other != plate:
            raise OutputError(f"{other} and {plate} would both become {out}; use {{number}} or {{folder}} in the name")


def refuse_inputs(outs: Iterable[Path], inputs: Mapping[Path, str], *, over: bool) -> None:
    """Raises OutputError where an output would take the place of an input, also by another name of the same file, unless it may
    write `over` it. `inputs` says what each is."""
    if over:
        return
    files = {identity(path): (path, what) for path, what in inputs.items()}
    for out in outs:
        found = files.get(identity(out))
        if found is not None:
            path, what = found
            raise OutputError(
                f"{out} is {what}{'' if out == path else f', {path}'}, and would be lost; choose another name, or name it again "
                f"with --over"
            )


def identity(path: Path) -> object:
    """The same for two names of one file, be it by links."""
    try:
        stat = path.stat()
    except OSError:
        return path.resolve() if not path.is_symlink() else path.absolute()
    return stat.st_dev, stat.st_ino


def over_of(out: str, again: str | None) -> bool:
    """Whether an output was named again, so that it may write over what is there. Raises OutputError where another was named."""
    if again is not None and again != out:
        raise OutputError(f"--over names {again} and the output is {out}; name the same again, or leave --over out")
    return again is not None


def output_for(pattern: str, plate: Path, number: int) -> Path:
    try:
        return Path(pattern.format(name=plate.stem, number=number, folder=plate.resolve().parent.name))
    except (ValueError, IndexError, KeyError) as error:
        raise OutputError(f"'{pattern}' is not a file pattern ({error}); use one such as out/{{name}}.jpg") from error
