"""Imported by the process that services and commands of tests are copied from: with it every copy has what a picture needs."""

from __future__ import annotations

import cv2

from aurelon.core import Rig
from aurelon.core.analysis.measure import measure
from aurelon.core.graph.cache import Cache
from aurelon.core.graph.new_light import new_light
from aurelon.core.graph.renderer import Renderer
from aurelon.core.graph.small_pictures import small_picture
from aurelon.core.imaging.kernels import undivided
from aurelon.core.lights import kinds
from tests.pictures import plate_of, scene

# A process that is copied may have no threads of its own.
cv2.setNumThreads(1)
with undivided():
    renderer = Renderer(plate_of(scene(300, 200)), Cache(1 << 28))
    for name in kinds():
        light = new_light(name, renderer.plate, Rig(), example=True, cache=renderer.cache)
        rig = Rig.model_validate({"lights": [light.model_dump()]})
        small_picture(renderer, rig)
        measure(renderer, rig, light.id)
    del renderer
cv2.setNumThreads(-1)
