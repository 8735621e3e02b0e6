"""A confined process: started, asked one thing at a time, and given up where it comes to no end."""

from __future__ import annotations

import io
import os
import signal
import socket
import time
from collections.abc import Callable, Mapping
from contextlib import suppress
from pathlib import Path
from threading import Lock, Thread
from typing import Any, BinaryIO, cast

import psutil
from numba.core import event

from aurelon.confined import forkserver
from aurelon.confined.confinement import allow_processor_time, confine
from aurelon.confined.wire import WireError, receive, send, shut
from aurelon.core.errors import AurelonError
from aurelon.core.imaging.memory import give_back
from aurelon.core.reels.shared.read_in_place import ReadInPlace

STARTING = 300.0  # seconds in which a process must be ready: at a first start it compiles what it needs
LOOK_EVERY = 0.5  # seconds between a process's looks at whether its owner is still there
COMPILING = 600.0  # seconds of a processor that compiling may take, which do not count
READ_MOST = 4 << 20  # bytes of a file that are asked for at once
NO_MEMORY = "no memory"

Operation = Callable[..., Any]
Operations = Callable[[], Mapping[str, Operation]]


class ProcessLost(Exception):
    """The process ended before it answered."""


class TookTooLong(Exception):
    """The process used all the seconds of a processor that it was given, or did not answer."""


class NeedsMemory(Exception):
    """The process needed more memory than it may have."""


class Refused(AurelonError):
    """An error that the process answered with: its kind by name, and its sentence."""

    def __init__(self, kind: str, sentence: str) -> None:
        super().__init__(sentence)
        self.kind = kind


class ConfinedProcess:
    """A process that offers `operations` and is confined before it does the first. Started with the first question. Safe between
    threads: questions are answered in turn."""

    def __init__(self, operations: Operations, *, network: bool = False, readable: tuple[Path, ...] = ()) -> None:
        self._operations = operations
        self._network = network
        self._readable = readable
        self._lock = Lock()
        self._process: Any = None
        self._connection: socket.socket | None = None
        self._closed = False

    @property
    def pid(self) -> int | None:
        return None if self._process is None else self._process.pid

    @property
    def closed(self) -> bool:
        """Whether it was ended on purpose."""
        return self._closed

    @property
    def alive(self) -> bool:
        return self._process is not None and self._process.is_alive()

    def start(self) -> None:
        """Has the process begin and be ready; called by the first question where it was not before."""
        with self._lock:
            self._begin()

    def ask(
        self, operation: str, *arguments: Any, seconds: float | None = None, patience: float, file: BinaryIO | None = None
    ) -> Any:
        """What an operation answers. It may use so many `seconds` of a processor and take `patience` seconds in all; compiling does
        not count. The process may read `file`.

        Raises Refused for what the operation refuses, TookTooLong, NeedsMemory, and ProcessLost.
        """
        with self._lock:
            connection = self._begin()
            deadline = time.monotonic() + patience
            try:
                connection.settimeout(patience)
                send(connection, {"do": operation, "with": arguments, "seconds": seconds})
                while True:
                    connection.settimeout(max(deadline - time.monotonic(), 0.001))
                    answer = receive(connection)
                    if "read" not in answer:
                        break
                    send(connection, {"data": _part(file, *answer["read"])})
            except TimeoutError as error:
                self._end()
                raise TookTooLong(f"it did not answer within {patience:.0f} s") from error
            except (WireError, OSError) as error:
                raise self._lost() from error
            except BaseException:
                self._end()  # what it would answer next belongs to this question
                raise
        if "answer" in answer:
            return answer["answer"]
        if answer["refused"][0] == NO_MEMORY:
            raise NeedsMemory
        raise Refused(*answer["refused"])

    def close(self) -> None:
        """Ends the process, whatever it does. Whoever waits for an answer gets ProcessLost."""
        self._closed = True
        process, connection = self._process, self._connection
        if process is not None and process.is_alive():
            process.kill()
        if connection is not None:
            with suppress(OSError):
                connection.shutdown(socket.SHUT_RDWR)  # which wakes waiting readers
        if self._lock.acquire(blocking=False):
            try:
                self._end()
            finally:
                self._lock.release()

    def _begin(self) -> socket.socket:
        if self._closed:
            raise ProcessLost("it was closed")
        if self._connection is not None and self.alive:
            return self._connection
        self._end()
        ours, theirs = socket.socketpair()
        context: Any = forkserver.context()
        arguments = (theirs, self._operations, self._network, self._readable, os.getpid())
        self._process = context.Process(target=_serve, args=arguments, daemon=True)
        self._process.start()
        theirs.close()
        self._connection = ours
        ours.settimeout(STARTING)
        try:
            receive(ours)
        except TimeoutError as error:
            self._end()
            raise TookTooLong("it did not begin") from error
        except (WireError, OSError) as error:
            raise self._lost() from error
        return ours

    def _lost(self) -> Exception:
        """Why the process is gone."""
        process = self._process
        if process is not None:
            process.join(5)
        code = None if process is None else process.exitcode
        self._end()
        if code == -signal.SIGXCPU:
            return TookTooLong("it used all its seconds")
        return ProcessLost(f"it ended with {code}")

    def _end(self) -> None:
        process, self._process = self._process, None
        connection, self._connection = self._connection, None
        if connection is not None:
            shut(connection)
        if process is not None:
            if process.is_alive():
                process.kill()
            process.join(5)


def _part(file: BinaryIO | None, offset: int, size: int) -> bytes:
    if file is None:
        raise WireError("there is nothing to read")
    file.seek(max(0, offset))
    return file.read(max(0, min(size, READ_MOST)))


class FileElsewhere(ReadInPlace):
    """A file of the asking process, read over the connection."""

    def __init__(self, connection: socket.socket, size: int) -> None:
        super().__init__(size)
        self._connection = connection

    def piece(self, offset: int, size: int) -> bytes:
        send(self._connection, {"read": [offset, min(size, READ_MOST)]})
        data: bytes = receive(self._connection)["data"]
        return data


_serving: list[socket.socket] = []


def file_elsewhere(size: int) -> BinaryIO:
    """The file that came with the present question, in a confined process."""
    return cast(BinaryIO, io.BufferedReader(FileElsewhere(_serving[0], size), 1 << 20))


class _NotCounted(event.Listener):
    """Gives back the seconds of a processor that compiling a kernel takes: at a first start they do not count against the file."""

    def __init__(self) -> None:
        self.left = 0.0  # seconds that the question had when compiling began
        self._deep = 0
        self._ends = 0.0

    def allow(self, seconds: float) -> None:
        self._ends = _used() + seconds
        allow_processor_time(seconds)

    def on_start(self, _: Any) -> None:
        if self._deep == 0:
            self.left = max(self._ends - _used(), 0.0)
            allow_processor_time(COMPILING)
        self._deep += 1

    def on_end(self, _: Any) -> None:
        self._deep -= 1
        if self._deep == 0:
            self.allow(self.left)


def _used() -> float:
    times = psutil.Process().cpu_times()
    return float(times.user + times.system)


def _serve(connection: socket.socket, operations: Operations, network: bool, readable: tuple[Path, ...], owner: int) -> None:
    """The confined process: says that it is ready, then answers until its owner is gone."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # its owner ends it
    signal.signal(signal.SIGTERM, signal.SIG_DFL)
    # What libraries in C say of damage they say beside the sentence that is answered.
    nowhere = os.open(os.devnull, os.O_WRONLY)
    for stream in (1, 2):
        os.dup2(nowhere, stream)
    _serving[:] = [connection]
    offered = operations()
    confine(network=network, readable=readable)
    Thread(target=_end_with, args=(owner,), daemon=True).start()
    counted = _NotCounted()
    event.register("numba:compile", counted)
    try:
        send(connection, {"ready": True})
        while True:
            asked = receive(connection)
            counted.allow(asked["seconds"] if asked["seconds"] is not None else 1e8)
            answer = _answer(offered[asked["do"]], asked["with"])
            try:
                send(connection, answer)
            except (MemoryError, OSError):  # no room for what it would hand over
                send(connection, {"refused": [NO_MEMORY, ""]})
            del asked, answer
            give_back()
    except WireError:
        os._exit(0)  # the owner has closed the connection


def _answer(operation: Operation, arguments: tuple[Any, ...]) -> dict[str, Any]:
    try:
        return {"answer": operation(*arguments)}
    except MemoryError:
        return {"refused": [NO_MEMORY, ""]}
    except WireError:
        raise
    except AurelonError as error:
        return {"refused": [type(error).__name__, str(error)]}
    except ValueError as error:
        return {"refused": [type(error).__name__, str(error)]}


def _end_with(owner: int) -> None:
    while psutil.pid_exists(owner):
        time.sleep(LOOK_EVERY)
    os._exit(1)
