"""A run on a cluster of real processes: the same bytes, and what happens when machines go, come, or are of another version."""

from __future__ import annotations

import os
import shutil
import socket
import subprocess
import sys
import time
import unittest
from contextlib import closing
from pathlib import Path
from unittest import mock

import aurelon
from aurelon.core.export.picture import PictureExport, export, joined
from aurelon.core.plate import open_plate
from aurelon.runs import driver
from aurelon.runs.command import RunOptions, run_many
from aurelon.runs.engines import cluster
from aurelon.runs.engines.clusters import ClusterAddress
from tests.runs.run_test import RIG, RunTest

PATIENCE = 180  # seconds in which a process must do what it is waited for


def free_port() -> int:
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        return int(free.getsockname()[1])


class ClusterTest(RunTest):
    count = 16

    def setUp(self) -> None:
        super().setUp()
        self.port = free_port()
        self.address = f"tcp://127.0.0.1:{self.port}"
        self.scheduler = self.dask("scheduler", "--port", str(self.port), "--no-dashboard")
        self.wait_for(self.answers)

    def dask(self, *words: str, **environment: str) -> subprocess.Popen[bytes]:
        """A process of the cluster, as a user starts it."""
        command = [sys.executable, "-m", "dask", *words, "--host", "127.0.0.1"]
        process = subprocess.Popen(
            command,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            cwd=self.folder,
            env=os.environ | environment,
            start_new_session=True,
        )
        self.addCleanup(process.wait, PATIENCE)
        self.addCleanup(process.kill)
        return process

    def worker(self, name: str, **environment: str) -> subprocess.Popen[bytes]:
        # Without a process that would start a killed one anew.
        return self.dask("worker", self.address, "--nthreads", "1", "--no-nanny", "--no-dashboard", "--name", name, **environment)

    def answers(self) -> bool:
        with socket.socket() as one:
            return one.connect_ex(("127.0.0.1", self.port)) == 0

    def wait_for(self, there: object) -> None:
        began = time.monotonic()
        while not (there() if callable(there) else there):
            self.assertLess(time.monotonic() - began, PATIENCE)
            time.sleep(0.05)

    def result(self) -> int:
        return len(list((self.folder / "out").glob("shore*")))

    def begin(self, *more: str) -> subprocess.Popen[str]:
        command = self.command(self.plates, "--cluster", self.address, *more)
        return subprocess.Popen(command, stderr=subprocess.PIPE, text=True)


class Cluster(ClusterTest):
    def test_the_same_bytes_with_a_worker_killed_and_one_that_joins_late(self) -> None:
        first = self.worker("first")
        run = self.begin()
        self.wait_for(lambda: self.result() >= 2)
        self.worker("late")
        self.wait_for(lambda: self.result() >= 6)
        first.kill()
        _, sentence = run.communicate(timeout=4 * PATIENCE)
        self.assertEqual(run.returncode, 0, sentence)
        self.assertIn("16 pictures made", sentence)
        local = self.run_it(self.plates, out="local/{name}.png")
        self.assertEqual(local.returncode, 0)
        self.assertEqual(self.outs(), self.outs("local"))

    def test_a_cluster_that_is_lost_ends_the_run_and_what_is_made_stays(self) -> None:
        self.worker("first")
        run = self.begin()
        self.wait_for(lambda: self.result() >= 3)
        self.scheduler.kill()
        _, sentence = run.communicate(timeout=4 * PATIENCE)
        self.assertEqual(run.returncode, 2, sentence)
        self.assertIn(f"the cluster at {self.address} is gone; finished pictures stay", sentence)
        self.assertNotIn("Traceback", sentence)
        kept = self.result()
        done = self.run_it(self.plates, "--resume")
        self.assertEqual(done.returncode, 0)
        self.assertIn(f"{kept} there already", done.stderr)

    def test_a_large_picture_goes_in_strips_over_the_workers(self) -> None:
        self.worker("first")
        self.worker("second")
        out = str(self.folder / "out" / "{name}.png")
        where = ClusterAddress(self.address)
        with closing(cluster.Cluster(where)) as engine:
            self.assertTrue(engine.ready(PATIENCE))
            self.wait_for(lambda: engine.workers == 2)
        cut = mock.patch("aurelon.runs.driver.joined", wraps=joined)
        with mock.patch.object(driver, "LARGE", 1000), cut as put_together:
            done = run_many([self.plates / "shore 1.png"], RunOptions(RIG, out, cluster=where))
        self.assertEqual(done, 0)
        self.assertEqual(len(put_together.call_args.args[0]), 2)
        alone = export(open_plate(self.plates / "shore 1.png"), RIG, PictureExport(format="png", depth="8"))
        self.assertEqual(self.outs(), {"shore 1.png": alone})


class Refused(ClusterTest):
    count = 6

    def other(self) -> str:
        """A folder with another Aurelon than this one."""
        copy = self.folder / "other"
        ignored = shutil.ignore_patterns("__pycache__", "static")
        shutil.copytree(Path(aurelon.__file__).parent, copy / "aurelon", ignore=ignored)
        with (copy / "aurelon" / "core" / "errors.py").open("a") as file:
            file.write("\n# changed\n")
        return str(copy)

    def test_no_cluster_there_is_one_sentence(self) -> None:
        nowhere = f"tcp://127.0.0.1:{free_port()}"
        sentences = {
            nowhere: "no cluster answers at tcp://",
            "elsewhere": "is not the address",
            "tcp://127.0.0.1:http": "is not the address",
        }
        for address, sentence in sentences.items():
            with self.subTest(address):
                done = self.run_it(self.plates, "--cluster", address)
                self.assertEqual((done.returncode, len(done.stderr.splitlines())), (2, 1), done.stderr)
                self.assertIn(sentence, done.stderr)

    def test_workers_of_another_version_are_refused_and_get_nothing_when_they_join_late(self) -> None:
        other = self.other()
        stranger = self.worker("stranger", PYTHONPATH=other)
        sentence = ""
        for seconds in (8, 16, 32, 64, 128):  # until the stranger has joined, on a machine as slow as it may be
            if "another Aurelon" in (sentence := self.begin_and_see(seconds)):
                break
        self.assertIn("another Aurelon", sentence)
        stranger.kill()
        stranger.wait()
        self.worker("first")
        run = self.begin()
        self.wait_for(lambda: self.result() >= 1)
        self.worker("late stranger", PYTHONPATH=other)
        _, sentence = run.communicate(timeout=4 * PATIENCE)
        self.assertEqual(run.returncode, 0, sentence)
        self.assertIn("6 pictures made", sentence)

    def begin_and_see(self, seconds: int) -> str:
        """What a run says that is ended after so long, whether or not it was refused."""
        run = self.begin()
        try:
            _, sentence = run.communicate(timeout=seconds)
        except subprocess.TimeoutExpired:
            run.kill()
            _, sentence = run.communicate()
        return sentence


if __name__ == "__main__":
    unittest.main()
