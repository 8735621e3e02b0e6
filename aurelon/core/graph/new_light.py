"""A new light for a plate: named, and with settings that show at once on it and spoil nothing."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from aurelon.core.errors import RigError
from aurelon.core.graph.cache import Cache
from aurelon.core.graph.renderer import Renderer
from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.blend.modes import ModeName
from aurelon.core.imaging.fastmath import encode_array
from aurelon.core.imaging.frame import fit_within
from aurelon.core.imaging.screen import WHITE_CODE
from aurelon.core.lights import kinds
from aurelon.core.lights.shared.air import EVERYWHERE
from aurelon.core.plate import Plate
from aurelon.core.rig.ids import free_id
from aurelon.core.rig.light import LIGHT_MODELS, Light
from aurelon.core.rig.model import Rig
from aurelon.core.space.found import found_distance

TEMPERING_BYTES = 1 << 28  # kept while a light is tempered, where no cache is given
EDGE = 240  # pixels on the long edge are enough to see how strong a light is
TRIES, WEAKER, STRONGER = 32, 0.85, 1.5  # how often its intensity is changed, and by what
MOST_CLIPPED, LEAST_SEEN = 0.012, 0.06  # share of pixels clipped anew, at this size; display-encoded change that is seen at once
LEFT = 0.4  # of the places where a light is seen, how many must be left
STRONGEST = 4.0
SURE = 0.5  # how sure it must be what is near, for a new light that uses it
MILDER: dict[ModeName, ModeName] = {"expose": "screen", "add": "screen", "relight": "soft-light"}  # of what is nearly white
DARKS, LIFTED = 1 / 6, 0.026  # share of the picture that is its darks; display-encoded rise of half of them, at most
LIFTED_IN_PLACES = 0.02  # mean rise of them, for light that lies on a few
THINNER, THINNEST = 0.6, 0.25  # how much thinner its air is then made, and how thin, as a share of what it begins with
# By which darks are kept more after that, and how far; a light that lifts them in places only must still be seen on dark things.
KEPT, MOST_KEPT, KEPT_IN_PLACES = 0.2, 0.8, 0.4
WEAKEST_ON_THINGS = 3.0  # to which the gain on things is lowered before the light itself is
FAINTEST_FOR_DARKS = 0.12  # display-encoded change to which a light is weakened for them


def new_light(name: str, plate: Plate, rig: Rig, *, example: bool = False, cache: Cache | None = None) -> Light:
    """A light of a kind, placed on the plate over the rig as it stands; one that begins with nothing may be given an
    example. Takes what a `cache` of this plate keeps. Raises RigError where there is no such kind."""
    return tempered(untempered(name, plate, rig, example=example), plate, rig, cache)


def untempered(name: str, plate: Plate, rig: Rig, *, example: bool = False) -> Light:
    """The same, as strong as its kind begins."""
    kind = kinds().get(name)
    if kind is None:
        raise RigError([("kind", f"'{name}' is not a kind of light; the kinds are: {', '.join(kinds())}")])
    light_id = free_id(f"{name}-1", {light.id for light in rig.stack})
    title = kind.called if light_id == f"{name}-1" else f"{kind.called} {light_id.rsplit('-', 1)[-1]}"
    settings = kind.seen_by(plate) if example else kind.initial(plate)
    light = LIGHT_MODELS[name].model_validate({"id": light_id, "name": title, "kind": name, **settings})
    if kind.in_depth and _knows_distance(plate, rig):
        stages = {stage: getattr(light, stage).model_copy(update=dict(values)) for stage, values in kind.in_depth.items()}
        light = light.model_copy(update=stages)
    return light


def _knows_distance(plate: Plate, rig: Rig) -> bool:
    """Whether it is known well enough what is near in a plate."""
    match rig.distance.origin:
        case "none":
            return False
        case "found":
            return not plate.of_reel and found_distance(plate).sure >= SURE
    return not plate.of_reel


def _off_the_darks(light: Light, most_kept: float) -> Light | None:
    """The light in thinner air, then held off the darks more; None where both are at their end."""
    air = getattr(light.spread, "air", EVERYWHERE)
    thinnest = THINNEST * kinds()[light.kind].in_depth.get("spread", {}).get("air", EVERYWHERE)
    if thinnest < air < EVERYWHERE:
        thinner = round(max(air * THINNER, thinnest), 2)
        return light.model_copy(update={"spread": light.spread.model_copy(update={"air": thinner})})
    if light.merge.keep_darks < most_kept:
        kept = round(light.merge.keep_darks + KEPT, 2)
        return light.model_copy(update={"merge": light.merge.model_copy(update={"keep_darks": kept})})
    return None


def _off_things(light: Light) -> Light | None:
    """The light as strong in the air and weaker on things; None where it is weak on them already."""
    things = getattr(light.spread, "things", 0.0)
    if things <= WEAKEST_ON_THINGS:
        return None
    weaker = round(max(things * THINNER, WEAKEST_ON_THINGS), 1)
    return light.model_copy(update={"spread": light.spread.model_copy(update={"things": weaker})})


def _as_strong(light: Light, intensity: float) -> Light:
    merge = light.merge.model_copy(update={"intensity": round(min(intensity, STRONGEST), 2)})
    return light.model_copy(update={"merge": merge})


def _weaker(light: Light) -> Light:
    """A weaker light; of one that is a whole picture less is shown."""
    if not kinds()[light.kind].opaque:
        return _as_strong(light, light.merge.intensity * WEAKER)
    return light.model_copy(update={"merge": light.merge.model_copy(update={"opacity": round(light.merge.opacity * WEAKER, 2)})})


class Effect(NamedTuple):
    """What a light does to a picture: its largest display-encoded change and the share of pixels that it changes visibly; whether
    it clips much anew, and whether it lifts the darks, in half of their places or in some."""

    change: float
    share: float
    clips: bool
    lifts: bool
    lifts_some: bool


def _effect(before: Floats, after: Floats) -> Effect:
    difference, rise = np.abs(after - before).max(axis=2), (after - before).mean(axis=2)
    clipped = (after >= WHITE_CODE).any(axis=2) & ~(before >= WHITE_CODE).any(axis=2)
    tones = before.mean(axis=2)
    in_darks = rise[tones <= np.quantile(tones, DARKS)]
    lifts = float(np.median(in_darks)) > LIFTED
    return Effect(
        change=float(difference.max()),
        share=float((difference > LEAST_SEEN / 2).mean()),
        clips=float(clipped.mean()) > MOST_CLIPPED,
        lifts=lifts,
        lifts_some=lifts or float(in_darks.mean()) > LIFTED_IN_PLACES,
    )


def _better(light: Light, first: Light, effect: Effect, most: float) -> Light | None:
    """The next light to try, given the `effect` of this one and the largest share of pixels that any of them changed; None where
    this one will do."""
    opaque = kinds()[light.kind].opaque
    most_kept = MOST_KEPT if effect.lifts else KEPT_IN_PLACES
    if effect.lifts_some and (effect.lifts or not opaque) and (gentler := _off_the_darks(light, most_kept)) is not None:
        return gentler
    if effect.clips and (gentler := _off_things(light)) is not None:
        return gentler
    if effect.clips or effect.lifts:
        # A light that is not seen helps nobody.
        seen = effect.change * WEAKER > LEAST_SEEN and effect.share > LEFT * most
        if seen and (effect.clips or opaque or effect.change > FAINTEST_FOR_DARKS):
            return _weaker(light)
        if effect.clips and light.merge.mode in MILDER:
            merge = light.merge.model_copy(update={"mode": MILDER[light.merge.mode], "intensity": first.merge.intensity})
            return light.model_copy(update={"merge": merge})
        return None
    if 0 < effect.change < LEAST_SEEN and not opaque and light.merge.intensity < STRONGEST:
        return _as_strong(light, light.merge.intensity * STRONGER)
    return None


def tempered(light: Light, plate: Plate, rig: Rig, cache: Cache | None = None) -> Light:
    """The light made weaker where it would clip much of the picture, stronger where it would hardly be seen, and held off the darks
    where it would lift them to grey."""
    renderer, size = Renderer(plate, cache or Cache(TEMPERING_BYTES)), fit_within(plate.size, EDGE)

    def shown(lights: list[Light]) -> Floats:
        # The whole picture counts, cropped away or not.
        whole = rig.prepare.model_copy(update={"straighten": 0.0, "crop": None})
        alone = rig.model_copy(update={"prepare": whole, "lights": lights})
        return encode_array(renderer.render(alone, size=size, draft=True))

    before, first, most = shown([]), light, 0.0
    for _ in range(TRIES):
        effect = _effect(before, shown([light]))
        most = max(most, effect.share)
        better = _better(light, first, effect, most)
        if better is None:
            break
        light = better
    return light
