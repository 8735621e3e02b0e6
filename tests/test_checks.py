"""Type checks, lint and published documents, each as a test."""

from __future__ import annotations

import ast
import subprocess
import unittest
from graphlib import TopologicalSorter
from pathlib import Path

from aurelon.core.lights import kinds
from aurelon.documents.published import DOCS, published

ROOT = Path(__file__).resolve().parents[1]


class Checks(unittest.TestCase):
    def passes(self, *command: str, folder: str = ".") -> None:
        done = subprocess.run(command, cwd=ROOT / folder, capture_output=True, text=True)
        self.assertEqual(done.returncode, 0, f"{' '.join(command)}\n{done.stdout[-4000:]}{done.stderr[-2000:]}")

    def test_python_types(self) -> None:
        self.passes(".venv/bin/mypy")

    def test_python_lint(self) -> None:
        self.passes(".venv/bin/ruff", "check", ".")

    def test_no_function_has_a_cyclomatic_complexity_over_15(self) -> None:
        self.passes(".venv/bin/ruff", "check", "--select", "C901", "aurelon")

    def test_python_format(self) -> None:
        self.passes(".venv/bin/ruff", "format", "--check", ".")

    def test_typescript_format(self) -> None:
        self.passes("npx", "prettier", "--check", "--log-level", "warn", "src", folder="frontend")

    def test_typescript_types(self) -> None:
        self.passes("npx", "tsc", "--noEmit", folder="frontend")

    def test_typescript_lint(self) -> None:
        self.passes("npx", "eslint", ".", "--max-warnings", "0", folder="frontend")

    def test_published_documents_are_those_of_the_models(self) -> None:
        for name, text in published().items():
            self.assertEqual((DOCS / name).read_text("utf-8"), text, f"docs/{name} is old: run python -m aurelon.documents")

    def test_every_kind_has_its_picture(self) -> None:
        self.assertEqual({path.stem for path in (DOCS / "kinds").glob("*.jpg")}, set(kinds()))

    def test_no_arrow_between_rooms_of_the_core_runs_back_up(self) -> None:
        core = ROOT / "aurelon/core"
        below: dict[str, set[str]] = {}
        for path in core.rglob("*.py"):
            room = path.relative_to(core).parts[0].removesuffix(".py")
            imported = (n for n in ast.walk(ast.parse(path.read_text("utf-8"))) if isinstance(n, ast.ImportFrom) and n.module)
            names = {n.module.split(".")[2] for n in imported if n.module and n.module.startswith("aurelon.core.")}
            below.setdefault(room, set()).update(names - {room})
        TopologicalSorter(below).prepare()  # raises CycleError, which names the rooms

    def test_the_core_imports_nothing_from_the_rest(self) -> None:
        for path in (ROOT / "aurelon/core").rglob("*.py"):
            for line in path.read_text("utf-8").splitlines():
                if line.lstrip().startswith(("import ", "from ")):
                    for outside in ("fastapi", "starlette", "peewee", "uvicorn", "aurelon.web", "aurelon.store", "aurelon.runs"):
                        self.assertNotIn(outside, line, str(path))
