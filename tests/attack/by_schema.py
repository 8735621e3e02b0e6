"""Requests made at random from the description of the HTTP interface, right ones and wrong ones, on things that are there and on
things that are not; and messages to the preview's socket. None is answered by a fault, nor by what the description has not.
"""

from __future__ import annotations

import json
import random
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from copy import deepcopy
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import jsonschema_rs
import requests
import schemathesis
from hypothesis import HealthCheck, Phase, given, seed, settings
from hypothesis.errors import Unsatisfiable
from schemathesis import Case, GenerationMode
from schemathesis.core.result import Ok
from schemathesis.errors import SchemathesisError
from websockets.exceptions import ConnectionClosed
from websockets.sync.client import connect

from tests.attack.hand import SMALL, Hand
from tests.browser.window import Service

AnyCase = Case[Any]
PATIENCE = 60.0  # s for one answer
NEVER_ENDS = "/news"  # an answer that goes on until a job is over
ODD: tuple[Any, ...] = (None, True, -1, 0, 1e308, 2**63, "", "x" * 2000, "\x00", [], {}, [[[]]], {"a": 1}, float("nan"))


@dataclass
class Report:
    """What came of it: how many were answered by which hundred, and what should not have come."""

    answers: Counter[str] = field(default_factory=Counter)
    faults: list[str] = field(default_factory=list)


@contextmanager
def worked_at(seed: int, *, run: bool) -> Iterator[tuple[Service, Hand, int]]:
    """A service on which something has been done, if wanted a run too: a hand, and the process's id."""
    with tempfile.TemporaryDirectory() as folder:
        service = Service(Path(folder) / "data")
        service.start()
        assert service.process is not None
        hand = Hand(service.url, seed)
        try:
            for way in (
                hand.bring_in,
                hand.bring_in,
                hand.change,
                hand.change,
                hand.keep,
                hand.save_rig,
                *([hand.run] if run else []),
            ):
                way()
            yield service, hand, service.process.pid
        finally:
            hand.close()
            service.stop()


class Known:
    """What is there to be asked for: ids by the name of their parameter, and rigs."""

    def __init__(self, hand: Hand) -> None:
        plates = hand.answer("GET", "/plates")
        self.ids: dict[str, list[Any]] = {
            "plate_id": [one["id"] for one in plates],
            "take_id": [1],
            "rig_id": [one["id"] for one in hand.answer("GET", "/rigs")["rigs"]],
            "run_id": [1],
            "item_id": [1],
            "job_id": [],
            "act": ["pause", "resume", "cancel", "retry"],
        }
        self.rigs = [hand.answer("GET", f"/plates/{one['id']}/bench")["rig"] for one in plates]

    def lay_in(self, case: AnyCase, rng: random.Random) -> None:
        """Has a request mean things that are there, more often than not, so that it comes farther than the door."""
        for name in case.path_parameters or {}:
            if self.ids.get(name) and rng.random() < 0.8:
                case.path_parameters[name] = rng.choice(self.ids[name])
        body: Any = case.body
        if isinstance(body, dict):
            if "rig" in body and rng.random() < 0.7:
                body["rig"] = rng.choice(self.rigs)
            if "light" in body and isinstance(body.get("rig"), dict) and body["rig"].get("lights") and rng.random() < 0.7:
                body["light"] = rng.choice(body["rig"]["lights"]).get("id", "")
            if "plates" in body and rng.random() < 0.7:
                body["plates"] = [rng.choice(self.ids["plate_id"])]
            if body.get("cluster"):  # the service was started with none
                body["cluster"] = rng.choice(("", body["cluster"]))

    def learn(self, answer: Any) -> None:
        """Keeps the ids of jobs that were begun."""
        if isinstance(answer, dict) and isinstance(answer.get("id"), str):
            self.ids["job_id"].append(answer["id"])

    def failed(self, hand: Hand) -> list[str]:
        """What jobs stopped on that should not have; those that are over are forgotten, but for a few."""
        states = [state for state in (hand.answer("GET", f"/jobs/{job}") for job in self.ids["job_id"]) if state is not None]
        over = [state for state in states if state["state"] not in ("waiting", "working")]
        gone = {state["id"] for state in over[:-3]}
        self.ids["job_id"] = [state["id"] for state in states if state["id"] not in gone]
        return [state["error"] for state in over if state["id"] in gone and "fault in Aurelon" in (state["error"] or "")]


class Described:
    """The answers that the description has."""

    def __init__(self, description: Any) -> None:
        self._paths = description["paths"]
        self._components = description["components"]
        self._checks: dict[str, Any] = {}

    def wrong(self, path: str, method: str, status: int, content: bytes) -> str:
        """What is wrong with an answer; nothing where it is as described."""
        answers = self._paths[path][method]["responses"]
        key = next((key for key in (str(status), f"{status // 100}XX") if key in answers), None)
        if key is None:
            return f"answered with {status}, which is not described: {content[:300]!r}"
        kinds = answers[key].get("content", {})
        if "application/json" not in kinds:
            return ""
        schema = kinds["application/json"]["schema"]
        check = self._checks.get(str(schema))
        if check is None:
            check = self._checks[str(schema)] = jsonschema_rs.Draft202012Validator({**schema, "components": self._components})
        try:
            error = next(check.iter_errors(json.loads(content)), None)
        except ValueError:
            return f"answered with what is no JSON: {content[:300]!r}"
        return "" if error is None else f"answered otherwise than described: {error.message} at {error.instance_path}"


def campaign(count: int, number: int = 0, every: int = 1) -> Report:
    """So many requests, spread over all that can be asked, or over every so many of them."""
    report = Report()
    with worked_at(number, run=True) as (service, hand, _):
        known = Known(hand)
        description = requests.get(f"{service.url}/openapi.json", timeout=PATIENCE).json()
        described, schema = Described(description), schemathesis.openapi.from_dict(description)
        operations = [found.ok() for found in schema.get_all_operations() if isinstance(found, Ok)]
        operations = [one for one in operations if not one.path.endswith(NEVER_ENDS)][::every]
        session = requests.Session()
        rng = random.Random(number)
        each = max(count // (2 * len(operations)), 1)
        for operation in operations:
            for mode in (GenerationMode.POSITIVE, GenerationMode.NEGATIVE):

                @seed(number)
                @settings(
                    max_examples=each,
                    database=None,
                    deadline=None,
                    phases=[Phase.generate],
                    suppress_health_check=list(HealthCheck),
                )
                @given(case=operation.as_strategy(generation_mode=mode))
                def ask(case: AnyCase) -> None:
                    known.lay_in(case, rng)
                    try:
                        answer = case.call(base_url=service.url, session=session, timeout=PATIENCE)
                    except (requests.RequestException, SchemathesisError) as error:
                        report.faults.append(f"{case.method} {case.formatted_path}: {type(error).__name__} {error}")
                        return
                    report.answers[f"{answer.status_code // 100}xx"] += 1
                    wrong = described.wrong(case.operation.path, case.method.lower(), answer.status_code, answer.content)
                    if wrong:
                        report.faults.append(f"{case.method} {case.formatted_path}: {wrong}; sent {str(case.body)[:300]}")
                    elif answer.status_code in (201, 202):
                        known.learn(answer.json())

                with suppress(Unsatisfiable):  # what takes nothing can be asked nothing wrong
                    ask()
                report.faults += known.failed(hand)
    return report


def message(rng: random.Random, rig: Any, seq: int) -> str | bytes:
    """Something sent to the preview: what may be, with something in it changed, left out or put in; or no request at all."""
    asked: dict[str, Any] = {"seq": seq, "rig": json.loads(json.dumps(rig)), "view": dict(SMALL), "draft": rng.random() < 0.5}
    way = rng.random()
    if way < 0.04:
        return rng.randbytes(rng.randrange(200))
    if way < 0.1:
        return json.dumps(asked)[: rng.randrange(400)]
    for _ in range(rng.choice((0, 1, 1, 2, 4))):
        at: Any = asked
        while True:
            keys = list(at) if isinstance(at, dict) else list(range(len(at)))
            if not keys:
                break
            key = rng.choice(keys)
            if isinstance(at[key], dict | list) and at[key] and rng.random() < 0.8:
                at = at[key]
                continue
            at[key] = deepcopy(rng.choice(ODD))
            break
    if rng.random() < 0.3:
        asked["show"] = rng.choice(({"what": "stage", "light": "?", "stage": "source"}, {"what": "before"}, "before", 5))
    if rng.random() < 0.3:
        asked |= {
            "base": seq - 1,
            "changes": [{"op": rng.choice(("replace", "add", "x")), "path": ["prepare", "exposure"], "value": 1}],
        }
        del asked["rig"]
    return json.dumps(asked)


def sockets(count: int, number: int = 0) -> Report:
    """So many messages to previews: each is answered, by a picture or by a sentence, and the session goes on."""
    report, rng = Report(), random.Random(number)
    with worked_at(number, run=False) as (service, hand, _):
        known = Known(hand)
        sent = 0
        while sent < count:
            place = rng.randrange(len(known.rigs))
            plate, rig = known.ids["plate_id"][place], known.rigs[place]
            with connect(f"{service.url.replace('http', 'ws', 1)}/api/plates/{plate}/preview", max_size=None) as socket:
                for seq in range(min(40, count - sent)):
                    asked = message(rng, rig, seq)
                    sent += 1
                    try:
                        socket.send(asked)
                        answer = socket.recv(timeout=PATIENCE)
                    except (ConnectionClosed, TimeoutError) as error:
                        report.faults.append(f"{asked[:300]!r}: {type(error).__name__} {error}")
                        break
                    if isinstance(answer, str) and "fault in Aurelon" in answer:
                        report.faults.append(f"{asked[:300]!r}: {answer}")
                    report.answers["pictures" if isinstance(answer, bytes) else "sentences"] += 1
    return report


def main() -> int:
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 20_000
    began = time.monotonic()
    report = [sockets(count // 10), campaign(count - count // 10)]
    faults = [fault for one in report for fault in one.faults]
    for fault in faults[:60]:
        print(fault)
    answers = ", ".join(f"{many} {what}" for one in report for what, many in sorted(one.answers.items()))
    print(f"{count} requests and messages: {answers}; {len(faults)} faults, in {time.monotonic() - began:.0f} s")
    return 1 if faults else 0


if __name__ == "__main__":
    sys.exit(main())
