"""Puts a small fault into one file of the code as it is imported, where AURELON_FAULT names one; the file itself stays as it is."""

from __future__ import annotations

import ast
import json
import linecache
import os
import sys
import tempfile
from importlib.machinery import SourceFileLoader
from pathlib import Path

COMPILED = {"kernel", "strict_kernel", "whole_kernel", "inlined"}  # decorators of what Numba compiles
FAULT = os.environ.get("AURELON_FAULT")


def in_a_kernel(text: str, before: str) -> bool:
    """Whether a part of a text stands in a function that Numba compiles."""
    line = text[: text.index(before)].count("\n") + 1
    functions = (node for node in ast.walk(ast.parse(text)) if isinstance(node, ast.FunctionDef))
    here = (node for node in functions if node.lineno <= line <= (node.end_lineno or 0))
    return any(isinstance(d, ast.Name) and d.id in COMPILED for node in here for d in node.decorator_list)


def compile_anew() -> None:
    """From now on this process and those that it starts keep kernels in a folder of their own, which is empty."""
    os.environ["NUMBA_CACHE_DIR"] = os.environ.get("NUMBA_CACHE_DIR") or tempfile.mkdtemp()
    if (numba := sys.modules.get("numba")) is not None:
        numba.config.CACHE_DIR = os.environ["NUMBA_CACHE_DIR"]


def install(path: str, before: str, after: str) -> None:
    """From now on a module of that path is imported with the text `after` in place of `before`."""
    text = Path(path).read_text("utf-8")
    if text.count(before) != 1:
        raise SystemExit(f"the text of the fault is {text.count(before)} times in {path}")
    faulty_text = text.replace(before, after)
    if in_a_kernel(text, before):
        compile_anew()
        # Kernels are made of their source, which Python looks up here.
        linecache.cache[path] = (len(faulty_text), None, faulty_text.splitlines(keepends=True), path)
    get_code = SourceFileLoader.get_code

    def faulty(self, fullname):  # type: ignore[no-untyped-def]
        if self.path != path:
            return get_code(self, fullname)
        return compile(faulty_text, path, "exec", dont_inherit=True)

    SourceFileLoader.get_code = faulty  # type: ignore[method-assign]


if FAULT:
    install(**json.loads(FAULT))
