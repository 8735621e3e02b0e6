"""Kinds whose kernels are still being compiled: how many seconds each waits, in which order they come, and when they are ready."""

from __future__ import annotations

import subprocess
import sys
import unittest
from functools import partial
from queue import Queue
from typing import Any
from unittest import mock

from aurelon.core import precompile
from aurelon.core.imaging.stale_kernels import ALL
from aurelon.core.precompile import Step
from aurelon.runs.jobs import Control
from aurelon.web import preparing
from aurelon.web.jobs.kind_sheet import light_every_kind
from aurelon.web.preparing import Preparing
from tests.pictures import renderer_of, rig_of, scene

STEPS = [Step(name, 10.0, lambda: None) for name in ("first", "lamp", "beam", "masks")]
WAITS = [sys.executable, "-c", "import sys; sys.stdin.read()"]


class Preparations(unittest.TestCase):
    def setUp(self) -> None:
        self.done: list[str] = ["first"]
        self.enterContext(mock.patch.object(preparing, "steps", return_value=STEPS))
        self.enterContext(mock.patch.object(preparing, "precompiled", side_effect=lambda: self.done))
        self.clock = self.enterContext(mock.patch.object(preparing, "time")).monotonic
        self.clock.return_value = 100.0

    def started(self) -> Preparing:
        result, popen = Preparing(), subprocess.Popen

        def waiting(command: list[str], **options: Any) -> subprocess.Popen[str]:
            self.assertIn("aurelon.core.precompile", command)
            return popen(WAITS, **options)

        with mock.patch("aurelon.web.preparing.subprocess.Popen", waiting):
            result.start()
        self.addCleanup(result.close)
        return result

    def test_each_kind_waits_for_those_before_it_and_less_as_time_goes(self) -> None:
        result = self.started()
        self.assertEqual(result.seconds_left(), {"lamp": 10.0, "beam": 20.0, "masks": 30.0})
        self.clock.return_value = 104.0
        self.assertEqual(result.seconds_left(), {"lamp": 6.0, "beam": 16.0, "masks": 26.0})
        self.done = ["first", "lamp"]
        self.assertEqual(result.seconds_left(), {"beam": 10.0, "masks": 20.0})
        self.assertTrue(result.is_ready("lamp"))
        self.done = [ALL]
        self.assertEqual(result.seconds_left(), {})

    def test_the_kinds_of_the_first_step_wait_for_that_alone(self) -> None:
        self.done = []
        self.assertEqual(self.started().seconds_left()["shafts"], 10.0)
        self.done = ["first"]
        self.assertTrue(self.started().is_ready("shafts"))

    def test_nothing_is_waited_for_where_nothing_compiles(self) -> None:
        self.assertEqual(Preparing().seconds_left(), {})
        result = self.started()
        result.close()
        self.assertEqual(result.seconds_left(), {})
        result.want("lamp")  # which is ignored

    def test_what_is_wanted_is_compiled_next(self) -> None:
        done: list[str] = []
        wanted = Queue[str]()
        wanted.put("beam")
        waiting = [Step(name, 1.0, partial(done.append, name)) for name in ("lamp", "fan", "beam")]
        with (
            mock.patch.object(precompile, "steps", return_value=waiting),
            mock.patch.object(precompile, "is_precompiled", lambda name: name == "fan"),
            mock.patch.object(precompile, "note_precompiled", lambda name: done.append(f"{name} noted")),
        ):
            precompile.precompile(wanted)
        self.assertEqual(done, ["beam", "beam noted", "lamp", "lamp noted", "all noted"])

    def test_the_sheet_of_kinds_shows_what_is_ready_first(self) -> None:
        left = {"bloom": 2.0}
        result, control = mock.Mock(spec=Preparing), mock.Mock(spec=Control)
        result.seconds_left.side_effect = lambda: dict(left)
        result.is_ready.side_effect = lambda kind: kind not in left
        control.go_on.side_effect = left.clear
        with mock.patch("aurelon.web.jobs.kind_sheet.small_picture", return_value=""):
            light_every_kind(renderer_of(scene(60, 40)), rig_of(), result, control)
        given = [call.args[0].light.kind for call in control.give.call_args_list]
        self.assertEqual((given[-1], control.go_on.call_count), ("bloom", 1))


if __name__ == "__main__":
    unittest.main()
