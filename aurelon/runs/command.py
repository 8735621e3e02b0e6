"""Runs as the command line has them made: many plates, or a folder that is watched."""

from __future__ import annotations

import signal
import sys
import threading
import time
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import closing, contextmanager, suppress
from dataclasses import dataclass, field
from pathlib import Path
from types import FrameType
from typing import Any

from tqdm import tqdm

from aurelon.core import AurelonError, OutputError, PlateError, Rig
from aurelon.core.codecs import measured
from aurelon.core.export import USUAL, format_for
from aurelon.runs.contents import Contents
from aurelon.runs.driver import Item, drive
from aurelon.runs.engines import Engine
from aurelon.runs.engines.choosing import engine_for
from aurelon.runs.engines.clusters import ClusterAddress
from aurelon.runs.folder import Folder, FolderKeeping
from aurelon.runs.naming import Sources, check_pattern, identity, output_for, outputs_for, plates_in, refuse_inputs
from aurelon.runs.room import room_for
from aurelon.runs.tasks import Placing, Task, path_export
from aurelon.runs.watching import Arrivals

WATCHED_PIXELS = 50_000_000  # of the largest picture that a watched folder is expected to get
Say = Callable[[str], None]


@dataclass(frozen=True)
class RunOptions:
    """What a run is to make. `chosen` are options of the export `target`; `workers` and `threads` are found where they are None.
    With `over` it may write over files that are there; `rig_files` are those that the rig was read from."""

    rig: Rig
    pattern: str
    placing: Placing = "rig"
    target: str = USUAL
    chosen: dict[str, Any] = field(default_factory=dict)
    resume: bool = False
    workers: int | None = None
    threads: int | None = None
    cluster: ClusterAddress | None = None
    over: bool = False
    rig_files: tuple[Path, ...] = ()


def say(line: str) -> None:
    tqdm.write(" ".join(line.split()), file=sys.stderr)


def run_many(given: Sequence[Path], options: RunOptions) -> int:
    """Makes the picture of every plate. 0 when every one is there, 2 when not. Raises AurelonError where nothing can be begun."""
    fixed = _checked(options)
    plates = plates_in(given)
    outs = outputs_for(options.pattern, plates)
    refuse_inputs(outs, inputs_of(plates, options), over=options.over)
    started = time.monotonic()
    with closing(Contents()) as contents, closing(Folder(fixed, resume=options.resume)) as folder:
        if not options.over:
            folder.refuse_others(outs)
        rig = contents.put(options.rig.model_dump_json().encode())
        items, unread = _items(plates, outs, rig, options, contents)
        for why in unread:
            say(why)
        todo = [item for item in items if not folder.holds(item.mark, item.task.key)]
        skipped = len(items) - len(todo)
        result, failed, stopped = have_made(todo, skipped, options, contents, folder)
        failed += len(unread)
    missing = len(plates) - result - skipped
    say(summary(result, skipped, failed, missing - failed, time.monotonic() - started))
    if stopped and missing:
        say("what is made stays; the same command with --resume goes on from there")
    return 2 if missing else 0


def have_made(
    todo: Sequence[Item], skipped: int, options: RunOptions, contents: Contents, folder: Folder, unit: str = "picture"
) -> tuple[int, int, bool]:
    """Has items made and kept in a folder, with a line of progress: how many were, how many failed, and whether it was stopped."""
    if not todo:
        return 0, 0, False
    engine = _engine(options, max(item.pixels for item in todo), len(todo))
    with closing_on_error(engine):
        engine.ready(None)
    there = f"; {skipped} of {len(todo) + skipped} are there already" if skipped else ""
    say(f"{counted(len(todo), unit)}, {engine.says}{there}")
    stopped = False
    with closing(engine), tqdm(total=len(todo), unit=unit, disable=None, file=sys.stderr) as bar:

        def report(item: Item, succeeded: bool, sentence: str | None) -> None:
            if sentence is not None:
                say(sentence)
            bar.update()

        keeping = FolderKeeping(folder, report)
        try:
            drive(todo, engine, contents, keeping, lambda: "go")
        except KeyboardInterrupt:
            stopped = True
        except AurelonError as error:
            stopped = True
            say(str(error))
    return keeping.result, len(keeping.failed), stopped


def run_watching(source: Path, options: RunOptions) -> int:
    """Makes the picture of every plate that arrives in a folder, each once, until it is stopped by Ctrl-C."""
    fixed = _checked(options)
    if not source.is_dir():
        raise PlateError(f"{source} is not a folder that can be watched")
    # Every file of the folder has the same output folder: no name that may come changes it.
    into = output_for(options.pattern, source / "any", 1).parent
    if identity(into) == identity(source) or fixed.resolve() == source.resolve():
        raise OutputError(f"{into} cannot be watched and written to at once; choose another folder for the output")
    with closing(Contents()) as contents, closing(Folder(fixed, resume=True)) as folder:
        rig = contents.put(options.rig.model_dump_json().encode())
        engine = _engine(options, WATCHED_PIXELS, 1 << 20)
        with closing(engine):
            say(f"watching {source}, {engine.says}; Ctrl-C ends it")

            def report(item: Item, succeeded: bool, sentence: str | None) -> None:
                if succeeded:
                    say(f"{item.task.name} -> {item.mark}")
                if sentence is not None:
                    say(sentence)

            keeping = FolderKeeping(folder, report)

            coming = _arriving(source, options, rig, folder, keeping, contents)
            with interrupts() as stopped, suppress(KeyboardInterrupt):
                drive(coming, engine, contents, keeping, lambda: "stop" if stopped.is_set() else "go")
    say(f"{counted(keeping.result)} made" + (f", {len(keeping.failed)} failed" if keeping.failed else ""))
    return 2 if keeping.failed else 0


def _arriving(
    source: Path, options: RunOptions, rig: str, folder: Folder, keeping: FolderKeeping, contents: Contents
) -> Iterator[Item | None]:
    """A picture of the run for each plate that arrives in a folder; None after each look in vain."""
    number, sources, watched = 0, Sources(), Arrivals(source)
    for path in watched:
        for trouble in watched.take_troubles():
            say(trouble)
        if path is None:
            yield None
            continue
        number += 1
        out = output_for(options.pattern, path, number)
        try:
            sources.claim(out, path)
            refuse_inputs([out], inputs_of([path], options), over=options.over)
            if not options.over:
                folder.refuse_others([out])
            items, unread = _items([path], [out], rig, options, contents)
        except OutputError as error:  # of this one; the watch goes on
            items, unread = [], [str(error)]
        keeping.failed += unread
        for sentence in unread:
            say(sentence)
        yield from (item for item in items if not folder.holds(out, item.task.key))


@contextmanager
def interrupts() -> Iterator[threading.Event]:
    """Set by the first Ctrl-C, which only asks the program to end: an interrupt that is raised wherever it happens to be can be
    lost there. The second ends it wherever it is."""
    stopped = threading.Event()

    def stop(number: int, frame: FrameType | None) -> None:
        stopped.set()
        signal.signal(signal.SIGINT, before)

    before = signal.signal(signal.SIGINT, stop)
    try:
        yield stopped
    finally:
        signal.signal(signal.SIGINT, before)


@contextmanager
def closing_on_error(engine: Engine) -> Iterator[None]:
    """Closes an engine that cannot be used."""
    try:
        yield
    except BaseException:
        engine.close()
        raise


def inputs_of(plates: Iterable[Path], options: RunOptions) -> dict[Path, str]:
    """What a run reads, and what each is."""
    return {**dict.fromkeys(plates, "one of the plates"), **dict.fromkeys(options.rig_files, "the rig")}


def _engine(options: RunOptions, pixels: int, tasks: int) -> Engine:
    return engine_for(options.cluster, room_for(pixels, tasks, options.workers, options.threads))


def _checked(options: RunOptions) -> Path:
    """The folder of the outputs. Raises OutputError for a pattern or an ending that cannot be written."""
    fixed = check_pattern(options.pattern)
    ending = Path(options.pattern)
    format_for(options.target, ending)
    for notice in options.rig.notices:
        say(notice)
    return fixed


def _items(
    plates: Sequence[Path], outs: Iterable[Path], rig: str, options: RunOptions, contents: Contents
) -> tuple[list[Item], list[str]]:
    """A picture of the run for each plate, and why others cannot be: one that cannot be read is named, and the rest is done."""
    items, unread = [], []
    for plate, out in zip(plates, outs, strict=True):
        try:
            name, data = contents.take(plate)
            width, height = measured(data, plate.name)
        except PlateError as error:
            unread.append(str(error))
            continue
        export = path_export(out.suffix, options.chosen, target=options.target)
        items.append(Item(Task(plate.name, name, rig, placing=options.placing, export=export), width * height, out))
    return items, unread


def counted(count: int, unit: str = "picture") -> str:
    return f"1 {unit}" if count == 1 else f"{count} {unit}s"


def summary(result: int, skipped: int, failed: int, undone: int, seconds: float, unit: str = "picture") -> str:
    parts = [f"{counted(result, unit)} made"]
    parts += [f"{skipped} there already"] if skipped else []
    parts += [f"{failed} failed"] if failed else []
    parts += [f"{undone} not begun"] if undone > 0 else []
    minutes, rest = divmod(round(seconds), 60)
    return f"{', '.join(parts)}, in {f'{minutes} min ' if minutes else ''}{rest} s"
