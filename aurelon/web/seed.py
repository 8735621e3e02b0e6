"""Puts the demo plates and their finished rigs in place."""

from __future__ import annotations

from contextlib import closing
from pathlib import Path

from aurelon.core import AurelonError, open_reel, parse_rig, read_plate
from aurelon.core.plates.blank import Blank, blank_picture
from aurelon.core.rig.transfer import apply_rig
from aurelon.store import PlateRecord, Store

DEMO = Path(__file__).resolve().parents[2] / "demo"
# In the order in which the home view shows them, last first.
TITLES = {"boatshed": "Boatshed", "brasslens": "Brass lens", "harbour": "Harbour at dusk", "headland": "Headland at dawn"}


NIGHT = "Night over Merrow Point"
REELS = {"passing": "Passing on deck", "ferry": "Ferry at dusk"}


def _seed_comparison(store: Store) -> None:
    """On the brass lens, its true depth as a file, and a take of each surface for a lamp."""
    plate = next(record for record in store.plates.all() if record.file_name == "brasslens.jpg")
    if store.takes.of(plate.id):
        return
    store.files.add((DEMO / "beside" / "brasslens-depth.png").read_bytes(), "brasslens-depth.png", plate_id=plate.id)
    rig = store.revisions.bench(plate.id).rig
    for name, lit in (("Lamp on the true depth", "lamp-on-true-depth"), ("Lamp on the brightness", "lamp-on-brightness")):
        lights = [light.model_copy(update={"on": light.id == lit}) if light.kind == "lamp" else light for light in rig.stack]
        store.takes.keep(plate.id, name, rig.model_copy(update={"lights": lights}))


def _with_thumbnail(store: Store, record: PlateRecord, stem: str) -> None:
    """Its picture for the list of plates is stored with it, so that the list does not wait."""
    store.plates.keep_thumbnail(record.id, record.revision, (DEMO / "thumbnails" / f"{stem}.jpg").read_bytes())


def _seed_reel(store: Store, stem: str, title: str, present: set[str]) -> None:
    path = DEMO / "reels" / f"{stem}.webm"
    if path.name in present or not path.is_file():
        return
    with path.open("rb") as file:
        kept = store.files.put_whole(file)
    with closing(open_reel(path)) as reel:
        rig = parse_rig((DEMO / "rigs" / f"{stem}.json").read_bytes())
        record = store.plates.add(kept, path.name, reel.size, reel.footage.depth, rig, title, len(reel))
    _with_thumbnail(store, record, stem)


def seed_demo(store: Store) -> None:
    """Adds every demo plate whose file the store does not hold yet, and the named rigs."""
    present = {record.file_name for record in store.plates.all()}
    for stem, title in REELS.items():
        _seed_reel(store, stem, title, present)
    for stem, title in TITLES.items():
        path = DEMO / "plates" / f"{stem}.jpg"
        if path.name in present:
            continue
        if not path.is_file():
            raise AurelonError(
                f"the demo plate {path.name} is not there: the demo plates come with Aurelon's source, not with the "
                "installed package; start without --demo"
            )
        data = path.read_bytes()
        plate = read_plate(data, path.name)
        rig = parse_rig((DEMO / "rigs" / f"{stem}.json").read_bytes())
        _with_thumbnail(store, store.plates.add(data, path.name, plate.size, plate.depth, rig, title), stem)
    _seed_comparison(store)
    if NIGHT not in {record.name for record in store.plates.all()}:
        data = blank_picture(Blank(begin="#3a3550", end="#070b18", angle=90))
        rig = parse_rig((DEMO / "rigs" / "night.json").read_bytes())
        plate = read_plate(data, "night.png")
        _with_thumbnail(store, store.plates.add(data, "night.png", plate.size, plate.depth, rig, NIGHT), "night")
    headland = next(record for record in store.plates.all() if record.file_name == "headland.jpg")
    if not store.takes.of(headland.id):
        signal = apply_rig(
            parse_rig((DEMO / "rigs" / "named" / "signal-line.json").read_bytes()), store.revisions.bench(headland.id).rig
        )
        store.takes.keep(headland.id, "Signal at dusk", signal.rig)
    saved = {one.name for one in store.rigs.all()}
    for path in sorted((DEMO / "rigs" / "named").glob("*.json")):
        name = path.stem.replace("-", " ").capitalize()
        if name not in saved:
            store.rigs.save(name, parse_rig(path.read_bytes()), None)
