"""What the screen computes by itself: where things lie in the view, how numbers are written, edits of the rig.

The modules are bundled by the project's own Vite and run in Node; results are compared here.
"""

from __future__ import annotations

import itertools
import json
import subprocess
import unittest
from functools import cache
from pathlib import Path
from typing import Any, ClassVar

import numpy as np

FRONTEND = Path(__file__).resolve().parents[1] / "frontend"
BUNDLE = """
import("vite").then(async ({ build }) => {
  const [entry] = process.argv.slice(1);
  const options = { lib: { entry, formats: ["es"] }, write: false, minify: false };
  const [{ output }] = await build({ configFile: false, logLevel: "silent", build: options });
  console.log(output[0].code);
});
"""
RUN = """
const [expression] = process.argv.slice(1);
const made = require("fs").readFileSync(0, "utf8");
import("data:text/javascript," + encodeURIComponent(made)).then((m) => console.log(JSON.stringify(eval(expression))));
"""
PLATE = {"width": 1200, "height": 800}
AREA = {"x": 900, "y": 600}


def node(script: str, *words: str, given: str = "") -> str:
    command = ["node", "-e", script, *words]
    return subprocess.run(command, cwd=FRONTEND, input=given, capture_output=True, text=True, check=True).stdout


@cache
def bundled(module: str) -> str:
    return node(BUNDLE, f"src/bench/{module}.ts")


def run(module: str, expression: str, **values: Any) -> Any:
    """The value of an expression in which `m` is the module and `v` holds the values."""
    return json.loads(node(RUN, f"((v) => {expression})({json.dumps(values)})", given=bundled(module)))


class View(unittest.TestCase):
    def test_a_plate_is_fitted_closely_or_with_a_margin_and_lies_in_the_middle(self) -> None:
        for fit, share in (("close", 0.96), ("wide", 0.8)):
            at = run("picture/view", "m.fitted(v.area, v.plate, 0, m.WHOLE, v.fit)", area=AREA, plate=PLATE, fit=fit)
            self.assertAlmostEqual(at["scale"], share * 0.75)
            self.assertAlmostEqual(at["x"], (AREA["x"] - PLATE["width"] * at["scale"]) / 2)
            self.assertAlmostEqual(at["y"], (AREA["y"] - PLATE["height"] * at["scale"]) / 2)

    def test_a_glide_begins_and_ends_where_it_should_and_its_scale_grows_by_equal_factors(self) -> None:
        ends: Any = {"scale": 0.5, "angle": 3, "x": 10, "y": 20}, {"scale": 2, "angle": 3, "x": -90, "y": 80}
        steps = [run("picture/view", "m.between(v.a, v.b, v.share)", a=ends[0], b=ends[1], share=k / 4) for k in range(5)]
        self.assertEqual((steps[0], steps[4]), ends)
        for before, after in itertools.pairwise(steps):
            self.assertAlmostEqual(after["scale"] / before["scale"], 4**0.25)

    def test_places_go_to_the_screen_and_back_however_the_picture_is_turned(self) -> None:
        for angle in (0, 7.5, -40):
            for place in ([0.2, 0.7], [-0.5, 1.4], [0.5, 0.5]):
                back = run(
                    "picture/view",
                    "m.toPlate(v.p, v.plate, m.toScreen(v.p, v.plate, v.at))",
                    p={"scale": 0.4, "x": 30, "y": -20, "angle": angle},
                    plate=PLATE,
                    at=place,
                )
                np.testing.assert_allclose(back, place, atol=1e-9)

    def test_a_turned_place_agrees_with_the_rotation_matrix(self) -> None:
        angle = np.deg2rad(20)
        at = run("picture/view", "m.toScreen(v.p, v.plate, [0.75, 0.5])", p={"scale": 1, "x": 0, "y": 0, "angle": 20}, plate=PLATE)
        # Counter-clockwise on a screen whose y runs down.
        np.testing.assert_allclose((at["x"], at["y"]), (600 + 300 * np.cos(angle), 400 - 300 * np.sin(angle)))

    def test_what_is_under_the_pointer_stays_there_when_zoomed(self) -> None:
        p = {"scale": 0.5, "x": 40, "y": 25, "angle": 0}
        for factor in (1.7, 0.3):
            q = run("picture/view", "m.zoomed(v.p, {x: 333, y: 222}, v.f)", p=p, f=factor)
            np.testing.assert_allclose((333 - q["x"]) / q["scale"], (333 - 40) / 0.5)
            np.testing.assert_allclose((222 - q["y"]) / q["scale"], (222 - 25) / 0.5)

    def test_the_view_is_drawn_back_until_every_place_is_seen(self) -> None:
        places = [[1.8, 0.2], [-0.6, -0.9], [0.5, 0.5]]
        p = run("picture/view", "m.including(v.area, v.plate, 0, ...v.places)", area=AREA, plate=PLATE, places=places)
        for place in [*places, [0, 0], [1, 1]]:
            at = run("picture/view", "m.toScreen(v.p, v.plate, v.at)", p=p, plate=PLATE, at=place)
            self.assertTrue(0 <= at["x"] <= AREA["x"] and 0 <= at["y"] <= AREA["y"], place)

    def test_what_is_asked_of_the_service_is_the_part_on_the_screen_and_never_above_the_plates_size(self) -> None:
        ask = "m.wantedView(v.p, v.area, v.plate, v.ratio, m.WHOLE)"
        far = run("picture/view", ask, p={"scale": 0.5, "x": 100, "y": 100, "angle": 0}, area=AREA, plate=PLATE, ratio=1)
        self.assertEqual(far, {"width": 600, "height": 400, "x0": 0, "y0": 0, "x1": 600, "y1": 400})
        near = run("picture/view", ask, p={"scale": 4, "x": -2000, "y": -800, "angle": 0}, area=AREA, plate=PLATE, ratio=2)
        self.assertEqual((near["width"], near["height"]), (1200, 800))
        self.assertEqual((near["x0"], near["x1"], near["y0"], near["y1"]), (500, 725, 200, 350))
        self.assertIsNone(run("picture/view", ask, p={"scale": 1, "x": 5000, "y": 0, "angle": 0}, area=AREA, plate=PLATE, ratio=1))

    def test_lines_snap_to_level_plumb_and_the_pictures_edges_and_to_nothing_that_is_far(self) -> None:
        snap = "m.snap(v.to, v.beside, {x: 450, y: 300}, v.degrees)"
        level = run("picture/view", snap, to={"x": 300, "y": 104}, beside=[{"x": 100, "y": 100}], degrees=[])
        self.assertEqual((level["at"], len(level["guides"])), ({"x": 300, "y": 100}, 1))
        free = run("picture/view", snap, to={"x": 300, "y": 140}, beside=[{"x": 100, "y": 100}], degrees=[])
        self.assertEqual((free["at"], free["guides"]), ({"x": 300, "y": 140}, []))
        middle = run("picture/view", snap, to={"x": 452, "y": 297}, beside=[], degrees=[])
        self.assertEqual(middle["at"], {"x": 450, "y": 300})
        along = run("picture/view", snap, to={"x": 300, "y": 0}, beside=[{"x": 100, "y": 100}], degrees=[27.5])["at"]
        self.assertAlmostEqual(np.rad2deg(np.arctan2(100 - along["y"], along["x"] - 100)), 27.5, places=6)

    def test_a_drawn_line_is_laid_level_or_plumb_whichever_is_nearer(self) -> None:
        level, middle = "m.levelled(v.angle, v.start, v.to)", {"x": 100, "y": 100}
        for degrees, angle, turned in ((5, 0, -5), (-8, 0, 8), (95, 0, -5), (175, 0, 5), (5, 3, -2), (-93, 1, 4)):
            far = {"x": 100 + 200 * np.cos(np.deg2rad(degrees)), "y": 100 - 200 * np.sin(np.deg2rad(degrees))}
            self.assertAlmostEqual(run("picture/view", level, angle=angle, start=middle, to=far), turned, msg=str(degrees))
        self.assertIsNone(run("picture/view", level, angle=0, start=middle, to={"x": 110, "y": 103}))


class WhereLightComesFrom(unittest.TestCase):
    def kind(self) -> dict[str, Any]:
        def position(name: str, mode: str) -> dict[str, Any]:
            return {"name": name, "type": "place", "when": {"mode": [mode]}}

        settings = [position("position", "near"), position("aim", "spot"), {"name": "reach", "type": "number", "when": {}}]
        return {"groups": [{"name": "source", "settings": []}, {"name": "spread", "settings": settings}]}

    def test_only_positions_that_count_in_the_present_mode_are_shown(self) -> None:
        light = {"source": {}, "spread": {"mode": "spot", "position": [0.1, 0.2], "aim": [0.3, 0.4], "reach": 1}}
        places = run("store/places", "m.placesOf(v.light, v.kind)", light=light, kind=self.kind())
        self.assertEqual([(one["setting"]["name"], one["at"]) for one in places["positions"]], [("aim", [0.3, 0.4])])
        self.assertFalse(places["points"])

    def test_a_light_that_shines_from_points_is_known_by_its_settings(self) -> None:
        kind = self.kind()
        kind["groups"][0]["settings"].append({"name": "placed", "type": "places", "when": {}})
        places = run("store/places", "m.placesOf(v.light, v.kind)", light={"source": {}, "spread": {"mode": "none"}}, kind=kind)
        self.assertEqual((places["positions"], places["points"]), ([], True))


class Numbers(unittest.TestCase):
    def test_units_are_written_for_people_and_read_back(self) -> None:
        cases = [
            ({"unit": "diagonal", "step": 0.001}, 0.0354, "3.5", "3,5 %", 0.035),
            ({"unit": "kelvin", "step": 50}, 5200, "5200", "4100K", 4100),
            ({"unit": "share", "step": 0.01}, -0.25, "-25", "-25", -0.25),
            ({"unit": "degrees", "step": 0.05}, -3.125, "-3.13", "12.5°", 12.5),
            ({"unit": "", "step": 0.01}, 1.5, "1.50", ".25", 0.25),
        ]
        for setting, value, written, typed, read in cases:
            text = run(
                "column/units",
                "((n) => [n.shown(v.value), n.read(v.typed)])(m.notation(v.setting))",
                setting=setting,
                value=value,
                typed=typed,
            )
            self.assertIn(text[0], (written, "-3.12"), setting)
            self.assertAlmostEqual(text[1], read, msg=str(setting))

    def test_what_is_no_number_is_not_read(self) -> None:
        self.assertIsNone(run("column/units", "m.notation({unit: 'share'}).read('moon')"))


class Edits(unittest.TestCase):
    def rig(self) -> dict[str, Any]:
        def lamp(name: str, group: str) -> dict[str, Any]:
            return {
                "id": name,
                "name": name,
                "group": group,
                "source": {},
                "spread": {"height": 1, "position": [0, 0]},
                "mask": {"start": "everything", "parts": []},
            }

        return {"lights": [lamp("a", "g"), lamp("b", "g"), lamp("c", "")], "mattes": [], "house": {}}

    def test_lights_are_moved_within_the_order(self) -> None:
        for to, order in ((2, ["b", "c", "a"]), (-3, ["a", "b", "c"]), (9, ["b", "c", "a"])):
            moved = run("store/rig", "m.moveLight(v.rig, 'a', v.to).lights.map((l) => l.id)", rig=self.rig(), to=to)
            self.assertEqual(moved, order)

    def test_a_part_of_any_owners_mask_is_changed(self) -> None:
        for owner in ({"of": "light", "id": "b"}, {"of": "house"}, {"of": "matte", "id": "t"}):
            rig = {
                **self.rig(),
                "mattes": [{"id": "t", "mask": {"start": "nothing", "parts": [{"part": "x"}]}}],
                "house": {"mask": {"start": "nothing", "parts": [{"part": "x"}]}},
            }
            rig["lights"][1]["mask"]["parts"] = [{"part": "x"}]
            place = {"mask": owner, "part": 0}
            result = run("store/rig", "m.valuesAt(m.withValues(v.rig, v.place, {density: 0.3}), v.place)", rig=rig, place=place)
            self.assertEqual(result, {"part": "x", "density": 0.3})


if __name__ == "__main__":
    unittest.main()


class Answers(unittest.TestCase):
    """An answer to a sketch, taken for a light of which the place has keys."""

    def answered(self, frame: int) -> Any:
        light = {"id": "sun", "source": {}, "spread": {"position": [0.1, 0.2], "reach": 0.5}, "colour": {}, "mask": {}, "merge": {}}
        track = {"between": "linear", "at": [[0, [0.1, 0.2]], [20, [0.3, 0.2]]]}
        rig = {"lights": [light], "keys": {"sun": {"spread.position": track}}}
        answer = {**light, "spread": {"position": [0.8, 0.6], "reach": 0.9}}
        return run("store/lights", "m.withAnswer(v.rig, v.answer, v.frame)", rig=rig, answer=answer, frame=frame)

    def test_a_keyed_setting_gets_a_key_where_it_is_taken(self) -> None:
        made = self.answered(10)
        at = made["keys"]["sun"]["spread.position"]["at"]
        self.assertEqual(at, [[0, [0.1, 0.2]], [10, [0.8, 0.6]], [20, [0.3, 0.2]]])
        self.assertEqual(made["lights"][0]["spread"]["reach"], 0.9)

    def test_a_key_that_is_there_is_replaced_and_the_others_stay(self) -> None:
        at = self.answered(20)["keys"]["sun"]["spread.position"]["at"]
        self.assertEqual(at, [[0, [0.1, 0.2]], [20, [0.8, 0.6]]])


class Changes(unittest.TestCase):
    """What is sent of a rig is what the service makes of it, of the very same rigs."""

    RIG: ClassVar[dict[str, Any]] = {
        "lights": [
            {"id": "a", "kind": "shafts", "on": True, "spread": {"reach": 0.5, "position": [0.5, 0.2]}},
            {"id": "b", "kind": "bloom", "on": True, "spread": {"radius": 0.1}},
        ]
    }

    def changes(self, after: Any) -> Any:
        return run("store/changes", "m.changesOf(v.before, v.after)", before=self.RIG, after=after)

    def changed(self, **lights: Any) -> Any:
        result = json.loads(json.dumps(self.RIG))
        for index, update in lights.items():
            result["lights"][int(index[1:])].update(update)
        return result

    def test_a_setting_is_sent_by_its_path(self) -> None:
        after = self.changed(_0={"spread": {"reach": 0.8, "position": [0.5, 0.2]}})
        self.assertEqual(self.changes(after), [{"op": "replace", "path": "/lights/0/spread/reach", "value": 0.8}])

    def test_numbers_go_as_the_list_that_they_are_and_what_is_equal_is_not_sent(self) -> None:
        after = self.changed(_0={"spread": {"reach": 0.5, "position": [0.6, 0.2]}})
        self.assertEqual(self.changes(after), [{"op": "replace", "path": "/lights/0/spread/position", "value": [0.6, 0.2]}])
        self.assertEqual(self.changes(self.RIG), [])

    def test_one_more_is_put_at_the_end_and_another_order_goes_whole(self) -> None:
        more = {"lights": [*self.RIG["lights"], {"id": "c", "kind": "edge"}]}
        self.assertEqual(self.changes(more), [{"op": "add", "path": "/lights/-", "value": {"id": "c", "kind": "edge"}}])
        turned = {"lights": self.RIG["lights"][::-1]}
        self.assertEqual(self.changes(turned), [{"op": "replace", "path": "/lights", "value": turned["lights"]}])
        fewer = {"lights": self.RIG["lights"][:1]}
        self.assertEqual(self.changes(fewer), [{"op": "replace", "path": "/lights", "value": fewer["lights"]}])

    def test_names_with_a_slash_are_written_as_the_standard_says(self) -> None:
        got = run("store/changes", "m.changesOf({'a/b~c': 1}, {'a/b~c': 2})")
        self.assertEqual(got, [{"op": "replace", "path": "/a~1b~0c", "value": 2}])


WISHES = """
const wish = (rig, more = {}) => ({ rig, lead: null, painting: null, light: null, clipping: false, hdr: false, seeing: null,
  view: 1, show: 2, frame: 0, ...more });
const still = { moving: false, draftsOnly: false }, moving = { moving: true, draftsOnly: false };
const picture = (seq, exact, part = "result") => ({ seq, exact, part });
const [one, two] = [{}, {}];
const x = new m.Exchange();
"""


def exchange(steps: str) -> Any:
    """What some steps of an exchange `x` with the service give."""
    return run("store/exchange", f"(() => {{ {WISHES} {steps} }})()")


class Roads(unittest.TestCase):
    """Whether pictures come to the page packed or plain."""

    def wide(self, host: str, *pictures: tuple[str, float]) -> bool:
        """Whether it is after pictures of a megabyte, each so packed and so many ms on its way, that took 20 ms to make."""
        steps = "".join(
            f"x.left({n}, 1000); x.arrived({{ seq: {n}, packed: '{packed}', seconds: 0.02 }}, 1e6, {1020 + ms});"
            for n, (packed, ms) in enumerate(pictures)
        )
        return bool(run("store/link/road", f"(() => {{ const x = new m.Road(v.host); {steps} return x.wide; }})()", host=host))

    def test_only_a_service_on_this_machine_sends_plain_pictures(self) -> None:
        for host in ("127.0.0.1", "localhost", "[::1]"):
            self.assertTrue(self.wide(host), host)
        for host in ("10.0.0.7", "aurelon.example", "localhost.example", "127.0.0.1.example"):
            self.assertFalse(self.wide(host), host)

    def test_a_tunnel_to_another_machine_is_found_out_by_three_slow_pictures_in_a_row(self) -> None:
        slow, quick = ("rgba", 500.0), ("rgba", 5.0)
        self.assertFalse(self.wide("localhost", slow, slow, slow))
        self.assertTrue(self.wide("localhost", slow, slow, quick, slow, slow))
        self.assertTrue(self.wide("localhost", *3 * [("rgba", 100.0)]), "a busy machine")
        self.assertTrue(self.wide("localhost", *3 * [("png", 500.0)]), "these were packed anyway")


class Sounds(unittest.TestCase):
    """When a reel's sound is heard beside its frames."""

    def heard(self, *steps: str) -> Any:
        """What of a sound of two seconds is played, and from where, after each step; `late` and `steady` are the two ways in which
        frames come."""
        begin = (
            "const audio = { paused: true, currentTime: 0, duration: 2, pause() { this.paused = true; },"
            " play() { this.paused = false; return Promise.resolve(); } };"
            "const x = new m.ReelSound('', () => {}); x.asked = true; x.audio = audio; const out = [];"
            "const note = () => out.push([!audio.paused, audio.currentTime]);"
            "const late = (s) => x.keepStep(s, false), steady = (s) => x.keepStep(s, true);"
        )
        done = "".join(f"{step}; note();" for step in steps)
        return run("store/reelSound", f"(() => {{ {begin} {done} return out; }})()")

    def test_frames_that_are_late_silence_it_until_the_reel_begins_again_or_all_are_there(self) -> None:
        self.assertEqual(
            self.heard("late(0)", "audio.currentTime = 0.9; late(0.3)", "late(0.4)", "late(0)", "x.rest()"),
            [[True, 0], [False, 0.9], [False, 0.9], [True, 0], [False, 0]],
        )
        self.assertEqual(self.heard("late(0)", "audio.currentTime = 0.9; late(0.3)", "steady(0.4)")[-1], [True, 0.4])

    def test_a_sound_that_is_shorter_than_the_pictures_is_not_heard_twice(self) -> None:
        self.assertEqual(self.heard("steady(1)", "x.rest()", "steady(2.5)")[-1], [False, 1])


class Exchange(unittest.TestCase):
    """The order of requests and pictures of the live preview."""

    def test_nothing_is_sent_before_the_link_is_open_nor_after_it_has_closed(self) -> None:
        first, then, last = exchange(
            "const a = x.next(wish(one), 0, still).do; x.opened(); const b = x.next(wish(one), 0, still);"
            "x.closed(1006); return [a, b, x.next(wish(one), 0, still).do];"
        )
        self.assertEqual((first, last), ("nothing", "nothing"))
        self.assertEqual(then, {"do": "send", "draft": False, "quick": False})

    def test_while_a_draft_is_on_its_way_the_newest_wish_waits_for_its_answer(self) -> None:
        steps = "x.opened(); x.send(wish(one), { draft: true, quick: false }, true, 0);"
        self.assertEqual(exchange(f"{steps} return x.next(wish(two), 5, moving).do;"), "nothing")
        after = exchange(f"{steps} const a = [x.answered(9), x.answered(1)]; return [...a, x.next(wish(two), 5, moving)];")
        self.assertEqual(after, [False, True, {"do": "send", "draft": True, "quick": True}])

    def test_an_exact_picture_gives_way_to_the_next_wish_at_once(self) -> None:
        steps = "x.opened(); x.send(wish(one), { draft: false, quick: false }, true, 0);"
        self.assertEqual(exchange(f"{steps} return x.next(wish(two), 500, still);"), {"do": "send", "draft": False, "quick": False})
        self.assertEqual(exchange(f"{steps} return x.next(wish(one), 500, still).do;"), "nothing")

    def test_the_exact_picture_follows_once_the_hand_lets_go_or_holds_still(self) -> None:
        steps = (
            "x.opened(); x.changed(wish(one), 1000); x.send(wish(one), { draft: true, quick: false }, true, 1000); x.answered(1);"
        )
        exact = {"do": "send", "draft": False, "quick": False}
        self.assertEqual(exchange(f"{steps} return x.next(wish(one), 1010, moving);"), {"do": "wait", "ms": 310})
        self.assertEqual(exchange(f"{steps} return x.next(wish(one), 1320, moving);"), exact)
        self.assertEqual(exchange(f"{steps} return x.next(wish(one), 1010, still);"), exact)
        only = "{ moving: false, draftsOnly: true }"
        self.assertEqual(exchange(f"{steps} return x.next(wish(one), 2000, {only}).do;"), "nothing")

    def test_one_wish_soon_after_another_is_drafted_first(self) -> None:
        steps = "x.opened(); x.send(wish(one), { draft: false, quick: false }, true, 0); x.answered(1);"
        self.assertEqual(exchange(f"{steps} return x.next(wish(two), 159, still).draft;"), True)
        self.assertEqual(exchange(f"{steps} return x.next(wish(two), 160, still).draft;"), False)

    def test_a_picture_is_shown_only_where_nothing_newer_is(self) -> None:
        seen = exchange(
            'return [2, 1, 2, 3].map((seq) => x.isNews(picture(seq, true))).concat(x.isNews(picture(1, true, "mask")));'
        )
        self.assertEqual(seen, [True, False, True, True, True])

    def test_only_the_exact_picture_of_the_present_wish_is_exact(self) -> None:
        steps = "x.opened(); const seq = x.send(wish(one), { draft: false, quick: false }, true, 0);"
        seen = exchange(
            f"{steps} const shows = (at, exact, of) => {{ x.shown(picture(at, exact)); return x.showsExactly(wish(of)); }};"
            "return [shows(seq, false, one), shows(seq - 1, true, one), shows(seq, true, two), shows(seq, true, one),"
            "x.isFresh(picture(seq, false), wish(one, { view: 7 })), x.isFresh(picture(seq, true), wish(one, { frame: 3 }))];"
        )
        self.assertEqual(seen, [False, False, False, True, True, False])

    def test_a_wish_that_is_gone_before_it_is_sent_leaves_the_picture_exact(self) -> None:
        # A click beside the picture begins and ends a stroke between two drawn frames.
        steps = "x.opened(); x.changed(wish(one), 0); const seq = x.send(wish(one), { draft: false, quick: false }, true, 0);"
        there = "x.answered(seq); x.shown(picture(seq, true)); x.changed(wish(two), 5); x.changed(wish(one), 6);"
        seen = exchange(f"{steps} {there} return [x.next(wish(one), 7, still).do, x.showsExactly(wish(one))];")
        self.assertEqual(seen, ["nothing", True])

    def test_what_a_picture_was_asked_for_is_known_when_the_next_has_been_asked_for(self) -> None:
        send = "x.opened(); for (const of of [one, two, one]) x.send(wish(of), { draft: true, quick: false }, true, 0);"
        seen = exchange(f"{send} return [1, 2, 3].map((seq) => x.askedFor(picture(seq, false))?.rig ?? null);")
        self.assertEqual(seen, [None, exchange("return two;"), exchange("return one;")])

    def test_a_picture_that_is_not_used_may_be_asked_for_again(self) -> None:
        steps = "x.opened(); x.send(wish(one), { draft: true, quick: false }, true, 0); x.answered(1);"
        only = "{ moving: true, draftsOnly: true }"
        self.assertEqual(exchange(f"{steps} return x.next(wish(one), 900, {only}).do;"), "nothing")
        self.assertEqual(exchange(f"{steps} x.discarded(); return x.next(wish(one), 900, {only}).do;"), "send")

    def test_what_is_covered_by_another_picture_is_asked_for_again(self) -> None:
        # The hand goes over frames that are kept, and comes back to the one whose exact picture was there.
        steps = "x.opened(); const seq = x.send(wish(one), { draft: false, quick: false }, true, 0); x.answered(seq);"
        there = "x.shown(picture(seq, true)); const before = x.showsExactly(wish(one)); x.covered();"
        seen = exchange(f"{steps} {there} return [before, x.showsExactly(wish(one)), x.next(wish(one), 900, still).do];")
        self.assertEqual(seen, [True, False, "send"])

    def test_what_cannot_be_made_of_changes_is_sent_whole_once(self) -> None:
        send = "x.opened(); const seq = x.send(wish(one), { draft: false, quick: false }, WHOLE, 0);"
        for whole, again, expected in ((False, False, True), (True, False, False), (True, True, True)):
            steps = send.replace("WHOLE", json.dumps(whole))
            failed = f"const a = x.failed({{ seq, error: '', again: {json.dumps(again)} }});"
            self.assertEqual(exchange(f"{steps} {failed} return [a, x.known];"), [expected, None])

    def test_a_rig_that_is_too_large_is_not_sent_again(self) -> None:
        steps = "x.opened(); x.send(wish(one), { draft: false, quick: false }, true, 0); const a = x.closed(1009); x.opened();"
        after = exchange(f"{steps} return [a, x.next(wish(one), 9000, still).do, x.next(wish(two), 9000, still).do];")
        self.assertEqual(after, [True, "nothing", "send"])

    def test_stages_come_with_every_exact_picture_and_seldom_with_drafts(self) -> None:
        seen = exchange("return [[true, 0], [true, 300], [false, 310], [true, 500], [true, 711]].map((a) => x.takesStages(...a));")
        self.assertEqual(seen, [True, False, True, False, True])


class Hand(unittest.TestCase):
    """What the hand is doing: one thing at a time."""

    def after(self, *acts: dict[str, Any]) -> Any:
        return run("store/hand", "v.acts.reduce(m.handled, m.AT_REST)", acts=acts)

    def test_one_tool_takes_the_place_of_another_and_is_put_down(self) -> None:
        crop, spot = ({"do": "take up", "tool": {"is": name}} for name in ("crop", "spot"))
        self.assertEqual(self.after(crop, spot)["tool"], {"is": "spot"})
        self.assertEqual(self.after(crop, {"do": "put down"})["tool"], {"is": "handles"})

    def test_a_stroke_is_drawn_only_with_a_brush(self) -> None:
        stroke = {"do": "draw", "stroke": {"points": [0, 0, 1]}}
        self.assertEqual(self.after(stroke)["tool"], {"is": "handles"})
        brush = {"do": "take up", "tool": {"is": "light", "drawn": None}}
        self.assertEqual(self.after(brush, stroke)["tool"]["drawn"], stroke["stroke"])
        self.assertIsNone(self.after(brush, stroke, {"do": "draw", "stroke": None})["tool"]["drawn"])

    def test_moving_and_holding_begin_and_end_by_themselves(self) -> None:
        self.assertTrue(self.after({"do": "move"})["moving"])
        self.assertFalse(self.after({"do": "move"}, {"do": "rest"})["moving"])
        held = self.after({"do": "move"}, {"do": "hold", "what": "before"})
        self.assertEqual((held["held"], held["moving"]), ("before", True))
        self.assertIsNone(self.after({"do": "hold", "what": "before"}, {"do": "let go"})["held"])
