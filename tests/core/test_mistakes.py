"""Likely mistakes: each answer is one sentence of our own that says what happened, where, and what to do."""

from __future__ import annotations

import contextlib
import io
import json
import pickle
import re
import tempfile
import unittest
from pathlib import Path
from typing import Any

from aurelon.cli import main
from aurelon.core import AurelonError, Rig, RigError, parse_rig
from aurelon.core.optics.lens import LensError
from tests.pictures import light

BLOOM = light("bloom", id="a")


class TwoOfThem(AurelonError):
    """An error that is not made from its sentence."""

    def __init__(self, number: int, *, noun: str) -> None:
        super().__init__(f"{noun} {number}")
        self.number = number


def with_stage(stage: str, kind: str = "bloom", **values: Any) -> dict[str, Any]:
    return {"lights": [{"id": "a", "kind": kind, stage: values}]}


IN_RIGS: dict[str, Any] = {
    "prepare.crop is 5, but must be an object in braces": {"prepare": {"crop": 5}},
    "prepare.crop is [0, 0, 1, 1], but must be an object in braces": {"prepare": {"crop": [0, 0, 1, 1]}},
    "prepare.crop: the crop is too small; each side must be at least 1% of the plate's": {
        "prepare": {"crop": {"x0": 0.5, "x1": 0.5}}
    },
    'lights[0].source.file is "sea.png", but must be the SHA-256 of a file': with_stage("source", "picture", file="sea.png"),
    'lights[0].colour.picked is "red", but must be a colour such as "#ffd7a8"': with_stage("colour", picked="red"),
    "lights[0].kind is missing; the kinds are: shafts, ": {"lights": [{"id": "a"}]},
    "lights[0].kind: 'sun' is not a kind of light; the kinds are: shafts, ": {"lights": [{"id": "a", "kind": "sun"}]},
    "lights[0].id is missing": {"lights": [{"kind": "bloom"}]},
    'lights[0].id is "Sun", but must be an id of small letters, digits and hyphens, such as "low-sun"': {
        "lights": [{"id": "Sun", "kind": "bloom"}]
    },
    "two lights have the id 'a'; each needs its own": {"lights": [BLOOM, BLOOM]},
    "lights is {}, but must be a list in brackets": {"lights": {}},
    'lights[0] is "bloom", but must be an object in braces': {"lights": ["bloom"]},
    'lights[0].merge.opacity is "half", but must be a number': with_stage("merge", opacity="half"),
    "lights[0].merge.opacity is 3, but must be at most 1": with_stage("merge", opacity=3),
    "lights[0].merge.opacity is -1, but must be at least 0": with_stage("merge", opacity=-1),
    "lights[0].merge.opactiy is not a setting here; remove it or correct its name": with_stage("merge", opactiy=0.3),
    "lights[0].merge.mode is \"overly\", but must be 'expose', 'add',": with_stage("merge", mode="overly"),
    "lights[0].merge.opacity is NaN, but must be a finite number": with_stage("merge", opacity=float("nan")),
    "mattes[0].id is missing": {"mattes": [{"name": "x"}]},
    "lights[0].mask.parts[0].part: 'brush' is not a mask part; the parts are: strokes, ": with_stage(
        "mask", parts=[{"part": "brush"}]
    ),
    "lights[0].mask.parts[0].part is missing; the parts are: strokes, ": with_stage("mask", parts=[{}]),
    "lights[0].spread.position[1] is missing": with_stage("spread", "shafts", position=[0.5]),
    'lights[0].spread.position is "centre", but must be a list in brackets': with_stage("spread", "shafts", position="centre"),
    "lights[0].spread.seed is 1.5, but must be a whole number": with_stage("spread", "shafts", seed=1.5),
    'lights[0].on is "maybe", but must be true or false': {"lights": [{**BLOOM, "on": "maybe"}]},
    "lights[0].name is 7, but must be a text in quotes": {"lights": [{**BLOOM, "name": 7}]},
    "lights[0].name has more than 80 characters, which is the most": {"lights": [{**BLOOM, "name": "x" * 500}]},
    "lights[0].source.strokes[0].points has 2 items, but must have at least 3": with_stage(
        "source", "strokes", strokes=[{"points": [0.1, 0.2]}]
    ),
    "the rig is not valid JSON; look at line 1, column 12": '{"lights":[',
    "the rig is empty": " ",
    "the rig is not text in UTF-8; save it as that": b"\xff\xfe{",
    'a rig is a JSON object with "format": "aurelon-rig"': "[]",
    "this rig is of version 9, later than this Aurelon reads (2); update Aurelon to use it": {"version": 9},
    "format is \"other\", but must be 'aurelon-rig'": {"format": "other"},
    "keys.a.merge.opacity: keys must be in the order of their frames, one a frame": {
        "lights": [BLOOM],
        "keys": {"a": {"merge.opacity": {"at": [[4, 1], [4, 0]]}}},
    },
    "keys.a.merge.opacity.at has 0 items, but must have at least 1": {
        "lights": [BLOOM],
        "keys": {"a": {"merge.opacity": {"at": []}}},
    },
    'files.zz is "zz", but must be the SHA-256 of a file, 64 digits': {"files": {"zz": "aa"}},
}
HEADLAND, FERRY = "demo/plates/headland.jpg", "demo/reels/ferry.webm"
TO_PNG = ("render", HEADLAND, "--rig", "{rig}", "-o", "{folder}/o.png")
ON_THE_LINE: dict[str, tuple[str, ...]] = {
    "cannot hold a single picture; add --passes, or choose another ending": ("render", HEADLAND, "--rig", "{rig}", "-o", "o.ora"),
    "is a file of moving pictures; name a reel as the plate": ("render", HEADLAND, "--rig", "{rig}", "-o", "o.webm"),
    "o.xyz has no ending that Aurelon can write; use .avif, .exr,": ("render", HEADLAND, "--rig", "{rig}", "-o", "o.xyz"),
    "o.png has no ending that passes can be written to; use .exr, .ora,": (*TO_PNG, "--passes"),
    "--size: '5' is not a size such as 1200x800": (*TO_PNG, "--size", "5"),
    "give --long-edge or --size, not both": (*TO_PNG, "--size", "5x5", "--long-edge", "5"),
    "--quality: 'lots' is not a quality from 1 to 100": (*TO_PNG, "--quality", "lots"),
    "--long-edge needs a value behind it": (*TO_PNG, "--long-edge"),
    "PNG cannot hold 12 bits; it holds 8 or 16": (*TO_PNG, "--depth", "12"),
    "there is no light with the id 'sun'; the rig has no lights": (*TO_PNG, "--show", "stage:sun:source"),
    "'sun' cannot be shown; ask for": (*TO_PNG, "--show", "sun"),
    "--port: '99999' is not a port from 1 to 65535": ("serve", "--port", "99999"),
    "--memory: 'lots' is not a whole number from 1 on": ("serve", "--memory", "lots"),
    "--frames: '9:3' has no frame in it; the first must come before the second": (
        *("render", FERRY, "--rig", "{rig}", "-o", "{folder}/o.mkv", "--frames", "9:3"),
    ),
    "ferry.webm has the frames 0 to 47; choose --frames among them": (
        *("render", FERRY, "--rig", "{rig}", "-o", "{folder}/o.mkv", "--frames", "0:400"),
    ),
    "nothing.jpg does not exist": ("render", "nothing.jpg", "--rig", "{rig}", "-o", "o.png"),
    "nothing.json does not exist; name a rig that is there": ("render", HEADLAND, "--rig", "nothing.json", "-o", "o.png"),
    "the folder nowhere does not exist; make it first": ("render", HEADLAND, "--rig", "{rig}", "-o", "nowhere/o.png"),
    "no rig travels in this picture; name a JSON file": ("render", HEADLAND, "--rig", HEADLAND, "-o", "o.png"),
    "is the plate, and would be lost; choose another name": ("render", HEADLAND, "--rig", "{rig}", "-o", HEADLAND),
    "'out.png' gives every picture the same name; use one such as out/{name}.jpg": (
        *("run", HEADLAND, "--rig", "{rig}", "-o", "out.png"),
    ),
    "'o/{nam}.png' names {nam}, which is not known; there are {name},": ("run", HEADLAND, "--rig", "{rig}", "-o", "o/{nam}.png"),
    "is a file, or leads through one; choose a folder": ("run", HEADLAND, "--rig", "{rig}", "-o", "{rig}/{name}.png"),
    "name either plates or a folder to --watch": ("run", "--rig", "{rig}", "-o", "o/{name}.png"),
    "--workers: '0' is not a whole number from 1 on": ("run", HEADLAND, "--rig", "{rig}", "-o", "o/{name}.png", "--workers", "0"),
    "'nowhere' is not the address of a cluster; use one such as tcp://HOST:8786": (
        *("run", HEADLAND, "--rig", "{rig}", "-o", "{folder}/o/{name}.png", "--cluster", "nowhere"),
    ),
    "-o OUT is missing": ("render", HEADLAND, "--rig", "{rig}"),
    "'rendr' is not known; there are 'serve', 'render',": ("rendr",),
    "extra is not known here": ("check", "{rig}", "extra"),
}
# Of the validating library, of the parser, of Python and of the system.
FOREIGN = re.compile(
    r"[Ii]nput should|should (match|have)|valid (dictionary|tuple|string)"
    r"|Expecting value|usage:|argument |Errno|File exists|Traceback"
)


class Mistakes(unittest.TestCase):
    def test_in_a_rig(self) -> None:
        for sentence, data in IN_RIGS.items():
            with self.subTest(sentence):
                with self.assertRaises(RigError) as refused:
                    parse_rig(data if isinstance(data, str | bytes) else json.dumps(data))
                self.assertTrue(str(refused.exception).startswith(sentence), str(refused.exception))
                self.assertNotRegex(str(refused.exception), FOREIGN)
                if not isinstance(data, str | bytes):
                    with self.assertRaises(RigError) as from_the_model:
                        Rig.model_validate(data)
                    self.assertEqual(str(from_the_model.exception), str(refused.exception))

    def test_all_that_is_wrong_with_a_rig_is_said_at_once(self) -> None:
        with self.assertRaises(RigError) as refused:
            parse_rig(
                json.dumps({"prepare": {"exposure": 99}, "house": {"level": -1}, "lights": [{**BLOOM, "merge": {"opacity": 3}}]})
            )
        self.assertEqual(
            [path for path, _ in refused.exception.problems], ["prepare.exposure", "house.level", "lights[0].merge.opacity"]
        )

    def said(self, arguments: tuple[str, ...], rig: Any) -> tuple[int, str]:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder, "rig.json")
            path.write_text(json.dumps(rig))
            words = [word.replace("{rig}", str(path)).replace("{folder}", folder) for word in arguments]
            with contextlib.redirect_stderr(io.StringIO()) as errors, contextlib.redirect_stdout(io.StringIO()):
                code = main(words)
        return code, errors.getvalue()

    def test_every_error_comes_back_whole_from_another_process(self) -> None:
        for error in (RigError([("lights", "is missing")]), LensError("surface 3"), TwoOfThem(3, noun="lens")):
            back = pickle.loads(pickle.dumps(error))
            self.assertEqual((type(back), str(back), vars(back)), (type(error), str(error), vars(error)))

    def test_on_the_command_line(self) -> None:
        for sentence, arguments in ON_THE_LINE.items():
            with self.subTest(" ".join(arguments)):
                code, said = self.said(arguments, {"lights": []})
                self.assertEqual((code, len(said.splitlines())), (2, 1), said)
                self.assertIn(sentence, said)
                self.assertNotRegex(said, FOREIGN)

    def test_what_a_valid_rig_names_and_does_not_have_is_said_by_whoever_uses_it(self) -> None:
        rig = {"lights": [{**BLOOM, "behind": {"matte": "door"}}], "keys": {"sun": {"spread.reach": {"at": [[0, 1]]}}}}
        for arguments in (
            (*TO_PNG, "--long-edge", "40"),
            ("run", HEADLAND, "--rig", "{rig}", "-o", "{folder}/{name}.png", "--long-edge", "40"),
        ):
            code, said = self.said((*arguments, "--long-edge", "40"), rig)
            self.assertEqual(code, 0, said)
            self.assertIn("the matte 'door' is missing; a used it and goes on without it", said)
            self.assertIn("the light 'sun' is missing; its keys change nothing", said)
