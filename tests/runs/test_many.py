"""Many plates by the command line: the same bytes as one by one, and one sentence for whatever comes between."""

from __future__ import annotations

import contextlib
import io
import json
import os
import random
import resource
import signal
import subprocess
import time
import unittest
from contextlib import closing
from pathlib import Path
from unittest import mock

import psutil

from aurelon.cli import main
from aurelon.core import OutputError
from aurelon.core.export.picture import PictureExport, export, joined
from aurelon.core.plate import open_plate
from aurelon.runs import driver
from aurelon.runs.contents import Contents
from aurelon.runs.driver import Item, drive
from aurelon.runs.engines.processes import Processes
from aurelon.runs.folder import RECORD, Folder, FolderKeeping
from aurelon.runs.naming import check_pattern, outputs_for
from aurelon.runs.room import PIXEL_BYTES, WORKER_BYTES, Room, room_for
from aurelon.runs.tasks import Task, path_export
from tests.runs.run_test import RIG, RunTest

KILLS = 6


class Many(RunTest):
    def test_the_same_bytes_as_one_by_one_and_none_made_twice(self) -> None:
        done = self.run_it(self.plates, "--workers", "2")
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertIn("4 pictures, 2 workers of 1 thread each", done.stderr)
        self.assertIn("4 pictures made, in", done.stderr)
        outs = self.outs()
        self.assertEqual(list(outs), [f"shore {n}.png" for n in range(4)])
        self.assertEqual(outs["shore 2.png"], self.rendered(self.plates / "shore 2.png"))
        before = {path: path.stat() for path in (self.folder / "out").glob("shore*")}
        again = self.run_it(self.plates, "--resume")
        self.assertIn("0 pictures made, 4 there already", again.stderr)
        self.assertEqual({path: path.stat() for path in before}, before)
        # Another way of writing is another picture; a file that is gone is made again.
        (self.folder / "out" / "shore 1.png").unlink()
        self.assertIn("1 picture made, 3 there already", self.run_it(self.plates, "--resume").stderr)
        self.assertIn("4 pictures made, in", self.run_it(self.plates, "--resume", "--depth", "16").stderr)
        self.assertEqual(self.rendered(self.plates / "shore 2.png", ".png", "--depth", "16"), self.outs()["shore 2.png"])

    def test_a_bad_plate_is_named_and_the_rest_is_done(self) -> None:
        (self.plates / "torn.png").write_bytes(self.plate(1)[:900])
        (self.plates / "words.jpg").write_text("no picture")
        done = self.run_it(self.plates, self.plates / "shore 1.png", out="out/{number:02}-{name}.jpg")
        self.assertEqual(done.returncode, 2)
        for sentence in ("torn.png is cut short", "words.jpg is not a picture", "5 pictures made, 2 failed"):
            self.assertIn(sentence, done.stderr)
        self.assertEqual(list(self.outs())[-1], "07-shore 1.jpg")
        self.assertNotIn("Traceback", done.stderr)

    def test_passes_and_places_found_anew(self) -> None:
        done = self.run_it(self.plates / "shore 1.png", "--passes", "--place", "found", out="out/{name}.ora")
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertEqual(list(self.outs()), ["shore 1.ora"])

    def test_what_cannot_be_begun_is_one_sentence(self) -> None:
        away = self.folder / "away"
        away.mkdir()
        (away / "shore 1.png").write_bytes(self.plate(9))
        here = self.plates / "shore 1.png"
        for plates, out, sentence in (
            ([here, away / "shore 1.png"], "out/{name}.png", "would both become"),
            ([here], "plates/{name}.png", "is one of the plates"),
            ([here], "out/one.png", "gives every picture the same name"),
            ([here], "out/{title}.png", "{title}, which is not known; there are {name}, {number}, {folder}"),
            ([here], "out/{name}.gif", "has no ending that Aurelon can write"),
            ([self.plates / "gone.png"], "out/{name}.png", "gone.png does not exist"),
            ([], "out/{name}.png", "name either plates or a folder to --watch"),
            ([here], "rig.json/{name}.png", "is a file, or leads through one"),
        ):
            with self.subTest(sentence):
                stderr = io.StringIO()
                with contextlib.redirect_stderr(stderr):
                    code = main(self.command(*plates, out=out)[3:])
                self.assertEqual((code, len(stderr.getvalue().splitlines())), (2, 1), stderr.getvalue())
                self.assertIn(sentence, stderr.getvalue())
        self.assertFalse((self.folder / "out").exists())

    def test_a_matte_that_is_not_there_is_said_once(self) -> None:
        rig = json.loads(self.rig.read_text())
        rig["lights"][0]["mask"] = {"parts": [{"part": "matte", "matte": "dunes"}]}
        self.rig.write_text(json.dumps(rig))
        done = self.run_it(self.plates)
        self.assertEqual(done.returncode, 0)
        self.assertEqual(done.stderr.count("the matte 'dunes' is missing;"), 1)

    def test_a_full_disk_ends_the_run_and_leaves_no_half_file(self) -> None:
        def small() -> None:
            signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
            resource.setrlimit(resource.RLIMIT_FSIZE, (20_000, 20_000))

        done = subprocess.run(self.command(self.plates), capture_output=True, text=True, timeout=300, preexec_fn=small)
        self.assertEqual(done.returncode, 2)
        self.assertRegex(done.stderr, r"shore \d.png cannot be written: File too large; make room")
        self.assertIn("--resume goes on from there", done.stderr)
        self.assertEqual(self.outs(), {})
        self.assertEqual(list((self.folder / "out").glob("*.part")), [])
        self.assertEqual(self.run_it(self.plates, "--resume").returncode, 0)


class Killed(RunTest):
    count = 24

    def test_killed_at_any_moment_it_ends_with_the_same_bytes_and_makes_nothing_twice(self) -> None:
        dice = random.Random(7)
        kept: dict[Path, os.stat_result] = {}
        for _ in range(KILLS):
            run = subprocess.Popen(
                self.command(self.plates, "--resume", "--workers", "2"), stderr=subprocess.DEVNULL, start_new_session=True
            )
            began, before = time.monotonic(), len(kept)
            # Now and then before anything is made; else at a random moment after the next is.
            while time.monotonic() - began < 30 and dice.random() > 0.002:
                if len(list((self.folder / "out").glob("shore*"))) > before:
                    time.sleep(dice.random() * 0.2)
                    break
                time.sleep(0.01)
            run.kill()
            run.wait()
            for path, stat in kept.items():
                self.assertEqual((path.stat().st_ino, path.stat().st_mtime_ns), (stat.st_ino, stat.st_mtime_ns), path)
            kept = {path: path.stat() for path in (self.folder / "out").glob("shore*")}
        done = self.run_it(self.plates, "--resume")
        self.assertEqual(done.returncode, 0, done.stderr)
        recorded = [json.loads(line)["out"] for line in (self.folder / "out" / RECORD).read_text().splitlines()]
        self.assertEqual(sorted(recorded), sorted({path.name for path in self.plates.iterdir()}))
        whole = self.run_it(self.plates, out="whole/{name}.png")
        self.assertEqual(whole.returncode, 0)
        self.assertEqual(self.outs(), self.outs("whole"))
        self.assertEqual(list((self.folder / "out").glob("*.part")), [])

    def test_workers_end_with_a_run_that_is_killed(self) -> None:
        run = subprocess.Popen(self.command(self.plates, "--workers", "2"), stderr=subprocess.DEVNULL)
        began = time.monotonic()
        while len(workers := psutil.Process(run.pid).children(recursive=True)) < 2 and time.monotonic() - began < 30:
            time.sleep(0.05)
        run.kill()
        run.wait()
        _, alive = psutil.wait_procs(workers, timeout=30)
        self.assertEqual(alive, [])

    def test_a_worker_that_is_killed_costs_its_picture_once(self) -> None:
        run = subprocess.Popen(self.command(self.plates, "--workers", "2"), stderr=subprocess.PIPE, text=True)
        began, killed = time.monotonic(), False
        while run.poll() is None and not killed and time.monotonic() - began < 60:
            if len(list((self.folder / "out").glob("shore*"))) > 3:
                # Those that are made from the one that was begun for it.
                workers = [p for p in psutil.Process(run.pid).children(recursive=True) if p.ppid() != run.pid]
                workers[0].kill()
                killed = True
            time.sleep(0.01)
        _, sentence = run.communicate(timeout=120)
        self.assertTrue(killed)
        self.assertEqual(run.returncode, 0, sentence)
        self.assertEqual(len(self.outs()), self.count)


class Keeping(RunTest):
    """What a kill between two writes leaves, one moment after another."""

    def test_what_was_recorded_and_not_moved_is_moved(self) -> None:
        out = self.folder / "out" / "a.png"
        killed = mock.patch.object(Path, "replace", side_effect=KeyboardInterrupt)
        with closing(Folder(out.parent, resume=True)) as folder, killed, self.assertRaises(KeyboardInterrupt):
            folder.keep(out, "key", b"picture")
        self.assertFalse(out.exists())
        with closing(Folder(out.parent, resume=True)) as folder:
            self.assertTrue(folder.holds(out, "key"))
            self.assertFalse(folder.holds(out, "another key"))
        self.assertEqual(out.read_bytes(), b"picture")

    def test_what_was_not_recorded_is_removed(self) -> None:
        out = self.folder / "out" / "a.png"
        with closing(Folder(out.parent, resume=True)) as folder:
            folder.keep(out, "key", b"picture")
            (out.parent / ".aurelon-b.png.part").write_bytes(b"half")
        with (out.parent / RECORD).open("a") as record:
            record.write('{"out": "b.png", "key": "k", "sha')
        with closing(Folder(out.parent, resume=True)) as folder:
            self.assertTrue(folder.holds(out, "key"))
            self.assertFalse(folder.holds(out.parent / "b.png", "k"))
        self.assertEqual(list(self.outs()), ["a.png"])
        self.assertEqual(len((out.parent / RECORD).read_text().splitlines()), 1)

    def test_a_run_may_write_over_what_it_has_made_itself_until_somebody_changes_it(self) -> None:
        out = self.folder / "out" / "a.png"
        with closing(Folder(out.parent, resume=False)) as folder:
            folder.keep(out, "key", b"picture")
            folder.refuse_others([out])  # a watched plate was rewritten
            folder.keep(out, "another key", b"later picture")
            folder.refuse_others([out])
            out.write_bytes(b"retouched by hand")
            with self.assertRaisesRegex(OutputError, "was not made by a run"):
                folder.refuse_others([out])

    def test_two_runs_do_not_write_to_one_folder(self) -> None:
        with closing(Folder(self.folder / "out", resume=False)), self.assertRaisesRegex(OutputError, "another run is writing"):
            Folder(self.folder / "out", resume=False)

    def test_a_folder_that_goes_away_is_said(self) -> None:
        with closing(Folder(self.folder / "out", resume=False)) as folder:
            for path in (self.folder / "out").iterdir():
                path.unlink()
            (self.folder / "out").rmdir()
            with self.assertRaisesRegex(OutputError, "is gone; bring it back"):
                folder.keep(self.folder / "out" / "a.png", "key", b"picture")
        self.assertFalse((self.folder / "out").exists())


class Driving(RunTest):
    def driven(self, *names: str) -> FolderKeeping:
        with closing(Contents()) as contents, closing(Folder(self.folder / "out", resume=False)) as folder:
            rig = contents.put(RIG.model_dump_json().encode())
            items = []
            for name in names:
                digest, _ = contents.take(self.plates / name)
                task = Task(name, digest, rig, export=path_export(".png", {}, target="picture"))
                items.append(Item(task, 240 * 160, self.folder / "out" / name))
            if len(names) > 1:
                (self.plates / names[-1]).write_bytes(self.plate(17))
            keeping = FolderKeeping(folder, lambda item, result, sentence: None)
            with closing(Processes(Room(2, 1, 0))) as engine:
                drive(items, engine, contents, keeping, lambda: "go")
        return keeping

    def test_strips_give_the_bytes_of_the_whole(self) -> None:
        cut = mock.patch("aurelon.runs.driver.joined", wraps=joined)
        with mock.patch.object(driver, "LARGE", 1000), cut as put_together:
            self.assertEqual(self.driven("shore 1.png").failed, [])
        self.assertEqual(len(put_together.call_args.args[0]), 2)
        alone = export(open_plate(self.plates / "shore 1.png"), RIG, PictureExport(format="png", depth="8"))
        self.assertEqual(self.outs()["shore 1.png"], alone)

    def test_a_plate_that_changes_meanwhile_is_said(self) -> None:
        keeping = self.driven("shore 1.png", "shore 2.png")
        self.assertEqual(keeping.result, 1)
        self.assertEqual(keeping.failed, ["shore 2.png was changed while the run was going; start it again"])

    def test_workers_are_as_many_as_there_is_room_for(self) -> None:
        cores = os.cpu_count() or 1
        self.assertEqual(room_for(1000, 100).workers * room_for(1000, 100).threads, cores)
        self.assertEqual(room_for(1000, 1).workers, 1)
        self.assertEqual(room_for(10**12, 9).workers, 1)
        self.assertEqual(room_for(24_000_000, 9).memory, WORKER_BYTES + 24_000_000 * PIXEL_BYTES)
        self.assertEqual((room_for(1000, 9, 3, 5).workers, room_for(1000, 9, 3, 5).threads), (3, 5))

    def test_names_of_outputs(self) -> None:
        plates = [Path("a/x.png"), Path("b/x.png")]
        self.assertEqual(outputs_for("o/{folder}-{name}.jpg", plates), [Path("o/a-x.jpg"), Path("o/b-x.jpg")])
        self.assertEqual(outputs_for("o/{number:03}.jpg", plates), [Path("o/001.jpg"), Path("o/002.jpg")])
        self.assertEqual(check_pattern("o/p/{folder}/{name}.jpg"), Path("o/p"))
        self.assertEqual(check_pattern("{name}.jpg"), Path())
        for bad in ("o/{name", "o/{name!z}.jpg", "o/{}.jpg"):
            with self.subTest(bad), self.assertRaises(OutputError):
                check_pattern(bad)
                outputs_for(bad, plates)


class Watching(RunTest):
    count = 1

    def watch(self) -> subprocess.Popen[str]:
        command = self.command("--watch", self.plates)
        return subprocess.Popen(command, stderr=subprocess.PIPE, text=True)

    def until(self, names: list[str]) -> None:
        began = time.monotonic()
        while not (self.folder / "out").exists() or list(self.outs()) != names:
            self.assertLess(time.monotonic() - began, 60)
            time.sleep(0.1)

    def ended(self, watch: subprocess.Popen[str]) -> str:
        watch.send_signal(signal.SIGINT)
        return watch.communicate(timeout=60)[1]

    def test_each_picture_that_arrives_is_made_once_also_after_a_restart(self) -> None:
        watch = self.watch()
        self.until(["shore 0.png"])
        # Written slowly, as over a network: half of it is no picture yet.
        whole = self.plate(5)
        with (self.plates / "slow.png").open("wb") as file:
            for at in range(0, len(whole), len(whole) // 4):
                file.write(whole[at : at + len(whole) // 4])
                file.flush()
                time.sleep(0.5)
        (self.plates / "notes.txt").write_text("no picture")
        self.until(["shore 0.png", "slow.png"])
        before = {path: path.stat().st_mtime_ns for path in (self.folder / "out").glob("*.png")}
        sentence = self.ended(watch)
        self.assertIn("2 pictures made", sentence)
        self.assertNotIn("failed", sentence)
        watch = self.watch()
        (self.plates / "next.png").write_bytes(self.plate(6))
        self.until(["next.png", "shore 0.png", "slow.png"])
        self.assertIn("1 picture made", self.ended(watch))
        self.assertEqual({path: path.stat().st_mtime_ns for path in before}, before)
        self.assertEqual(self.outs()["slow.png"], self.rendered(self.plates / "slow.png"))

    def test_a_folder_is_not_watched_and_written_to_at_once(self) -> None:
        done = self.run_it("--watch", self.plates, out="plates/{name}-lit.png")
        self.assertEqual(done.returncode, 2)
        self.assertIn("cannot be watched and written to at once", done.stderr)


if __name__ == "__main__":
    unittest.main()
