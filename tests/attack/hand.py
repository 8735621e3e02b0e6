"""One who works at a service as the page does, at random: what the campaigns on the running service are made of."""

from __future__ import annotations

import io
import json
import random
import time
from collections.abc import Callable, Mapping
from contextlib import suppress
from typing import Any

import httpx
from PIL import Image
from websockets.exceptions import ConnectionClosed
from websockets.sync.client import connect

from aurelon.core.lights import kinds

PATIENCE = 300.0  # s for any one thing
REFUSALS = {404, 409, 415, 422}  # that others who work on the same plates may be the cause of
GONE = 4404  # by which a socket is closed where there is no such plate
SMALL = {"width": 240, "height": 160, "x0": 0, "y0": 0, "x1": 240, "y1": 160}


class Fault(Exception):
    """An answer that no one should get."""


class Gone(Exception):
    """Somebody else deleted it meanwhile."""


def picture(rng: random.Random, size: tuple[int, int] = (90, 60)) -> bytes:
    """A small picture like no other, as a PNG."""
    out = io.BytesIO()
    Image.frombytes("RGB", size, rng.randbytes(3 * size[0] * size[1])).save(out, "PNG")
    return out.getvalue()


class Hand:
    """Does one thing after another. `done` counts them by name, `refused` those that were refused as they may be."""

    def __init__(self, url: str, seed: int) -> None:
        self.rng = random.Random(seed)
        self.url = url
        self.client = httpx.Client(base_url=f"{url}/api", timeout=PATIENCE)
        self.done: dict[str, int] = {}
        self.refused = 0

    def close(self) -> None:
        self.client.close()

    def ask(self, method: str, path: str, **more: Any) -> httpx.Response:
        """An answer; raises Fault for one of the service's own faults, and for a refusal of another shape than all have."""
        answer = self.client.request(method, path, **more)
        if answer.status_code >= 400:
            self.refused += 1
            if answer.status_code not in REFUSALS or "error" not in answer.json():
                raise Fault(f"{method} {path} was answered with {answer.status_code}: {answer.text[:300]}")
        return answer

    def answer(self, method: str, path: str, **more: Any) -> Any:
        """What an answer says; None where it was refused as it may be."""
        answer = self.ask(method, path, **more)
        return answer.json() if answer.status_code < 400 and answer.content else None

    def one_of(self, path: str, name: str = "") -> Any:
        """One of them at random; None of an empty list."""
        report = self.answer("GET", path)
        found = report[name] if name and report else report
        return self.rng.choice(found) if found else None

    def plate(self, own: bool = False) -> Any:
        """A plate; `own`: one that a hand brought in."""
        plates = [one for one in self.answer("GET", "/plates") if not own or one["file_name"] == "own.png"]
        return self.rng.choice(plates) if plates else None

    def frame(self, plate: Any) -> dict[str, int]:
        return {"frame": self.rng.randrange(plate["frames"])} if plate["frames"] else {}

    def rig(self, plate: Any) -> Any:
        """The plate's present rig and its revision."""
        return self.answer("GET", f"/plates/{plate['id']}/bench")

    def job(self, state: Any) -> Any:
        """Waits for a job's end and gives its state; one that failed is a fault."""
        began = time.monotonic()
        while state is not None and state["state"] in ("waiting", "working"):
            if time.monotonic() - began > PATIENCE:
                raise Fault(f"a job took longer than {PATIENCE:.0f} s")
            time.sleep(0.05)
            state = self.answer("GET", f"/jobs/{state['id']}")
        if state is not None and state["state"] == "failed":
            raise Fault(f"a job failed: {state['error']}")
        return state

    # What a person does.

    def bring_in(self) -> None:
        self.answer("POST", "/plates", files={"file": ("own.png", picture(self.rng))})

    def throw_out(self) -> None:
        own = [one for one in self.answer("GET", "/plates") if one["file_name"] == "own.png"]
        if len(own) > 12:
            self.ask("DELETE", f"/plates/{self.rng.choice(own)['id']}")

    def change(self) -> None:
        """Adds a light, or takes one away, and saves it."""
        plate = self.plate()
        bench = self.rig(plate)
        if bench is None:
            return
        if len(bench["rig"]["lights"]) > 3:
            rig = {**bench["rig"], "lights": bench["rig"]["lights"][: self.rng.randrange(3)]}
            label = "Remove"
        else:
            body = {"rig": bench["rig"], "kind": self.rng.choice(list(kinds()))}
            result = self.answer("POST", f"/plates/{plate['id']}/edits/add", json=body, params=self.frame(plate))
            rig, label = (result["rig"], "Add") if result else (bench["rig"], "Nothing")
        self.answer("POST", f"/plates/{plate['id']}/revisions", json={"base": bench["revision"], "label": label, "rig": rig})

    def step(self) -> None:
        plate = self.plate()
        bench = self.rig(plate)
        if bench is not None:
            self.answer(
                "POST", f"/plates/{plate['id']}/{self.rng.choice(('undo', 'undo', 'redo'))}", json={"base": bench["revision"]}
            )

    def drag(self) -> None:
        """Drafts while something is dragged, then the exact picture with its stages."""
        plate = self.plate()
        bench = self.rig(plate)
        if bench is None:
            return
        rig, light = bench["rig"], (bench["rig"]["lights"] or [{"id": None}])[0]["id"]
        width, height = min(plate["width"], 600), min(plate["height"], 400)
        view = {"width": width, "height": height, "x0": 0, "y0": 0, "x1": width, "y1": height}
        address = f"{self.url.replace('http', 'ws', 1)}/api/plates/{plate['id']}/preview"
        with suppress(Gone), connect(address, max_size=None, open_timeout=PATIENCE) as socket:
            for seq in range(9):
                asked = {"seq": seq, "view": view, "draft": seq < 8, "light": light if seq == 8 else None, **self.frame(plate)}
                if seq:
                    grade = {"path": ["prepare", "exposure"], "value": self.rng.uniform(-1, 1)}
                    asked |= {"base": seq - 1, "changes": [{"op": "replace", **grade}]}
                else:
                    asked["rig"] = rig
                try:
                    socket.send(json.dumps(asked))
                    answer = socket.recv(timeout=PATIENCE)
                except ConnectionClosed as closed:
                    if closed.rcvd is None or closed.rcvd.code != GONE:
                        raise Fault(f"a preview was closed: {closed}") from closed
                    self.refused += 1
                    raise Gone from closed
                if isinstance(answer, str) and "fault in Aurelon" in answer:
                    raise Fault(answer)

    def keep(self) -> None:
        plate = self.plate()
        bench = self.rig(plate)
        if bench is not None:
            self.answer("POST", f"/plates/{plate['id']}/takes", json={"name": f"Take {self.rng.random():.4f}", "rig": bench["rig"]})
            take = self.one_of(f"/plates/{plate['id']}/takes", "takes")
            if take is not None and self.rng.random() < 0.6:
                self.answer("DELETE", f"/takes/{take['id']}")

    def save_rig(self) -> None:
        bench = self.rig(self.plate())
        if bench is not None:
            self.answer("POST", "/rigs", json={"name": f"Rig {self.rng.random():.4f}", "rig": bench["rig"]})
        saved = self.one_of("/rigs", "rigs")
        if saved is not None and saved["name"].startswith("Rig "):
            self.answer("DELETE", f"/rigs/{saved['id']}")

    def look(self) -> None:
        """What the page asks of a plate beside its picture."""
        plate = self.plate()
        bench = self.rig(plate)
        if bench is None:
            return
        body: dict[str, Any] = {"rig": bench["rig"]}
        ask, frame = f"/plates/{plate['id']}", self.frame(plate)
        what = self.rng.choice(("facts", "finder", "areas", "edges", "thumbnail", "files", "layers", "takes"))
        if what in ("facts", "finder"):
            self.answer("POST", f"{ask}/{what}", json=body, params=frame)
        else:
            self.ask("GET", f"{ask}/{what}", params=frame if what in ("areas", "edges") else {})

    def strip(self) -> None:
        plate = self.plate()
        bench = self.rig(plate)
        lights = bench["rig"]["lights"] if bench else []
        if lights:
            swept = [{"stage": "merge", "setting": "opacity"}]
            body = {"rig": bench["rig"], "light": self.rng.choice(lights)["id"], "settings": swept}
            self.answer("POST", f"/plates/{plate['id']}/strip", json=body, params=self.frame(plate))

    def sheet(self) -> None:
        plate = self.plate(own=True)
        if plate is not None:
            self.job(self.answer("POST", f"/plates/{plate['id']}/sheets/{self.rng.choice(('kinds', 'rigs'))}", json={}))

    def cut(self) -> None:
        plate = self.plate(own=True)
        if plate is not None:
            subject = {"part": "subject", "box": [0.2, 0.2, 0.8, 0.8]}
            self.job(self.answer("POST", f"/plates/{plate['id']}/parts/prepare", json={"part": subject}))

    def write(self) -> None:
        """Exports a plate and takes the file."""
        plate = self.plate()
        bench = self.rig(plate)
        if bench is None:
            return
        form, depth = self.rng.choice((("jpeg", "8"), ("png", "16"), ("tiff", "16"), ("exr", "half"), ("webp", "8")))
        body = {"rig": bench["rig"], "export": {"target": "picture", "format": form, "depth": depth, "long_edge": 500}}
        state = self.job(self.answer("POST", f"/plates/{plate['id']}/exports", json=body, params=self.frame(plate)))
        if state is not None:
            self.ask("GET", f"/jobs/{state['id']}/file")

    def run(self) -> None:
        """A run over a few plates, followed to its end and put away."""
        plates = [one["id"] for one in self.answer("GET", "/plates") if one["file_name"] == "own.png"][:3]
        if not plates:
            return
        export = {"target": "picture", "format": "jpeg", "depth": "8"}
        result = self.answer("POST", "/runs", json={"plates": plates, "export": export})
        began = time.monotonic()
        while result is not None and result["run"]["state"] not in ("done", "cancelled", "paused"):
            if time.monotonic() - began > PATIENCE:
                raise Fault(f"a run took longer than {PATIENCE:.0f} s")
            time.sleep(0.2)
            result = self.answer("GET", f"/runs/{result['run']['id']}")
        if result is not None:
            self.ask("DELETE", f"/runs/{result['run']['id']}")

    def open_page(self) -> None:
        """The page and what it begins with."""
        if httpx.get(f"{self.url}/", timeout=PATIENCE).status_code != 200:
            raise Fault("the page did not come")
        for path in ("/catalogue", "/plates", "/rigs", "/runs"):
            self.answer("GET", path)

    @property
    def ways(self) -> Mapping[Callable[[], None], float]:
        """What it does, and how often beside the others."""
        return {
            self.drag: 10,
            self.change: 8,
            self.step: 5,
            self.look: 8,
            self.keep: 2,
            self.save_rig: 1,
            self.strip: 1,
            self.write: 3,
            self.bring_in: 2,
            self.throw_out: 2,
            self.sheet: 0.3,
            self.cut: 1,
            self.run: 0.3,
            self.open_page: 1,
        }

    def do(self) -> str:
        """One thing; gives its name."""
        ways = self.ways
        (way,) = self.rng.choices(list(ways), list(ways.values()))
        way()
        self.done[way.__name__] = self.done.get(way.__name__, 0) + 1
        return way.__name__
