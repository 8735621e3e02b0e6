"""docs/rig.md: what a rig is, with every setting that all lights share, from the models."""

from __future__ import annotations

from aurelon.core.catalogue.catalogue import catalogue, group_of, whole_catalogue
from aurelon.core.rig.distance import Distance
from aurelon.core.rig.model import HouseLight, Prepare
from aurelon.documents.tables import table

PAGE = """# The rig

Made from the models by `python -m aurelon.documents`.

A rig is the whole recipe of light on a plate: one JSON object, `"format": "aurelon-rig"`, `"version": 2`. Settings that
are left out take their defaults. An unknown key, a value out of its range or a kind that does not exist is refused, with
its path in the rig; so is a rig of a later version. A rig of version 1 is read and moved. The JSON Schema is
[rig.schema.json](rig.schema.json); [kinds.md](kinds.md) has every kind of light; `aurelon check RIG.json` says whether a
rig is good.

## Units

| what | unit |
|---|---|
| place | fractions of the whole plate, x to the right, y down; may leave 0..1 |
| length, radius, reach | share of the whole plate's diagonal |
| angle | degrees, 0 points right, 90 up |
| intensity, level | linear gain |
| exposure | stops |
| temperature | kelvin, on the Planckian locus; in `prepare` -1 (cool) to 1 (warm) |
| threshold, knee | display-encoded luminance, 1 is display white, more reaches into an HDR plate |

So a rig means the same on the picture at any size.

## One of everything

Where each thing stands, in a rig that is valid as it is:

```json
{{"format": "aurelon-rig", "version": 2,
 "prepare": {{"exposure": -0.3, "straighten": 1.5, "crop": {{"x0": 0.05, "y0": 0.0, "x1": 0.95, "y1": 0.9}}}},
 "house": {{"level": 0.7, "mask": {{"start": "nothing", "parts": [{{"part": "linear", "begin": [0.5, 0.2], "end": [0.5, 0.7]}}]}}}},
 "distance": {{"origin": "horizon", "horizon": 0.55, "stands": {{"tower": 0.3}}}},
 "mattes": [
  {{"id": "tower", "name": "Tower", "mask": {{"start": "nothing", "parts": [
   {{"part": "subject", "box": [0.4, 0.1, 0.6, 0.7], "hints": [{{"points": [0.5, 0.3, 1.0, 0.5, 0.5, 1.0], "size": 0.02}}]}}]}}}}],
 "lights": [
  {{"id": "low-sun", "name": "Low sun", "kind": "shafts", "behind": {{"matte": "tower", "spill": 0.1}},
   "spread": {{"position": [0.5, 0.345], "reach": 0.55}},
   "mask": {{"parts": [{{"part": "polygon", "combine": "subtract", "feather": 0.01,
    "corners": [[0.1, 0.6], [0.4, 0.6], [0.4, 0.9]]}}]}}}},
  {{"id": "window", "kind": "beam", "source": {{"beams": [[[0.2, 0.2], [0.3, 0.2], [0.5, 0.8], [0.3, 0.8]]]}}}},
  {{"id": "tube", "kind": "line", "source": {{"path": [[0.2, 0.5], [0.5, 0.4], [0.8, 0.5]]}}}},
  {{"id": "painted", "kind": "strokes",
   "source": {{"strokes": [{{"points": [0.6, 0.7, 1.0, 0.7, 0.75, 0.5], "size": 0.03, "flow": 0.3}}]}}}},
  {{"id": "slide", "kind": "picture", "source": {{"file": ""}}}}],
 "keys": {{"low-sun": {{"spread.position": {{"at": [[0, [0.5, 0.345]], [48, [0.6, 0.33]]]}}}}}}}}
```

A stroke's `points` are x, y and pressure of each point in turn. A `file` is named by the SHA-256 of its bytes, which travel under
`files`.

## Prepare

What is done to the picture before any light. `straighten`, and `crop` (`null`, or `x0`, `y0`, `x1`, `y1` in fractions of
the straightened picture), are applied to the lit picture, so that no light moves. Straightened without a crop, the
largest part that shows no empty corner is seen.

{prepare}

## House

How much of the picture's own light stays on, its colour, and its own `mask`. Where that is 0 the prepared picture stays as
it is. A light's mask never changes the house light.

{house}

## Distance

How far everything in the plate is, as nearness: 1 the nearest thing seen, 0 infinitely far. Lights that travel through air lie in
the air before things by their own `air` and `stands_at`, and fall on them by their `things`.
`stands` says how near mattes are, by their ids: `{{"tower": 0.3}}`. A
horizon may also be written as `{{"from": "found", "horizon": 0.55}}`.

{distance}

## Lights

`lights` are lowest first. Each has

- `id`: small letters, digits and dashes, its own within the rig; `name`: what the desk calls it;
- `kind`: what it is; each kind has its own `source` (what shines) and `spread` (how it travels);
- `on`; `look_at`: `original`, `prepared` or `below`, the picture with the lights under it; kinds that do not read the
  picture ignore it;
- `behind`: what stands before it, a `matte` by its id, and how much of the light spills past (`spill`, 0..1);
- `group`: lights of the same group share their settings on the bench, except place and mask;
- `colour`, `mask` and `merge`.

### Colour

{colour}

Levels are in linear light.

### Merge

{merge}

`add`, `expose` and `relight` work in linear light: b + l; b + (1 - b)(1 - exp(-l / (1 - b))), which never clips;
b (1 + l), which rolls off toward white above 0.75. The other modes are those of W3C Compositing and Blending Level 1,
on display-encoded values. Where no light falls the picture stays as it is in every mode: in modes
in which black would change it (`normal`, `multiply`, `overlay`, ...)
the light is read as a premultiplied colour, its strongest channel the alpha. `velvet` is a whole picture, not light on
black; its alpha is 1 all over, and an intensity below 1 fades it in.

## Masks

A mask begins with `everything` or `nothing` (`start`) and goes through its `parts` in order. With m the mask so far and p
what a part covers, `combine` is `add` (m + p - m p), `subtract` (m (1 - p)) or `intersect` (m p). `part` says what a part is.
Every part has `on`, `name` and

{part_common}

{parts}

A stroke has `size` (radius), `hardness`, `flow`, `erase` and `points`: x, y and pressure of each point in turn, in one list.
A matte or a file that is not there leaves its part out, and the light says so.

The masks can be shown and rendered: `mask:LIGHT`, `house-mask`, `matte:MATTE`, any of them over the picture as `over:...`,
and `light:LIGHT`, the light by itself on black where its mask lets it be.

## Mattes and files

`mattes` are named areas, each with `id`, `name` and a `mask`; they may use the mattes above them. `files` has the files that
settings name, in base64 by the SHA-256 of each, in a rig that is passed on as a file. On the bench they are kept with the
plate.

## Points of light

`starburst` and `flare` shine from points. In their `source`, up to `max_points` of the brightest highlights are found in the
picture, at least `min_spacing` from one another; `hidden` lists places of found points that are switched off; `placed`
lists points that are set by hand, in the frame or outside it.

## Keys

`keys` has the settings that change over the frames of a reel: by the id of a light, or `plate` (preparation) or `house`, and
by their path, such as `spread.position` or `exposure`. Each has `between` (`hold`, `linear` or `smooth`) and `at`, pairs of a
frame, counted from 0, and the value there, in the order of the frames. Numbers, places, paths, quads, polygons, colours and the
crop can have keys; colours mix in linear light. Before the first key and after the last the setting holds; a smooth one goes
through its keys and never beyond them. A still picture is frame 0.

```json
{{"keys": {{"low-sun": {{"spread.position": {{"between": "smooth", "at": [[0, [0.5, 0.3]], [48, [0.62, 0.28]]]}}}}}}}}
```

Whether a light shines, and whether a part of a mask counts, has keys too: `"on": {{"at": [[0, false], [20, true]]}}` has it on from
frame 20; there is nothing between on and off.

`shots` holds the cuts made by hand: `begin` lists frames where a shot begins, `go_on` frames where a detected cut is removed.
Following and carrying stop at the end of a shot.

A part of a mask has its `keys` with it, by the names of its settings, so that they stay with it wherever it is moved or copied:

```json
{{"part": "radial", "middle": [0.5, 0.4], "keys": {{"middle": {{"at": [[0, [0.5, 0.4]], [48, [0.7, 0.4]]]}}}}}}
```

`followed` of points of light has those that are followed over the frames, in place of those found anew on each. A part `carried`
of a mask has in its file one grey frame for each of the reel's; `of` is the reel that it was carried on, `hinted` are the frames
at which it was made by hand. `evolution` is how many patterns a second a kind made of noise drifts through.

## Quads, paths and surfaces

A quad is four places: of a `beam` two at the opening and two where it lands, of `water` the corners in turn. One that is
folded over itself is opened out, one without area gives no light. A `line` runs through the places of its `path`, of which
one is enough.

A `lamp` shines on the picture as a surface: from its luminance, a depth map (white is near) or a normal map (red right, green
up, blue outward). Its `range` and its cones are windowed as in KHR_lights_punctual.

## Lens tables

A lens of `flare` is a JSON file in `aurelon/core/data/lenses/`: `"format": "aurelon-lens"`, `name`, `title`, `about`,
`blades`, `image_diagonal` (mm) and `surfaces` from front to back. Each has `gap` to the next (mm), `semi` (half its width,
mm) and either `"stop": true` or `radius` (mm, positive where its centre lies behind it), `index` and `abbe` of what comes
behind it, and `coating` (the wavelength in nm its layer is made for, 0 for none). A bad surface is refused by the lens's name
and its number.

## From version 1

| in version 1 | in version 2 |
|---|---|
| `pictures` | `files` |
| `most`, `apart` | `max_points`, `min_spacing` |
| a lamp's `inner`, `outer` | `inner_cone`, `outer_cone` |
| a lamp's or a picture's `picture` | `file` |
| a mask part `picture` | a mask part `grey`, with `file` |
| glints' `on` | `scatter` |
| `turn` of glints and pictures, `turn_spread` | `rotation`, `rotation_spread` |
"""


def rig_page() -> str:
    """The page, in Markdown."""
    everything, lights = whole_catalogue(), catalogue()
    groups = {group.name: group for group in lights[0].groups}
    parts = [f"### {part.title} (`{part.name}`)\n\n{part.summary}.\n\n{table(part.group)}" for part in everything.parts]
    return PAGE.format(
        prepare=table(group_of("prepare", "Prepare", "", Prepare)),
        house=table(group_of("house", "House", "", HouseLight)),
        distance=table(group_of("distance", "Distance", "", Distance)),
        colour=table(groups["colour"]),
        merge=table(groups["merge"]),
        part_common=table(everything.part_common),
        parts="\n\n".join(parts),
    )
