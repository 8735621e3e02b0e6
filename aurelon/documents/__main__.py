"""Writes them: `python -m aurelon.documents`. With `--gallery` the pictures of the kinds as well."""

from __future__ import annotations

import sys

from aurelon.documents.gallery import write_gallery
from aurelon.documents.published import DOCS, published

for name, text in published().items():
    (DOCS / name).write_text(text, "utf-8")
if "--gallery" in sys.argv:
    write_gallery(DOCS / "kinds")
