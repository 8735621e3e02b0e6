"""Renders the pictures of the demo plates that the list of plates shows: python -m demo.thumbnails."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from functools import partial
from pathlib import Path

from aurelon.core import Renderer, read_plate, read_reel
from aurelon.core.graph.small_pictures import thumbnail
from aurelon.store import Store
from aurelon.web.seed import seed_demo

THUMBNAILS = Path(__file__).parent / "thumbnails"


def thumbnails_now() -> Iterator[tuple[str, bytes]]:
    """The name of every demo plate's file, without its ending, and its lit picture (JPEG)."""
    with tempfile.TemporaryDirectory() as folder:
        store = Store(Path(folder) / "data.sqlite")
        try:
            seed_demo(store)
            for record in store.plates.all():
                if record.frames:
                    plate = read_reel(partial(store.plates.opened, record.id), record.file_name)[0]
                    plate.file_of = store.files.get
                else:
                    plate = read_plate(store.plates.file(record.id), record.file_name)
                yield Path(record.file_name).stem, thumbnail(Renderer(plate), store.revisions.bench(record.id).rig)
        finally:
            store.close()


def main() -> None:
    THUMBNAILS.mkdir(exist_ok=True)
    for name, picture in thumbnails_now():
        (THUMBNAILS / f"{name}.jpg").write_bytes(picture)


if __name__ == "__main__":
    main()
