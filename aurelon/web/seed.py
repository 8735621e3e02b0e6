"""Puts the demo plates and their finished rigs in place."""

from __future__ import annotations

from pathlib import Path

from aurelon.core import AurelonError, parse_rig, read_plate
from aurelon.store import Store

DEMO = Path(__file__).resolve().parents[2] / "demo"
# In the order in which the home view shows them, last first.
TITLES = {"boatshed": "Boatshed", "brasslens": "Brass lens", "harbour": "Harbour at dusk", "headland": "Headland at dawn"}


def seed_demo(store: Store) -> None:
    """Adds every demo plate whose file the store does not hold yet, and the named rigs."""
    present = {record.file_name for record in store.plates()}
    for stem, title in TITLES.items():
        path = DEMO / "plates" / f"{stem}.jpg"
        if path.name in present:
            continue
        if not path.is_file():
            raise AurelonError(f"the demo plate {path.name} is missing from demo/plates; check out the project again")
        data = path.read_bytes()
        plate = read_plate(data, path.name)
        rig = parse_rig((DEMO / "rigs" / f"{stem}.json").read_bytes())
        store.add_plate(data, path.name, plate.size, plate.depth, rig, title)
    saved = {one.name for one in store.saved_rigs()}
    for path in sorted((DEMO / "rigs" / "named").glob("*.json")):
        name = path.stem.replace("-", " ").capitalize()
        if name not in saved:
            store.save_rig(name, parse_rig(path.read_bytes()), None)
