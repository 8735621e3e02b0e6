"""Takes a saved rig, or some of its lights, to another plate.

Lengths are shares of the diagonal and places fractions of the plate, so that they follow the picture.
What belongs to one picture stays with it: how it is straightened and cropped, and mattes that were
painted or cut out on it.
"""

from __future__ import annotations

from typing import Any

from aurelon.core.rig.edits.shared.edit import Edited
from aurelon.core.rig.ids import free_id
from aurelon.core.rig.model import HOUSE, PLATE, Keys, Matte, Rig
from aurelon.core.rig.owner import LightOwner
from aurelon.core.rig.reading import check_rig


def apply_rig(saved: Rig, onto: Rig, lights: list[str] | None = None, name: str = "a rig") -> Edited:
    """`saved`, called `name`, on the plate whose rig is `onto`: the whole of it, or only the lights of these ids, added
    on top.

    Raises RigError where an id is not there or the lights are too many.
    """
    chosen = saved.stack if lights is None else [saved.light(one) for one in lights]
    used = [matte for light in chosen for matte in light.mattes()] + (saved.house.mask.mattes() if lights is None else [])
    names, mattes, notes = _mattes_for(used, saved, onto)
    taken = {light.id for light in onto.stack} if lights is not None else set()
    added = []
    keys = dict(onto.keys) if lights is not None else _of_the_whole(saved)
    for light in chosen:
        result = light.with_mattes(names).model_copy(update={"id": free_id(light.id, taken)})
        taken.add(result.id)
        added.append(result)
        if light.id in saved.keys:
            keys[result.id] = saved.keys[light.id]
    update: dict[str, Any] = {"mattes": (*onto.mattes, *mattes), "files": {**saved.files, **onto.files}, "keys": keys}
    if lights is None:
        kept = {"straighten": onto.prepare.straighten, "crop": onto.prepare.crop}
        update["prepare"] = saved.prepare.model_copy(update=kept)
        update["house"] = saved.house.model_copy(update={"mask": saved.house.mask.with_mattes(names)})
        update["lights"] = added
    else:
        update["lights"] = [*onto.stack, *added]
    chosen_now = LightOwner(id=added[-1].id) if added else None
    return Edited(check_rig(onto.model_copy(update=update).model_dump()), f"Apply {name}", chosen_now, notes=notes)


def _of_the_whole(saved: Rig) -> Keys:
    """Keys of what is not a light's; straightening and crop stay as they are on the plate."""
    plate = {path: track for path, track in saved.keys.get(PLATE, {}).items() if path not in ("straighten", "crop")}
    return {**({PLATE: plate} if plate else {}), **({HOUSE: saved.keys[HOUSE]} if HOUSE in saved.keys else {})}


def _mattes_for(used: list[str], saved: Rig, onto: Rig) -> tuple[dict[str, str], list[Matte], list[str]]:
    """What each matte of the saved rig is called on this plate, those to bring along, and notes on those left out."""
    names: dict[str, str] = {}
    brought: list[Matte] = []
    notes: list[str] = []
    taken = {matte.id for matte in onto.mattes}

    def settle(wanted: str) -> None:
        if wanted in names:
            return
        result = saved.matte(wanted)
        called = (result.name or result.id).lower() if result else wanted
        here = onto.matte(wanted) or next((m for m in onto.mattes if (m.name or m.id).lower() == called), None)
        names[wanted] = here.id if here else wanted
        if here is not None:
            return
        if result is None or any(part.of_one_picture for part in result.mask.stack):
            title = (result.name or result.id) if result else wanted
            notes.append(f"It uses the matte “{title}”, which was made on another picture; make a matte of that name on this one.")
            return
        for below in result.mask.mattes():
            settle(below)
        new = free_id(wanted, taken)
        taken.add(new)
        names[wanted] = new
        brought.append(result.model_copy(update={"id": new, "mask": result.mask.with_mattes(names)}))

    for wanted in used:
        settle(wanted)
    return names, brought, notes
