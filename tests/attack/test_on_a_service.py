"""A small part of each campaign on a running service, with every change."""

from __future__ import annotations

import shutil
import tempfile
import unittest
from pathlib import Path

from aurelon.store import Store
from tests.attack import busy, by_coverage, by_schema, kills, peers, soak, trouble, watched, windows
from tests.attack.kills import Ledger, missing
from tests.attack.windows import off_the_path


class OnAService(unittest.TestCase):
    def test_what_was_acknowledged_is_there_after_kills(self) -> None:
        report = kills.campaign(2)
        self.assertEqual([fault for fault in report.faults if "of a processor" not in fault], [])
        self.assertGreaterEqual(report.acknowledged, 6 + 1)  # six plates are brought in before the first kill
        self.assertEqual(kills.migrating(1).faults, [])

    def test_requests_and_messages_by_schema_get_no_fault(self) -> None:
        report = by_schema.campaign(32, every=8)
        self.assertEqual(report.faults, [])
        self.assertGreater(min(report.answers["2xx"], report.answers["4xx"]), 5)
        report = by_schema.sockets(60)
        self.assertEqual(report.faults, [])
        self.assertGreater(min(report.answers["pictures"], report.answers["sentences"]), 3)

    def test_a_full_disk_a_held_file_and_a_clock_turned_back(self) -> None:
        report = trouble.full_disk()
        if report is None:
            self.skipTest("no small disk can be mounted here")
        self.assertEqual(report.faults, [])
        self.assertGreater(min(report.failed.get(what, 0) for what in ("change", "paint", "bring_in", "add_file")), 1)
        self.assertEqual(trouble.clock_turned_back(12).faults, [])

    def test_windows_that_know_nothing_of_each_other_overwrite_nothing(self) -> None:
        report = windows.campaign(24)
        self.assertEqual(report.faults, [])
        self.assertGreater(len(report.saves), 5)

    def test_five_people_at_work_get_no_fault(self) -> None:
        report = soak.soak(0, things=24, every=0.5, rest=0.1)
        self.assertEqual(report.faults, [])
        self.assertGreaterEqual(sum(report.done.values()), 24)

    def test_hostile_peers_keep_nobody_waiting(self) -> None:
        report = peers.campaign(4)
        self.assertEqual(report.faults, [])
        self.assertEqual(set(report.beside), set(peers.PEERS))  # how much slower a draft is beside each is for `make attack`

    def test_a_folder_in_which_everything_happens_is_watched_on(self) -> None:
        report = watched.campaign(7, seed=2)
        self.assertEqual(report.faults, [])
        self.assertGreater(report.result, 1)

    def test_files_get_the_same_verdict_on_a_busy_machine(self) -> None:
        self.assertEqual(busy.campaign(6), [])

    def test_files_bred_by_coverage_are_read_or_refused(self) -> None:
        report = by_coverage.campaign(300)
        self.assertEqual(report.fault, "")
        self.assertGreater(report.reached, 240)


class TheCampaignsThemselves(unittest.TestCase):
    """Each would notice what it is there for."""

    def test_a_step_that_was_overwritten_is_seen(self) -> None:
        self.assertEqual(off_the_path([(1, 2), (2, 3), (3, 2), (2, 4)], 1, 4), [])
        self.assertEqual(sorted(off_the_path([(1, 2), (2, 3), (2, 4)], 1, 4)), [2, 3])
        self.assertEqual(sorted(off_the_path([(1, 2), (2, 3)], 1, 2)), [2, 3])

    def test_what_is_missing_is_named(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            data = Path(folder)
            shutil.copy(kills.OLD, data / "aurelon.sqlite")
            Store(data / "aurelon.sqlite").close()
            self.assertEqual(missing(data, Ledger(), set()), [])
            lost = Ledger(revisions={1: (1, "never")}, takes={99: "Warm"}, files={"0" * 64}, head={1: 77})
            sentence = missing(data, lost, set())
            self.assertEqual(len(sentence), 4)
            self.assertEqual(len(missing(data, lost, {1})), 3)


if __name__ == "__main__":
    unittest.main()
