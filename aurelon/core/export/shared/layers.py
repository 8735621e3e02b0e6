"""A rig on a plate as layers that, put together again by plain rules, give the result.

*Sums* are linear light: the picture under its house light, and what each light adds to what is below it. *Overs* are code
values with alpha: each laid over what is below it gives what the light made of it, whatever its mode. Every layer is reckoned
from what the layers below it have become in their samples, so that no error grows.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator
from dataclasses import dataclass, field
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from aurelon.core.errors import Cancelled
from aurelon.core.export.shared.target import Progress
from aurelon.core.graph.renderer import Renderer
from aurelon.core.graph.show import Show, ShowBase, ShowBefore, ShowMask, ShowStage
from aurelon.core.imaging.arrays import Floats
from aurelon.core.imaging.blend.modes import MODES
from aurelon.core.imaging.frame import Frame
from aurelon.core.imaging.quantise import quantise
from aurelon.core.imaging.rgb_space import SRGB_CURVE, RgbSpace
from aurelon.core.lights import kinds
from aurelon.core.lights.shared.air import air_of
from aurelon.core.plate import Plate
from aurelon.core.rig import Light, Rig
from aurelon.core.rig.owner import MatteOwner

# Modes that layered files have too, and that leave the picture alone where a light is black.
SHARED_MODES = frozenset(mode.name for mode in MODES if mode.operator)
FAINTEST = 1e-9


@dataclass
class Layer:
    """One layer: samples (h, w, 3) and alpha (h, w) or None, its name, and the mode and opacity by which it is laid on those
    below it. A hidden one is not part of the result. `about` says what it is of, for whom it may concern."""

    name: str
    samples: NDArray[Any]
    alpha: NDArray[Any] | None = None
    mode: str = "normal"
    opacity: float = 1.0
    hidden: bool = False
    about: dict[str, str] = field(default_factory=dict)


class Layers(NamedTuple):
    """The result by itself, and the layers, lowest first."""

    result: NDArray[Any]
    layers: list[Layer]


@dataclass
class Pass:
    """A layer that is made row by row, lowest first among its like: its name, whether it is added to those below it, and whether it
    is no part of the result."""

    name: str
    added: bool = False
    hidden: bool = False
    about: dict[str, str] = field(default_factory=dict)


class Sums(NamedTuple):
    """Layers, lowest first, and from the top of the picture down the rows (n, w, 3) of the result and of each."""

    passes: list[Pass]
    rows: Iterator[list[NDArray[Any]]]


def _about(light: Light) -> dict[str, str]:
    return {"kind": light.kind, "mode": light.merge.mode, "opacity": f"{light.merge.opacity:g}"}


def _matte_shows(rig: Rig) -> list[Show]:
    return [ShowMask(owner=MatteOwner(id=matte.id)) for matte in rig.mattes]


def _called(light: Light) -> str:
    return light.name or kinds()[light.kind].called


def sums(
    plate: Plate, rig: Rig, frame: Frame, space: RgbSpace, kind: Any, progress: Progress, cancelled: Callable[[], bool]
) -> Sums:
    """Layers whose sum is the result, of samples of a float `kind`, linear light in `space`."""
    lights = [light for light in rig.stack if light.on]
    passes = [Pass("plate", hidden=True), Pass("picture")]
    passes += [Pass(_called(light), added=True, about=_about(light)) for light in lights]
    passes += [Pass(matte.name or matte.id, hidden=True) for matte in rig.mattes]
    shows: list[Show] = [ShowBefore(), ShowBase(), *(ShowStage(light=light.id, stage="merge") for light in lights)]
    lit = len(shows)
    shows += _matte_shows(rig)
    matrix = plate.space.matrix_to(space)

    def rows() -> Iterator[list[NDArray[Any]]]:
        for band, pictures in Renderer(plate).bands_of(rig, frame, shows, cancelled=cancelled):
            seen = [p if matrix is None else p @ matrix.T for p in pictures[:lit]]
            result = [seen[0].astype(kind), seen[1].astype(kind)]
            reached = result[1].astype(np.float32)
            for after in seen[2:]:
                result.append((after - reached).astype(kind))
                reached += result[-1]
            yield [seen[-1].astype(kind), *result, *(picture.astype(kind) for picture in pictures[lit:])]
            _go_on((band.y1 - frame.y0) / frame.shape[0], progress, cancelled)

    return Sums(passes, rows())


def overs(
    plate: Plate,
    rig: Rig,
    frame: Frame,
    to_codes: Callable[[Floats], Floats],
    space: RgbSpace,
    kind: Any,
    modes: Collection[str],
    progress: Progress,
    cancelled: Callable[[], bool],
) -> Layers:
    """Layers of whole-number samples of a `kind`, code values in `space`, laid over one another; a light whose mode is among
    `modes` keeps it, so that its opacity and mode can be changed later."""
    lights = [light for light in rig.stack if light.on]
    own = [_keeps_its_mode(light, plate.space, space, modes) for light in lights]
    shows: list[Show] = [ShowBase(), *(ShowStage(light=light.id, stage="merge") for light in lights)]
    after_base = len(shows)
    shows += [ShowStage(light=light.id, stage="colour") for light, kept in zip(lights, own, strict=True) if kept]
    after_colours = len(shows)
    shows += [ShowStage(light=light.id, stage="mask") for light, kept in zip(lights, own, strict=True) if kept]
    after_masks = len(shows)
    shows += _matte_shows(rig)
    top = np.float32(np.iinfo(kind).max)
    shape = (*frame.shape, 3)
    base, result = np.empty(shape, kind), np.empty(shape, kind)
    layers = [
        Layer(_called(light), np.empty(shape, kind), np.empty(frame.shape, kind), about=_about(light), **_own(light, kept))
        for light, kept in zip(lights, own, strict=True)
    ]
    mattes = [Layer(matte.name or matte.id, np.empty(shape, kind), hidden=True) for matte in rig.mattes]
    renderer = Renderer(plate)
    for band, pictures in renderer.bands_of(rig, frame, shows, cancelled=cancelled):
        part = slice(band.y0 - frame.y0, band.y1 - frame.y0)
        paper = renderer.alpha(rig, band)

        def code(pixels: Floats, paper: Floats | None = paper) -> Floats:
            codes = np.clip(to_codes(pixels), 0, 1)
            # No plain rule gives transparency back under light; such a picture lies on white paper.
            return codes if paper is None else codes * paper[:, :, None] + (1 - paper[:, :, None])

        quantise(code(pictures[0]), 0, part.start, base[part], kind is np.uint8)
        quantise(code(pictures[after_base - 1]), 0, part.start, result[part], kind is np.uint8)
        reached = np.asarray(base[part] / top, np.float32)
        colours, masks = iter(pictures[after_base:after_colours]), iter(pictures[after_colours:after_masks])
        for light, layer, after in zip(lights, layers, pictures[1:after_base], strict=True):
            assert layer.alpha is not None
            if layer.mode != "normal":
                shine = np.clip(to_codes(next(colours) * np.float32(light.merge.intensity)), 0, 1)
                layer.samples[part] = np.round(shine * top)
                layer.alpha[part] = np.round(next(masks)[:, :, 0] * top)
            else:
                _lay_over(reached, code(after), layer.samples[part], layer.alpha[part], top)
            reached = _laid(reached, layer, part, top)
        for matte, picture in zip(mattes, pictures[after_masks:], strict=True):
            matte.samples[part] = np.round(picture * top)
        _go_on(part.stop / frame.shape[0], progress, cancelled)
    return Layers(result, [Layer("picture", base), *layers, *mattes])


def _go_on(share: float, progress: Progress, cancelled: Callable[[], bool]) -> None:
    progress(0.8 * share)
    if cancelled():
        raise Cancelled


def _keeps_its_mode(light: Light, space: RgbSpace, target: RgbSpace, modes: Collection[str]) -> bool:
    """Whether a layered file's own rule gives just what ours does: on values with the same curve and primaries, of light that lies
    everywhere alike."""
    alike = space.matrix_to(target) is None and target.curves == (SRGB_CURVE,) * 3 and air_of(light.spread) is None
    return alike and light.merge.mode in modes and light.merge.keep_darks == 0


def _own(light: Light, kept: bool) -> dict[str, Any]:
    return {"mode": light.merge.mode, "opacity": light.merge.opacity} if kept else {}


def _lay_over(below: Floats, after: Floats, samples: NDArray[Any], alpha: NDArray[Any], top: np.float32) -> None:
    """The least opaque layer that makes `after` of `below` when it is laid over it, into `samples` and `alpha`."""
    change = after - below
    room = np.where(change > 0, 1 - below, below)
    share = np.abs(change) / np.maximum(room, FAINTEST)
    # Up to the next step, so that the colour stays within its range.
    cover = np.minimum(np.ceil(share.max(axis=2) * top - 1e-3), top)
    alpha[:] = cover
    opacity = (cover / top)[:, :, None]
    colour = np.where(opacity > 0, below + change / np.maximum(opacity, FAINTEST), 0)
    samples[:] = np.round(np.clip(colour, 0, 1) * top)


def _laid(below: Floats, layer: Layer, part: slice, top: np.float32) -> Floats:
    """What is there once a layer is laid on it, by the rule of its mode (W3C, "Compositing and Blending Level 1")."""
    assert layer.alpha is not None
    shine = layer.samples[part] / top
    opacity = (layer.alpha[part] / top * np.float32(layer.opacity))[:, :, None]
    match layer.mode:
        case "screen":
            blended = below + shine - below * shine
        case "lighten":
            blended = np.maximum(below, shine)
        case "color-dodge":
            lifted = np.minimum(1, below / np.maximum(1 - shine, 1e-7))
            blended = np.where(below <= 0, 0, lifted)
        case _:
            blended = shine
    return np.asarray(below + opacity * (blended - below), np.float32)
