"""The package by itself: a wheel in an empty environment, and other people's kinds, mask parts and formats in it."""

from __future__ import annotations

import ast
import json
import os
import re
import shutil
import subprocess
import sys
import sysconfig
import tempfile
import time
import tomllib
import unittest
import urllib.request
from importlib.metadata import packages_distributions
from pathlib import Path
from typing import Any, ClassVar

import numpy as np
from filelock import FileLock
from PIL import Image

from tests.browser.window import free_port

ROOT = Path(__file__).resolve().parents[2]
EXTENSION = Path(__file__).resolve().parent / "extension"


class Declared(unittest.TestCase):
    def test_every_package_that_is_imported_is_declared(self) -> None:
        project = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]
        declared = {re.split(r"[<>=\[]", line)[0].lower() for line in project["dependencies"]}
        of_module = packages_distributions()
        for path in sorted((ROOT / "aurelon").rglob("*.py")):
            for node in ast.walk(ast.parse(path.read_text())):
                named = [node.module] if isinstance(node, ast.ImportFrom) else []
                named += [alias.name for alias in node.names] if isinstance(node, ast.Import) else []
                for module in (str(name).split(".")[0] for name in named):
                    if module in sys.stdlib_module_names or module == "aurelon":
                        continue
                    with self.subTest(path=path.name, module=module):
                        # A module without a folder of its own is called as its package is.
                        self.assertTrue({d.lower() for d in of_module.get(module, [module])} & declared)

    def test_the_lock_meets_the_ranges(self) -> None:
        project = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]
        locked = dict(line.lower().split("==") for line in (ROOT / "requirements.lock").read_text().split())
        for line in project["dependencies"]:
            name, least = line.split(">=")
            with self.subTest(package=name):
                self.assertGreaterEqual(tuple(map(int, locked[name].split("."))), tuple(map(int, least.split("."))))


class Wheel(unittest.TestCase):
    folder: ClassVar[Path]

    @classmethod
    def setUpClass(cls) -> None:
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.folder = Path(folder.name)
        # While this is held, no service compiles in the background what these tests do not need.
        cls.enterClassContext(FileLock(Path(tempfile.gettempdir()) / f"aurelon-precompile-{os.getuid()}.lock"))
        source = cls.folder / "source"
        # Built from a copy, so that nothing of the checkout is changed or leant on.
        wanted = shutil.ignore_patterns("__pycache__", "*.nbi", "*.nbc")
        shutil.copytree(ROOT / "aurelon", source / "aurelon", ignore=wanted)
        shutil.copytree(EXTENSION, cls.folder / "extension", ignore=wanted)
        for name in ("pyproject.toml", "README.md"):
            shutil.copy(ROOT / name, source)
        cls.pip(sys.executable, "wheel", "--no-deps", "--no-build-isolation", "-w", f"{cls.folder}/wheels", str(source))
        cls.pip(
            sys.executable, "wheel", "--no-deps", "--no-build-isolation", "-w", f"{cls.folder}/wheels", f"{cls.folder}/extension"
        )
        subprocess.run([sys.executable, "-m", "venv", cls.folder / "empty"], check=True)
        # It takes its dependencies from those that are installed here, which `Declared` compares with what the wheel asks for. The
        # checkout is not among them: an editable package is named by a .pth file, and Python reads those in site folders alone.
        site, here = cls.site(), Path(sysconfig.get_path("purelib"))
        (site / "dependencies.pth").write_text(f"{here}\n")
        wheel = next((cls.folder / "wheels").glob("aurelon-*.whl"))
        cls.pip(cls.python(), "install", "--no-deps", "--ignore-installed", str(wheel))
        cls.take_compiled_kernels()

    @classmethod
    def take_compiled_kernels(cls) -> None:
        """Kernels of the checkout, which `make setup-test` has compiled, as the same code would compile to. Numba knows a file by
        its time and size."""
        installed = cls.site() / "aurelon" / "core"
        for compiled in (ROOT / "aurelon" / "core").rglob("*.nb[ci]"):
            folder = installed / compiled.parent.relative_to(ROOT / "aurelon" / "core")
            folder.mkdir(exist_ok=True)
            shutil.copy(compiled, folder)
        for source in installed.rglob("*.py"):
            ours = ROOT / "aurelon" / "core" / source.relative_to(installed)
            os.utime(source, ns=(ours.stat().st_atime_ns, ours.stat().st_mtime_ns))

    @classmethod
    def site(cls) -> Path:
        return next((cls.folder / "empty" / "lib").glob("python3.*")) / "site-packages"

    @classmethod
    def python(cls) -> str:
        return str(cls.folder / "empty" / "bin" / "python")

    @classmethod
    def program(cls) -> str:
        return str(cls.folder / "empty" / "bin" / "aurelon")

    @staticmethod
    def pip(python: str, *words: str) -> None:
        result = subprocess.run(
            [python, "-m", "pip", "--quiet", "--disable-pip-version-check", *words], capture_output=True, text=True, check=False
        )
        if result.returncode:
            raise AssertionError(result.stderr)

    def aurelon(self, *words: str) -> subprocess.CompletedProcess[str]:
        # Nothing of this checkout is on the path.
        environment = {k: v for k, v in os.environ.items() if k != "PYTHONPATH"}
        command = [self.program(), *words]
        return subprocess.run(command, cwd=self.folder, env=environment, capture_output=True, text=True, check=False)

    def serve(self) -> str:
        port = free_port()
        command = [self.program(), "serve", "--port", str(port), "--data", str(self.folder / f"{port}")]
        process = subprocess.Popen(command, cwd=self.folder, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        self.addCleanup(process.wait)
        self.addCleanup(process.terminate)
        for _ in range(600):
            try:
                urllib.request.urlopen(f"http://127.0.0.1:{port}/api/catalogue").close()
                break
            except OSError:
                time.sleep(0.1)
        return f"http://127.0.0.1:{port}"

    def picture(self) -> str:
        codes = np.full((90, 120, 3), 60, np.uint8)
        Image.fromarray(codes).save(self.folder / "in.png")
        return str(self.folder / "in.png")

    def lit(self, rig: dict[str, Any], to: str) -> subprocess.CompletedProcess[str]:
        (self.folder / "rig.json").write_text(json.dumps(rig))
        return self.aurelon("render", self.picture(), "--rig", str(self.folder / "rig.json"), "-o", str(self.folder / to))

    def test_1_an_empty_environment_lights_a_picture(self) -> None:
        result = self.lit({"lights": [{"id": "a", "kind": "lamp"}]}, "out.png")
        self.assertEqual((result.returncode, result.stderr), (0, ""))
        self.assertGreater(np.asarray(Image.open(self.folder / "out.png")).max(), 90)

    def test_2_it_serves_the_screen(self) -> None:
        url = self.serve()
        page = urllib.request.urlopen(url).read().decode()
        script = re.search(r'src="(/[^"]+\.js)"', page)
        assert script is not None
        self.assertGreater(len(urllib.request.urlopen(url + script[1]).read()), 100_000)

    def test_3_an_extension_is_found_and_what_cannot_be_used_is_named(self) -> None:
        wheel = next((self.folder / "wheels").glob("merrow*.whl"))
        self.pip(self.python(), "install", "--no-deps", str(wheel))
        listed = self.aurelon("kinds")
        self.assertIn("veil", listed.stdout)
        self.assertIn("depth", listed.stdout)
        for words in (
            "broken of the package merrow-lights was left out: a library of mine is missing",
            "taken of the package merrow-lights was left out: the name 'bloom' is taken",
            "unset of the package merrow-lights was left out: Bare.nothing is declared by no type of setting",
        ):
            self.assertIn(words, listed.stderr)
        mask = {"start": "nothing", "parts": [{"part": "half"}]}
        result = self.lit({"lights": [{"id": "a", "kind": "veil", "mask": mask}]}, "out.ppm")
        self.assertEqual((result.returncode, result.stderr), (0, ""))
        head, body = (self.folder / "out.ppm").read_bytes().split(b"255\n", 1)
        seen = np.frombuffer(body, np.uint8).reshape(90, 120, 3).astype(int)
        self.assertEqual(head, b"P6 120 90 ")
        # Light at the top of the left half; none at the foot of it, none in the right half.
        self.assertGreater(seen[0, 20].min(), 90)
        self.assertEqual(seen[80, 20].tolist(), [60, 60, 60])
        self.assertEqual(seen[0, 100].tolist(), [60, 60, 60])

    def test_4_the_service_offers_the_extension_and_its_schema_has_it(self) -> None:
        url = self.serve()
        catalogue = json.load(urllib.request.urlopen(f"{url}/api/catalogue"))
        self.assertIn("veil", [kind["name"] for kind in catalogue["kinds"]])
        self.assertIn("half", [part["name"] for part in catalogue["parts"]])
        self.assertIn("ppm", [form["name"] for form in catalogue["export"]["targets"][0]["formats"]])
        self.assertEqual(len(catalogue["left_out"]), 3)
        self.assertIn("VeilLight", json.load(urllib.request.urlopen(f"{url}/openapi.json"))["components"]["schemas"])
        request = urllib.request.Request(f"{url}/api/plates/blank", b'{"name": "Air"}', {"Content-Type": "application/json"})
        plate = json.load(urllib.request.urlopen(request))["id"]
        rig = {"lights": [{"id": "a", "kind": "veil"}]}
        body = json.dumps({"rig": rig, "light": "a", "settings": [{"stage": "spread", "setting": "seed"}]}).encode()
        asked = urllib.request.Request(f"{url}/api/plates/{plate}/strip", body, {"Content-Type": "application/json"})
        self.assertGreater(len(json.load(urllib.request.urlopen(asked))["cells"]), 4)


if __name__ == "__main__":
    unittest.main()
