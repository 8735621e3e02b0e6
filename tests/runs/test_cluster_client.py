"""The client of a cluster beside a library that answers as it is told: each of its answers becomes a sentence."""

from __future__ import annotations

import sys
import types
import unittest
from concurrent.futures import CancelledError
from pathlib import Path
from typing import Any
from unittest import mock

from aurelon.core import AurelonError, OutputError
from aurelon.runs.engines.cluster_client import ClusterClient, operations
from aurelon.runs.engines.clusters import Certificates, ClusterAddress, Clusters
from aurelon.runs.tasks import EngineLost, OtherBuild, Outcome, Task, build

ADDRESS = "tcp://10.0.0.1:8786"
TASK = Task("shore.png", plate="p" * 64, rig="r" * 64)
FILES = {"p" * 64: b"plate", "r" * 64: b"rig"}


class KilledWorker(Exception):
    """As the library names it."""


class Held:
    """A future of the library: its result, or its error."""

    status = "finished"

    def __init__(self, outcome: Outcome | BaseException | None) -> None:
        self.outcome = outcome

    def result(self) -> Any:
        if isinstance(self.outcome, BaseException):
            raise self.outcome
        return self.outcome

    def add_done_callback(self, call: Any) -> None:
        call(self)

    def release(self) -> None:
        pass


class Library:
    """A client of the library on two workers; each task ends with the next of `outcomes`."""

    def __init__(self, **of: Any) -> None:
        self.outcomes: list[Outcome | BaseException] = of.get("outcomes", [])
        self.builds: dict[str, str] = of.get("builds", {"tcp://10.0.0.2:1": build(), "tcp://10.0.0.3:1": build()})
        self.error: BaseException | None = of.get("error")
        self.status = "running"
        self.sent: list[str] = []
        self.workers: list[Any] = []
        self.options: dict[str, Any] = {}

    def __call__(self, address: str, **options: Any) -> Library:
        self.options = options
        if self.error:
            raise self.error
        return self

    def run(self, function: Any) -> dict[str, str]:
        return self.builds

    def nthreads(self) -> dict[str, int]:
        return dict.fromkeys(self.builds, 4)

    def scatter(self, data: dict[str, bytes], *, direct: bool) -> dict[str, Held]:
        self.sent += [value.decode() for value in data.values()]
        return {name: Held(None) for name in data}

    def submit(self, *words: Any, workers: Any, **options: Any) -> Held:
        self.workers.append(workers)
        return Held(self.outcomes.pop(0))


class Client(unittest.TestCase):
    def client(self, certificates: tuple[str, ...] = (), **of: Any) -> tuple[ClusterClient, Library]:
        library = Library(**of)
        module: Any = types.ModuleType("distributed")
        module.Client, module.Security = library, lambda **options: options
        self.enterContext(mock.patch.dict(sys.modules, {"distributed": module}))
        return ClusterClient(ADDRESS, certificates), library

    def test_how_large_the_cluster_is_and_what_it_has_done(self) -> None:
        client, library = self.client(outcomes=[Outcome(data=b"one"), Outcome(data=b"two")])
        client.submit(0, TASK, FILES)
        client.submit(1, TASK, FILES)
        now = client.progress()
        self.assertEqual((now.workers, now.threads, now.machines), (2, 8, 2))
        self.assertEqual([(a.number, a.result and a.result.data, a.kind) for a in now.answers], [(0, b"one", ""), (1, b"two", "")])
        # A plate goes to one task; the rig stays in the cluster.
        self.assertEqual(sorted(library.sent), ["plate", "plate", "rig"])
        self.assertEqual(client.progress().answers, ())

    def test_every_way_in_which_a_task_can_end(self) -> None:
        other = OtherBuild("tcp://10.0.0.2:1")
        ends: list[tuple[BaseException, str, str]] = [
            (OutputError("choose a smaller size"), "OutputError", "choose a smaller size"),
            (MemoryError(), "MemoryError", ""),
            (KilledWorker("gone"), "WorkerLost", "its worker ended before it was done (KilledWorker)"),
            (CancelledError(), "WorkerLost", "its worker ended before it was done (CancelledError)"),
            (ZeroDivisionError("by zero"), "AurelonError", "a fault in Aurelon stopped it (ZeroDivisionError: by zero); please"),
            (other, "WorkerLost", "the worker tcp://10.0.0.2:1 has another Aurelon"),
        ]
        client, library = self.client(outcomes=[*(error for error, _, _ in ends), Outcome()])
        for number, (_, kind, sentence) in enumerate(ends):
            client.submit(number, TASK, FILES)
            (answer,) = client.progress().answers
            self.assertEqual((answer.number, answer.result, answer.kind), (number, None, kind))
            self.assertIn(sentence, answer.why)
        client.submit(9, TASK, FILES)
        self.assertEqual(library.workers[-1], ["tcp://10.0.0.3:1"])  # the worker with another build gets no more
        library.builds = {"tcp://10.0.0.2:1": build()}
        with self.assertRaisesRegex(EngineLost, "every worker of tcp://10.0.0.1:8786 has another Aurelon"):
            client.submit(10, TASK, FILES)

    def test_a_cluster_that_goes_away_is_a_sentence(self) -> None:
        client, library = self.client(outcomes=[KilledWorker("gone")])
        library.status = "closed"
        with self.assertRaisesRegex(EngineLost, "the cluster at tcp://10.0.0.1:8786 is gone; finished pictures stay"):
            client.progress()
        client.submit(0, TASK, FILES)
        library.status = "running"
        self.assertEqual(client.progress().answers[0].kind, "EngineLost")
        with mock.patch.object(library, "nthreads", side_effect=OSError), self.assertRaises(EngineLost):
            client.progress()
        with (
            mock.patch.object(library, "submit", side_effect=RuntimeError),
            self.assertRaisesRegex(AurelonError, "its worker ended"),
        ):
            client.submit(1, TASK, FILES)

    def test_one_that_cannot_be_used_is_refused(self) -> None:
        for error, sentence in ((OSError(), "no cluster answers at"), (ImportError(), "has no Aurelon; install the same")):
            with self.subTest(sentence), self.assertRaisesRegex(AurelonError, sentence):
                self.client(error=error)
        with self.assertRaisesRegex(OtherBuild, "tcp://10.0.0.3:1 has another Aurelon .older. than this one"):
            self.client(builds={"tcp://10.0.0.2:1": build(), "tcp://10.0.0.3:1": "older"})
        with (
            mock.patch.dict(sys.modules, {"distributed": None}),
            self.assertRaisesRegex(AurelonError, "pip install 'aurelon.cluster.'"),
        ):
            ClusterClient(ADDRESS, ())

    def test_with_certificates_it_is_spoken_to_encrypted_alone(self) -> None:
        _, library = self.client(("ca.pem", "cert.pem", "key.pem"))
        self.assertEqual(
            library.options["security"],
            {"tls_ca_file": "ca.pem", "tls_client_cert": "cert.pem", "tls_client_key": "key.pem", "require_encryption": True},
        )

    def test_what_the_confined_process_offers(self) -> None:
        self.client()
        offered = operations()
        self.assertEqual(set(offered), {"connect", "submit", "results"})
        self.assertEqual(offered["connect"](ADDRESS, ()).workers, 2)
        self.assertEqual(offered["results"]().threads, 8)


class Named(unittest.TestCase):
    def test_clusters_are_named_once_and_addressed_as_such(self) -> None:
        both = Clusters.of(["studio=tcp://10.0.0.1:8786", "barn=tls://10.0.0.2:8786"], None)
        self.assertEqual(both.get("studio"), ClusterAddress(ADDRESS))
        self.assertIsNone(both.get(""))
        with self.assertRaisesRegex(OutputError, "the service knows no cluster 'attic'; start it with --cluster NAME=ADDRESS"):
            both.get("attic")
        for words, sentence in (
            (["studio"], "'studio' does not name a cluster"),
            (["studio=tcp://h:1", "studio=tcp://h:2"], "two clusters are named 'studio'"),
            (["studio=http://h:1"], "'http://h:1' is not the address of a cluster"),
        ):
            with self.subTest(words), self.assertRaisesRegex(AurelonError, sentence):
                Clusters.of(words, None)

    def test_certificates_go_together_and_are_files(self) -> None:
        here = Path(__file__)
        self.assertIsNone(Certificates.of(None, None, None))
        given = Certificates.of(here, here, here)
        assert given is not None
        for named, sentence in (
            ((here, None, here), "go together; name all three"),
            ((here, Path("gone.pem"), here), "gone.pem does not exist"),
        ):
            with self.subTest(sentence), self.assertRaisesRegex(AurelonError, sentence):
                Certificates.of(*named)
        self.assertEqual(Clusters.of(["barn=tls://h:1", "studio=tcp://h:2"], given).get("studio"), ClusterAddress("tcp://h:2"))
        with self.assertRaisesRegex(AurelonError, "tcp://h:1 is not encrypted; name a tls:// address"):
            ClusterAddress("tcp://h:1", given)


if __name__ == "__main__":
    unittest.main()
