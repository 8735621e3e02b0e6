"""The steps of a run, one by one and without a worker: tries, strips, half files, arrivals, names and room."""

from __future__ import annotations

import tempfile
import unittest
from collections import deque
from collections.abc import Iterator
from concurrent.futures import Future
from pathlib import Path
from types import SimpleNamespace
from typing import Any, cast
from unittest import mock

import numpy as np

from aurelon.core import OutputError
from aurelon.core.codecs.shared.raster import Raster
from aurelon.core.export.picture import PictureExport
from aurelon.runs import driver, room
from aurelon.runs.contents import Contents
from aurelon.runs.driver import LARGE, TRIES, Item, drive
from aurelon.runs.folder import BEGINNING, ENDING, RECORD, Folder, FolderKeeping
from aurelon.runs.naming import Sources, outputs_for, plates_in, refuse_inputs
from aurelon.runs.tasks import Outcome, Strip, Task, WorkerLost, path_export
from aurelon.runs.watching import RESTED, Arrivals

NOTHING = cast(Contents, None)
OPTIONS = PictureExport(format="png", depth="8").model_dump_json()


class ByHand:
    """An engine whose tasks end when the test says so; `workers` may change."""

    says, room = "by hand", 8

    def __init__(self, workers: int = 1) -> None:
        self.workers = workers
        self.given: deque[tuple[Task, Future[Outcome]]] = deque()

    def ready(self, timeout: float | None) -> bool:
        return True

    def submit(self, task: Task, contents: Contents) -> Future[Outcome]:
        future: Future[Outcome] = Future()
        self.given.append((task, future))
        return future

    def close(self) -> None:
        pass


class Kept:
    """What became of items."""

    def __init__(self) -> None:
        self.made: list[Outcome] = []
        self.failed: list[str] = []

    def started(self, item: Item) -> None:
        pass

    def keep(self, item: Item, result: Outcome) -> None:
        self.made.append(result)

    def fail(self, item: Item, why: str) -> None:
        self.failed.append(why)


def strip_of(number: int, value: int) -> Outcome:
    return Outcome(strip=Strip(Raster(np.full((1, 2, 3), value, np.uint8)), OPTIONS), suffix=f"{number}")


class Tries(unittest.TestCase):
    def setUp(self) -> None:
        # The strips that a picture was made of, in place of the picture.
        self.enterContext(mock.patch.object(driver, "joined", lambda rasters, options: bytes(r.samples[0, 0, 0] for r in rasters)))
        self.kept = Kept()

    def run_by_hand(self, engine: ByHand, pixels: int, steps: Iterator[None]) -> None:
        """Drives one item; before each look at whether the run is still wanted the next step is done."""
        item = Item(Task("shore", "p", "r", export=path_export(".png", {}, target="picture")), pixels)

        looks = 0

        def wish() -> Any:
            nonlocal looks
            looks += 1
            self.assertLess(looks, 2000, "it never comes to its end")
            next(steps, None)
            return "go"

        with mock.patch.object(driver, "LOOK_EVERY", 0.01):
            drive([item], engine, NOTHING, self.kept, wish)

    def test_a_picture_whose_worker_is_lost_is_tried_so_often_and_no_more(self) -> None:
        engine, given = ByHand(), 0

        def steps() -> Iterator[None]:
            nonlocal given
            while True:
                while engine.given:
                    given += 1
                    engine.given.popleft()[1].set_exception(WorkerLost("a worker ended"))
                yield

        self.run_by_hand(engine, 1, steps())
        self.assertEqual((given, len(self.kept.failed), self.kept.made), (TRIES, 1, []))

    def test_a_strip_of_an_earlier_try_counts_for_nothing(self) -> None:
        engine = ByHand(workers=2)

        def steps() -> Iterator[None]:
            while len(engine.given) < 2:
                yield
            (_, lost), (_, late) = engine.given.popleft(), engine.given.popleft()
            lost.set_exception(WorkerLost("a worker ended"))
            while len(engine.given) < 2:
                yield
            late.set_result(strip_of(1, 99))
            yield
            for value in (1, 2):
                task, future = engine.given.popleft()
                assert task.strip is not None
                future.set_result(strip_of(task.strip[0], value))
                yield

        self.run_by_hand(engine, LARGE, steps())
        self.assertEqual([outcome.data for outcome in self.kept.made], [bytes((1, 2))])

    def test_strips_of_an_earlier_try_are_thrown_away(self) -> None:
        engine = ByHand(workers=3)

        def steps() -> Iterator[None]:
            while len(engine.given) < 3:
                yield
            first = [engine.given.popleft() for _ in range(3)]
            first[2][1].set_result(strip_of(2, 99))
            yield
            yield
            engine.workers = 2  # a worker less from now on
            first[0][1].set_exception(WorkerLost("a worker ended"))
            while len(engine.given) < 2:
                yield
            for value in (1, 2):
                engine.given.popleft()[1].set_result(strip_of(value - 1, value))
            first[1][1].set_exception(WorkerLost("a worker ended"))
            yield

        self.run_by_hand(engine, LARGE, steps())
        self.assertEqual([outcome.data for outcome in self.kept.made], [bytes((1, 2))])


class InAFolder(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)


class Reports(InAFolder):
    def test_what_there_is_to_say_of_a_picture_is_said_with_its_name(self) -> None:
        folder = Folder(self.folder, resume=False)
        self.addCleanup(folder.close)
        said: list[tuple[bool, str | None]] = []
        keeping = FolderKeeping(folder, lambda item, good, sentence: said.append((good, sentence)))
        item = Item(Task("shore", "p", "r"), mark=self.folder / "o.png")
        keeping.keep(item, Outcome(b"x", notes=("the sun was moved", "a matte is missing")))
        keeping.keep(item, Outcome(b"x"))
        keeping.fail(item, "it is damaged")
        self.assertEqual(
            said, [(True, "shore: the sun was moved; shore: a matte is missing"), (True, None), (False, "it is damaged")]
        )


class HalfFiles(InAFolder):
    """What a kill leaves at any moment is not taken for what is finished."""

    def setUp(self) -> None:
        super().setUp()
        self.out = self.folder / "shore.png"
        folder = Folder(self.folder, resume=False)
        folder.keep(self.out, "made so", b"all of the picture")
        folder.close()

    def holds(self, key: str = "made so") -> bool:
        folder = Folder(self.folder, resume=True)
        self.addCleanup(folder.close)
        return folder.holds(self.out, key)

    def test_a_file_that_is_there_whole_is_held(self) -> None:
        self.assertTrue(self.holds())
        self.assertTrue((self.folder / RECORD).exists())

    def test_a_file_that_another_task_makes_is_not(self) -> None:
        self.assertFalse(self.holds("made another way"))

    def test_half_a_file_in_its_place_is_not_held(self) -> None:
        self.out.write_bytes(b"half of")
        self.assertFalse(self.holds())

    def test_half_a_file_beside_its_place_is_not_moved_there(self) -> None:
        self.out.unlink()
        part = self.folder / f"{BEGINNING}{self.out.name}{ENDING}"
        part.write_bytes(b"half of")
        self.assertFalse(self.holds())
        self.assertFalse(self.out.exists() or part.exists())

    def test_a_whole_file_beside_its_place_is_moved_there(self) -> None:
        self.out.rename(self.folder / f"{BEGINNING}{self.out.name}{ENDING}")
        self.assertTrue(self.holds())
        self.assertEqual(self.out.read_bytes(), b"all of the picture")


class Arriving(InAFolder):
    def looks(self, count: int) -> list[str]:
        """The files that are given out within a number of looks."""
        given: list[str] = []
        for path in Arrivals(self.folder, every=0.0):
            if path is not None:
                given.append(path.name)
            else:
                count -= 1
                if count == 0:
                    break
        return given

    def test_a_file_is_given_out_once_it_has_rested(self) -> None:
        (self.folder / "shore.png").write_bytes(b"a picture")
        self.assertEqual(self.looks(RESTED), [])
        self.assertEqual(self.looks(RESTED + 3), ["shore.png"])

    def test_what_is_empty_is_still_arriving_and_what_is_hidden_is_no_plate(self) -> None:
        (self.folder / "empty.png").touch()
        for name in (".shore.png", "._shore.png", ".aurelon-shore.png.part"):
            (self.folder / name).write_bytes(b"a picture")
        self.assertEqual(self.looks(RESTED + 3), [])

    def test_a_link_that_leads_nowhere_is_told_once_and_read_once_it_leads_somewhere(self) -> None:
        link, target = self.folder / "shore.png", self.folder / "elsewhere"
        link.symlink_to(target)
        arrivals = Arrivals(self.folder, every=0.0)
        looks = iter(arrivals)
        self.assertEqual([next(looks) for _ in range(3)], [None] * 3)
        (trouble,) = arrivals.take_troubles()
        self.assertIn("is a link that leads to no file", trouble)
        self.assertEqual(arrivals.take_troubles(), [])
        target.write_bytes(b"a picture")
        self.assertEqual([path.name for path in (next(looks) for _ in range(RESTED + 3)) if path], ["shore.png"])


class Named(InAFolder):
    def test_a_folder_stands_for_the_pictures_in_it(self) -> None:
        for name in ("b.png", "a.JPG", ".hidden.png", "notes.txt"):
            (self.folder / name).write_bytes(b"x")
        self.assertEqual([path.name for path in plates_in([self.folder])], ["a.JPG", "b.png"])

    def test_an_input_is_not_written_over_by_whatever_name(self) -> None:
        plate = self.folder / "shore.png"
        plate.write_bytes(b"a picture")
        (self.folder / "by").mkdir()
        (self.folder / "link.png").symlink_to(plate)
        for out in (plate, self.folder / "by" / ".." / "shore.png", self.folder / "link.png"):
            with self.assertRaisesRegex(OutputError, "is the plate"):
                refuse_inputs([out], {plate: "the plate"}, over=False)
            refuse_inputs([out], {plate: "the plate"}, over=True)
        refuse_inputs([self.folder / "other.png"], {plate: "the plate"}, over=False)

    def test_one_file_by_two_names_is_one_output(self) -> None:
        (self.folder / "by").mkdir()
        sources = Sources()
        sources.claim(self.folder / "shore.png", Path("one.png"))
        with self.assertRaisesRegex(OutputError, "would both become"):
            sources.claim(self.folder / "by" / ".." / "shore.png", Path("other.png"))
        link = self.folder / "link"
        link.symlink_to(self.folder)
        with self.assertRaisesRegex(OutputError, "would both become"):
            outputs_for(f"{self.folder}/{{folder}}/{{name}}.png", [Path("/a/x/shore.jpg"), Path("/b/x/shore.png")])


class Rooms(unittest.TestCase):
    def test_workers_fit_into_the_memory_that_is_free(self) -> None:
        pixels, free = 24_000_000, 4 << 30
        memory = SimpleNamespace(available=free, total=100 * free)
        with mock.patch("psutil.virtual_memory", return_value=memory), mock.patch.object(room, "cores", return_value=64):
            found = room.room_for(pixels, tasks=64)
        self.assertEqual(found.workers, int(free * room.SHARE // (room.WORKER_BYTES + room.PIXEL_BYTES * pixels)))
        self.assertLessEqual(found.workers * found.memory, free)

    def test_one_worker_is_there_however_little_memory_is_free(self) -> None:
        with mock.patch("psutil.virtual_memory", return_value=SimpleNamespace(available=1, total=1)):
            self.assertEqual(room.room_for(24_000_000, tasks=3).workers, 1)

    def test_threads_share_what_processors_there_are(self) -> None:
        with mock.patch.object(room, "cores", return_value=8):
            found = room.room_for(1000, tasks=2)
        self.assertEqual((found.workers, found.threads), (2, 4))
