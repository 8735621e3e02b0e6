"""Has the process that worker processes are made from begin beside everything else, so that they are there at once."""

from __future__ import annotations

import multiprocessing
from multiprocessing import forkserver
from multiprocessing.context import BaseContext

FORKED = "forkserver"
_begun: list[bool] = []


def begin(*more: str) -> None:
    """To be called before the long imports of this process, by a program that is going to make many pictures and then ends. The
    process imports what they work with, and `more` modules."""
    if FORKED in multiprocessing.get_all_start_methods():
        multiprocessing.set_forkserver_preload(["aurelon.runs.worker", "aurelon.confined.decoder", *more])
        forkserver.ensure_running()
        _begun.append(True)


def context() -> BaseContext:
    """How worker processes are started: from that process where it was begun, and else each afresh. Never by copying this one,
    which has threads."""
    return multiprocessing.get_context(FORKED if _begun else "spawn")
