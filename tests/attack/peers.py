"""Hostile peers round one honest bench: schedulers that are mute, slow, talkative or lie, requests that stay open, bodies that are
held, previews asked for without end. The bench is answered as if it were alone, but for its share of the machine."""

from __future__ import annotations

import io
import json
import signal
import socket
import statistics
import struct
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import ExitStack, closing, contextmanager, suppress
from pathlib import Path
from typing import Any, NamedTuple

import httpx
import numpy as np
from PIL import Image
from websockets.exceptions import WebSocketException
from websockets.sync.client import ClientConnection, connect

from tests.browser.window import Service

HONEST, HOSTILE = "127.0.0.1", "127.0.0.2"  # addresses that the two come from
SIZE = (1500, 1000)
VIEW = {"width": 900, "height": 600, "x0": 0, "y0": 0, "x1": 900, "y1": 600}
PATIENCE = 120.0
ENDS = 5.0  # seconds in which the service must end
Peer = Callable[[Service, int, threading.Event], None]


class Report(NamedTuple):
    """Median seconds of a draft alone, and beside each sort of peer; and what should not have come."""

    alone: float
    beside: dict[str, float]
    faults: list[str]


def photograph() -> bytes:
    out = io.BytesIO()
    rng = np.random.default_rng(5)
    Image.fromarray(rng.integers(0, 256, (SIZE[1], SIZE[0], 3), np.uint8)).save(out, "JPEG")
    return out.getvalue()


def drafts(service: Service, plate: int, count: int) -> list[float]:
    """Seconds from a request to its draft, one after another, as a hand drags."""
    url = f"ws://{HONEST}:{service.port}/api/plates/{plate}/preview"
    taken = []
    with connect(url, max_size=None, open_timeout=PATIENCE, close_timeout=1) as preview:
        for seq in range(count):
            rig = {"lights": [{"id": "sun", "kind": "shafts", "spread": {"position": [0.2 + 0.001 * seq, 0.3]}}]}
            began = time.monotonic()
            preview.send(json.dumps({"seq": seq, "rig": rig, "view": VIEW, "draft": True}))
            preview.recv(PATIENCE)
            taken.append(time.monotonic() - began)
    return taken


def from_address(port: int, address: str = HOSTILE) -> socket.socket:
    return socket.create_connection((HONEST, port), source_address=(address, 0))


def half_open(service: Service, plate: int, over: threading.Event) -> None:
    """More requests than there are descriptors whose head never ends."""
    with ExitStack() as held:
        while not over.is_set():
            with suppress(OSError):
                held.enter_context(from_address(service.port)).sendall(b"GET /api/plates HTTP/1.1\r\nX-A: ")
            over.wait(0.002)


def held_bodies(service: Service, plate: int, over: threading.Event) -> None:
    """Bodies of which a byte comes now and then."""
    report = b"Content-Type: multipart/form-data; boundary=x\r\nContent-Length: 99999"
    head = b"POST /api/plates HTTP/1.1\r\nHost: 127.0.0.1\r\n" + report + b"\r\n\r\n"
    with ExitStack() as stack:
        held = []
        for _ in range(70):
            held.append(stack.enter_context(from_address(service.port)))
            held[-1].sendall(head + b"--x\r\n")
        while not over.wait(0.5):
            for one in held:
                with suppress(OSError):
                    one.sendall(b"-")


@contextmanager
def own_preview(service: Service, plate: int) -> Iterator[ClientConnection]:
    """A preview that the hostile address asks for."""
    url = f"ws://{HONEST}:{service.port}/api/plates/{plate}/preview"
    with closing(from_address(service.port)) as own:
        yield connect(url, sock=own, max_size=None, open_timeout=PATIENCE, close_timeout=1)


def previews(service: Service, plate: int, over: threading.Event) -> None:
    """Twenty-five previews that ask for exact pictures without end."""

    def ask(number: int) -> None:
        seq = 0
        while not over.is_set():
            with suppress(WebSocketException, OSError), own_preview(service, plate) as preview:
                while not over.is_set():
                    seq += 1
                    radius = 0.01 + 0.0001 * (seq % 90 + number)
                    rig = {"lights": [{"id": "a", "kind": "bloom", "spread": {"radius": radius}}]}
                    preview.send(json.dumps({"seq": seq, "rig": rig, "view": VIEW}))
                    preview.recv(PATIENCE)

    asking = [threading.Thread(target=ask, args=(number,), daemon=True) for number in range(25)]
    for one in asking:
        one.start()
    over.wait()
    for one in asking:
        one.join(5)


def talkers(service: Service, plate: int, over: threading.Event) -> None:
    """Broken messages to a preview, as fast as they can be sent."""
    while not over.is_set():
        with suppress(WebSocketException, OSError), own_preview(service, plate) as preview:
            while not over.is_set():
                preview.send('{"seq": 1, "rig": ' + "[" * 2000)
                preview.recv(PATIENCE)


PEERS: dict[str, Peer] = {"half-open requests": half_open, "held bodies": held_bodies, "25 previews": previews, "talkers": talkers}


@contextmanager
def beside(peer: Peer, service: Service, plate: int) -> Iterator[None]:
    """A peer at work, for as long as this lasts."""
    over = threading.Event()
    working = threading.Thread(target=peer, args=(service, plate, over), daemon=True)
    working.start()
    time.sleep(1.5)
    try:
        yield
    finally:
        over.set()
        working.join(10)


def scheduler(listening: socket.socket, manner: str) -> None:
    """A listener in a scheduler's place that answers not at all, byte by byte, without end, or with nonsense."""
    while True:
        try:
            connection, _ = listening.accept()
        except OSError:
            return

        def answer(connection: socket.socket = connection) -> None:
            with connection, suppress(OSError):
                for _ in range(200):
                    if manner == "mute":
                        time.sleep(1)
                    elif manner == "slow":
                        connection.sendall(b"\0")
                        time.sleep(1)
                    elif manner == "talkative":
                        connection.sendall(struct.pack("Q", 1 << 40) + bytes(1 << 20))
                    else:
                        connection.sendall(struct.pack("Q", 24) + struct.pack("QQQ", 1, 2**63, 7))

        threading.Thread(target=answer, daemon=True).start()


def campaign(count: int) -> Report:
    """So many drafts alone and beside each sort of peer; then a run on each sort of scheduler, and the end of the service."""
    report: dict[str, float] = {}
    faults: list[str] = []
    with ExitStack() as stack:
        data = Path(stack.enter_context(tempfile.TemporaryDirectory())) / "data"
        manners = ("mute", "slow", "talkative", "lying")
        words = []
        for manner in manners:
            listening = stack.enter_context(socket.create_server((HONEST, 0)))
            threading.Thread(target=scheduler, args=(listening, manner), daemon=True).start()
            words += ["--cluster", f"{manner}=tcp://{HONEST}:{listening.getsockname()[1]}"]
        service = Service(data, more=words)
        service.start()
        stack.callback(service.stop, signal.SIGKILL)
        client = stack.enter_context(httpx.Client(base_url=f"{service.url}/api", timeout=PATIENCE))
        plate = client.post("/plates", files={"file": ("shore.jpg", photograph())}).json()["id"]
        drafts(service, plate, count)
        alone = statistics.median(drafts(service, plate, count))
        for name, peer in PEERS.items():
            with beside(peer, service, plate):
                report[name] = statistics.median(drafts(service, plate, count))
                began = time.monotonic()
                status = client.get("/plates").status_code
                if status != 200 or time.monotonic() - began > PATIENCE / 4:
                    faults.append(f"beside {name} the list of plates was answered with {status}")
        faults += _runs(client, plate, manners)
        began = time.monotonic()
        assert service.process is not None
        service.process.terminate()
        service.process.wait(PATIENCE)
        if time.monotonic() - began > ENDS:
            faults.append(f"the service took {time.monotonic() - began:.1f} s to end")
    return Report(alone, report, faults)


def _runs(client: httpx.Client, plate: int, manners: tuple[str, ...]) -> list[str]:
    """What went wrong with runs on clusters gone bad, and with one on this machine after them."""
    faults = []
    body: dict[str, Any] = {"plates": [plate], "export": {"target": "picture", "format": "png", "depth": "8"}}
    for manner in (*manners, ""):
        run = client.post("/runs", json={**body, "cluster": manner}).json()["run"]["id"]
        wanted = "paused" if manner else "done"
        began = time.monotonic()
        while (state := client.get(f"/runs/{run}").json()["run"])["state"] != wanted:
            if time.monotonic() - began > PATIENCE:
                faults.append(f"a run on a {manner or 'this machine'} cluster is {state['state']}")
                break
            time.sleep(0.2)
    # The last one is left to a mute scheduler, so that the service must end in the middle of it.
    client.post("/runs", json={**body, "cluster": "mute"})
    return faults


def main() -> int:
    report = campaign(int(sys.argv[1]) if len(sys.argv) > 1 else 60)
    for fault in report.faults:
        print(fault)
    print(f"a draft takes {1000 * report.alone:.0f} ms alone (median)")
    for name, median in report.beside.items():
        print(f"beside {name}: {1000 * median:.0f} ms, {median / report.alone:.1f} x")
    return 1 if report.faults or max(report.beside.values()) > 3 * report.alone else 0


if __name__ == "__main__":
    sys.exit(main())
