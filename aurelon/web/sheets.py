"""Sheets of pictures to choose from, made one by one in the background."""

from __future__ import annotations

import time

from pydantic import BaseModel

from aurelon.core import Renderer, Rig
from aurelon.core.graph.new_light import new_light
from aurelon.core.graph.small_pictures import small_picture
from aurelon.core.lights import kinds
from aurelon.core.rig.model import AnyLight
from aurelon.core.rig.transfer import apply_rig
from aurelon.runs.jobs import Control
from aurelon.store import SavedRig
from aurelon.web.preparing import LOOK_EVERY, Preparing


class KindCell(BaseModel):
    """A light of one kind, placed so that it shows on this plate, and the plate with it (JPEG in base64)."""

    title: str
    summary: str
    light: AnyLight
    picture: str


class RigCell(BaseModel):
    """A saved rig on this plate (JPEG in base64)."""

    saved: SavedRig
    picture: str


def light_every_kind(renderer: Renderer, rig: Rig, preparing: Preparing, control: Control) -> None:
    """Gives a light of every kind, placed on the plate over the rig as it stands; one whose kernels are still to come once they are
    there, so that nobody who shows the plate waits for them."""
    waits = preparing.seconds_left()
    for done, (name, kind) in enumerate(sorted(kinds().items(), key=lambda one: waits.get(one[0], 0.0))):
        while not preparing.is_ready(name):
            time.sleep(LOOK_EVERY)
            control.go_on()
        light = new_light(name, renderer.plate, rig, example=True)
        lit = rig.model_copy(update={"lights": [*rig.stack, light]})
        control.give(KindCell(title=kind.called, summary=kind.summary, light=light, picture=small_picture(renderer, lit)))
        control.progress((done + 1) / len(kinds()))


def show_every_rig(renderer: Renderer, saved: list[SavedRig], onto: Rig, control: Control) -> None:
    """Gives every saved rig as it looks on the plate."""
    for done, one in enumerate(saved):
        applied = apply_rig(one.rig, onto)
        control.give(RigCell(saved=one, picture=small_picture(renderer, applied.rig)))
        control.progress((done + 1) / len(saved))
