"""A reel lit on the command line: as one file of moving pictures, made of segments, or frame by frame as numbered stills."""

from __future__ import annotations

import shutil
import time
from contextlib import closing
from dataclasses import dataclass, replace
from pathlib import Path

from aurelon.core import OutputError, Reel, open_reel
from aurelon.core.export import USUAL, format_for
from aurelon.core.export.reels import ReelExport, check_reel, join_reel, mattes_of_another, notes_of, options_for_reel, spans_of
from aurelon.core.reels.stills import Stills, is_pattern
from aurelon.core.reels.writers import reel_format_of_path
from aurelon.runs.command import RunOptions, have_made, inputs_of, say, summary
from aurelon.runs.contents import Contents
from aurelon.runs.driver import Item
from aurelon.runs.folder import Folder
from aurelon.runs.naming import identity, refuse_inputs
from aurelon.runs.tasks import Task, path_export

USUAL_STILL = "%04d.png"


@dataclass(frozen=True)
class ReelRun:
    """`options.pattern` is not read: `out` is a file of moving pictures, a folder, or a pattern of numbered names. `frames` are
    those from the first up to, without, the second."""

    source: Path
    out: Path
    frames: tuple[int, int | None]
    options: RunOptions

    @property
    def read(self) -> list[Path]:
        """The files that the frames are read from."""
        if self.source.is_file():
            return [self.source]
        folder = self.source if self.source.is_dir() else self.source.parent
        return [path for path in folder.iterdir() if path.is_file()]


def render_reel(wanted: ReelRun) -> int:
    """0 when everything is there, 2 when not. Raises AurelonError where nothing can be begun."""
    started = time.monotonic()
    with closing(Contents()) as contents, closing(_opened(wanted.source, contents)) as reel:
        for sentence in (*reel.notices, *wanted.options.rig.notices):
            say(sentence)
        first, last = wanted.frames[0], wanted.frames[1] if wanted.frames[1] is not None else len(reel)
        if not 0 <= first < last <= len(reel):
            raise OutputError(f"{reel.name} has the frames 0 to {len(reel) - 1}; choose --frames among them, such as 0:{len(reel)}")
        rig = contents.put(wanted.options.rig.model_dump_json().encode())
        if reel_format_of_path(wanted.out) is not None and not is_pattern(wanted.out.name):
            return _as_one_file(reel, wanted, (first, last), rig, contents, started)
        return _as_stills(reel, wanted, (first, last), rig, contents, started)


def _opened(source: Path, contents: Contents) -> Reel:
    """The reel, with its one file among the contents: stills are packed into one."""
    reel = open_reel(source)
    if reel.opened is not None:
        contents.hold(source, reel.key)
        return reel
    assert isinstance(reel.footage, Stills)
    folder = source if source.is_dir() else source.parent
    packed = contents.pack([folder / name for name in reel.footage.names])
    opened = open_reel(contents.path(packed))
    opened.name = reel.name
    return opened


def _as_one_file(reel: Reel, wanted: ReelRun, frames: tuple[int, int], rig: str, contents: Contents, started: float) -> int:
    options, out = wanted.options, wanted.out
    refuse_inputs([out], inputs_of([wanted.source], options), over=options.over)
    if options.target != USUAL:
        raise OutputError(f"{out.name} cannot hold {options.target}; have frames written, such as 'out/%04d.exr'")
    if not out.parent.is_dir():
        raise OutputError(f"{out} cannot be written: the folder {out.parent} does not exist; make it first")
    chosen = {name: value for name, value in options.chosen.items() if name in ReelExport.model_fields}
    export = options_for_reel(out, reel, **chosen, first=frames[0], last=frames[1])
    check_reel(reel, options.rig, export)
    for note in notes_of(reel, options.rig, export):
        say(note)
    work = out.with_name(f".aurelon-{out.name}.segments")
    with closing(Folder(work, resume=options.resume)) as folder:
        items = [
            Item(
                Task(reel.name, reel.key, rig, export=export.model_dump_json(), frames=span), _pixels(reel), work / f"{span[0]:06d}"
            )
            for span in spans_of(reel, export)
        ]
        todo = [item for item in items if not folder.holds(item.mark, item.task.key)]
        skipped = len(items) - len(todo)
        result, failed, stopped = have_made(todo, skipped, options, contents, folder, "segment")
        if result + skipped < len(items):
            say(summary(result, skipped, failed, len(items) - result - skipped - failed, time.monotonic() - started, "segment"))
            if stopped:
                say("what is made stays; the same command with --resume goes on from there")
            return 2
        part = work / "joined"
        try:
            with part.open("w+b") as file:
                join_reel(reel, options.rig, export, (item.mark.read_bytes() for item in items), file)
            part.replace(out)
        except OSError as error:
            raise OutputError(f"{out} cannot be written: {error.strerror}; make room or mend the folder, then --resume") from error
    shutil.rmtree(work, ignore_errors=True)
    say(summary(frames[1] - frames[0], 0, 0, 0, time.monotonic() - started, "frame"))
    return 0


def _as_stills(reel: Reel, wanted: ReelRun, frames: tuple[int, int], rig: str, contents: Contents, started: float) -> int:
    options, out = wanted.options, wanted.out
    pattern = out if is_pattern(out.name) else out / USUAL_STILL
    format_for(options.target, pattern)
    for note in mattes_of_another(reel, options.rig):
        say(note)
    outs = [pattern.with_name(pattern.name % reel.footage.numbers[number]) for number in range(*frames)]
    refuse_inputs(outs, inputs_of(wanted.read, options), over=options.over)
    if wanted.source.is_dir() and identity(wanted.source) == identity(pattern.parent):
        raise OutputError(f"{pattern.parent} is where the frames are read from; choose another folder for what is made")
    with closing(Folder(pattern.parent, resume=options.resume)) as folder:
        if not options.over:
            folder.refuse_others(outs)
        export = path_export(pattern.suffix, options.chosen, target=options.target)
        task = Task(reel.name, reel.key, rig, export=export)
        items = [
            Item(replace(task, frames=(number, number + 1)), _pixels(reel), out)
            for number, out in zip(range(*frames), outs, strict=True)
        ]
        todo = [item for item in items if not folder.holds(item.mark, item.task.key)]
        skipped = len(items) - len(todo)
        result, failed, stopped = have_made(todo, skipped, options, contents, folder, "frame")
    missing = len(items) - result - skipped
    say(summary(result, skipped, failed, missing - failed, time.monotonic() - started, "frame"))
    if stopped and missing:
        say("what is made stays; the same command with --resume goes on from there")
    return 2 if missing else 0


def _pixels(reel: Reel) -> int:
    return reel.size[0] * reel.size[1]
