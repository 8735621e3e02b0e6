"""Removes compiled kernels whose code has changed, however far away.

Numba keeps a compiled kernel for as long as its own file stays as it is. A kernel that calls another one has that one
inside it, so a change there goes unseen. Here each file of kernels is known by itself and all it takes from others, and by
the processor that it was compiled for.
"""

from __future__ import annotations

import ast
import hashlib
import json
import os
from contextlib import suppress
from pathlib import Path
from typing import Any

from numba.core.registry import cpu_target
from numba.misc import appdirs

user_cache_dir: Any = appdirs.user_cache_dir  # Numba has no types
CORE = Path(__file__).resolve().parents[1]


def _folder() -> Path:
    """Where it is noted what is compiled: beside the code, or in the user's cache where that cannot be written to. Kernels are kept
    in the same order."""
    beside = CORE / "__pycache__"
    for folder in (beside, Path(user_cache_dir("aurelon"))):
        with suppress(OSError):
            folder.mkdir(parents=True, exist_ok=True)
            if os.access(folder, os.W_OK):
                return folder
    return beside


KNOWN = _folder() / "kernels.json"
DONE = KNOWN.with_name("precompiled.json")
MARKS = ("njit", "register_jitable", "imaging.kernels")


def remove_stale_kernels() -> list[str]:
    """Removes kernels that were compiled from code that has changed. Returns the files to compile again."""
    digests = _digests(_kernel_files())
    known = json.loads(KNOWN.read_text()) if KNOWN.exists() else {}
    stale = [name for name, digest in digests.items() if known.get(name) != digest]
    for name in stale:
        path = CORE / name
        for compiled in (path.parent / "__pycache__").glob(f"{path.stem}.*.nb[ci]"):
            compiled.unlink()
    if stale:
        DONE.unlink(missing_ok=True)
    KNOWN.parent.mkdir(exist_ok=True)
    KNOWN.write_text(json.dumps(digests, indent=1))
    return stale


ALL = "all"  # every step


def precompiled() -> list[str]:
    """The names of the steps that were compiled to their end since code has changed; `ALL` stands for every one."""
    return list(json.loads(DONE.read_text())) if DONE.exists() else []


def is_precompiled(step: str) -> bool:
    """Whether a step was compiled to its end."""
    done = precompiled()
    return step in done or ALL in done


def note_precompiled(step: str) -> None:
    """Notes that it was. What a kill cut short is done again; what of it is kept takes no time."""
    new = DONE.with_name(f"{DONE.name}.new")
    new.write_text(json.dumps([*precompiled(), step]))
    new.replace(DONE)


def _kernel_files() -> dict[str, str]:
    """The text of every file with kernels, by its path in the core; and of the one that has them all compiled."""
    texts = {str(path.relative_to(CORE)): path.read_text("utf-8") for path in sorted(CORE.rglob("*.py"))}
    return {name: text for name, text in texts.items() if name == "precompile.py" or any(mark in text for mark in MARKS)}


def _digests(files: dict[str, str]) -> dict[str, str]:
    taken = {name: _imports(text) & files.keys() for name, text in files.items()}
    processor = repr(cpu_target.target_context.codegen().magic_tuple())

    def digest(name: str) -> str:
        return hashlib.sha256("".join((processor, *(files[one] for one in sorted(_all_of(name, taken))))).encode()).hexdigest()

    return {name: digest(name) for name in files}


def _imports(text: str) -> set[str]:
    """Files of the core that a file imports from."""
    modules = [node.module for node in ast.walk(ast.parse(text)) if isinstance(node, ast.ImportFrom) and node.module]
    within = [module.removeprefix("aurelon.core.") for module in modules if module.startswith("aurelon.core.")]
    return {f"{module.replace('.', '/')}.py" for module in within}


def _all_of(name: str, taken: dict[str, set[str]]) -> set[str]:
    found, new = set[str](), {name}
    while new:
        found |= new
        new = set[str]().union(*(taken[one] for one in new)) - found
    return found
