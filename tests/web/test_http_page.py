"""The examples of docs/http.md, run one after another as they stand against a service."""

from __future__ import annotations

import contextlib
import io
import os
import re
import tempfile
import unittest
from pathlib import Path

import httpx
from PIL import Image

from tests.browser.window import ROOT, Service
from tests.pictures import scene
from tests.web.service import png

PAGE = ROOT / "docs" / "http.md"


class HttpPage(unittest.TestCase):
    def test_every_example_runs_and_does_what_the_page_says(self) -> None:
        blocks = re.findall(r"```python\n(.*?)```", PAGE.read_text("utf-8"), re.S)
        self.assertEqual(len(blocks), 8)
        here = os.getcwd()
        self.addCleanup(os.chdir, here)
        with tempfile.TemporaryDirectory() as folder:
            service = Service(Path(folder) / "data")
            service.start()
            self.addCleanup(service.stop)
            Image.open(io.BytesIO(png(scene(600, 400)))).save(Path(folder) / "shore.jpg")
            os.chdir(folder)
            sentence, names = io.StringIO(), dict[str, object]()
            with contextlib.redirect_stdout(sentence):
                for block in blocks:
                    exec(compile(block.replace("http://127.0.0.1:8420", service.url), PAGE.name, "exec"), names)
            os.chdir(here)
            client = names["service"]
            assert isinstance(client, httpx.Client)
            client.close()
        lines = sentence.getvalue().splitlines()
        for line, expected in zip(
            lines,
            (
                r"\d+ 600 400",
                r"422 .*prepare\.exposure",
                r"image/jpeg \d{4,}",
                r"done shore-lit\.png \d{5,}",
                r"1 0 \d{4,}",
                r"\(200, 300, 3\) float32",
            ),
            strict=True,
        ):
            self.assertRegex(line, expected)


if __name__ == "__main__":
    unittest.main()
