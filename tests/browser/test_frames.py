"""Reels at the screen: the frame strip, keys by a press, playing, following, carrying, writing."""

from __future__ import annotations

import json
import math
import re
import signal
from contextlib import closing
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from playwright.sync_api import Route, expect
from skimage import data

from aurelon.core import open_reel
from tests.browser.window import BrowserTest
from tests.core.test_cuts import panned
from tests.reels import frames, with_sound, write_stills, write_video

FIRST, FRAMES = 6, 16  # of the demo reel
SIZE = (640, 360)
FERRY = Path(__file__).resolve().parents[2] / "demo" / "reels"


class Frames(BrowserTest):
    home = False

    def reel(self, count: int = 12) -> int:
        pictures = [np.kron(picture, np.ones((4, 4, 1), np.uint8)).astype(np.uint8) for picture in frames(count)]
        return self.bring_file_in(write_video(self.folder / "pier.mkv", pictures))

    def frame(self) -> int:
        return int(self.page.get_by_role("slider", name="Frame that is seen").get_attribute("aria-valuenow") or -1)

    def keys(self, plate: int) -> Any:
        return self.rig(plate)["keys"]

    def test_the_strip_steps_scrubs_and_limits(self) -> None:
        self.reel()
        first = self.picture()
        self.page.keyboard.press("Control+ArrowRight")
        self.page.keyboard.press("Control+ArrowRight")
        self.rested()
        self.assertEqual(self.frame(), 2)
        self.assertGreater(np.abs(self.picture() - first).max(), 40)
        field = self.page.get_by_role("textbox", name="Frame", exact=True)
        field.fill("7")
        field.press("Enter")
        self.rested()
        self.assertEqual(self.frame(), 7)
        # Beyond the end it stays at the last.
        field.fill("99")
        field.press("Enter")
        self.rested()
        self.assertLessEqual(self.frame(), 11)
        playhead = self.page.get_by_role("slider", name="Frame that is seen")
        box = playhead.bounding_box()
        assert box is not None
        self.page.mouse.move(box["x"] + box["width"] / 2, box["y"] + 20)
        self.page.mouse.down()
        self.page.mouse.move(box["x"] - 200, box["y"] + 20, steps=8)
        self.page.mouse.up()
        self.rested()
        there = self.frame()
        self.assertTrue(2 < there < 11)
        self.page.keyboard.press("Control+Alt+ArrowLeft")
        expect(self.page.get_by_role("slider", name="The reel begins")).to_have_attribute("aria-valuenow", str(there))
        self.page.keyboard.press("Control+End")
        self.assertEqual(self.frame(), 11)
        self.page.keyboard.press("Control+Home")
        self.assertEqual(self.frame(), there)
        # It is remembered with the plate.
        self.page.reload()
        self.rested()
        expect(self.page.get_by_role("slider", name="The reel begins")).to_have_attribute("aria-valuenow", str(there))

    def test_a_still_picture_has_no_strip(self) -> None:
        self.open_plate("Boatshed")
        expect(self.page.get_by_role("region", name="Frames")).to_have_count(0)
        expect(self.page.get_by_role("button", name=re.compile("^Set a key"))).to_have_count(0)

    def test_keys_by_a_press_and_by_changing_what_is_keyed(self) -> None:
        plate = self.reel()
        self.add("Bloom")
        self.rested()
        light = self.rig(plate)["lights"][0]["id"]
        self.page.get_by_role("button", name="Set a key at this frame: Radius").click()
        self.rested()
        self.page.keyboard.press("Control+End")
        self.rested()
        self.type_value("Radius, value", "20")
        (path,) = self.keys(plate)[light]
        at = self.keys(plate)[light][path]["at"]
        self.assertEqual([frame for frame, _ in at], [0, 11])
        self.assertAlmostEqual(at[1][1], 0.2)
        # Between them the row shows what lies between, and the strip shows where the keys are.
        for _ in range(5):
            self.page.keyboard.press("Control+ArrowLeft")
        self.rested()
        wanted = at[0][1] + (0.2 - at[0][1]) * 6 / 11
        shown = float(self.page.get_by_role("textbox", name="Radius, value").input_value().replace(",", ""))
        self.assertAlmostEqual(shown, wanted * 100, delta=0.06)
        expect(self.page.locator("[data-key]")).to_have_count(2)
        # Undo takes the last key back, and the picture with it.
        self.page.keyboard.press("Control+z")
        self.rested()
        self.assertEqual(len(self.keys(plate)[light][path]["at"]), 1)
        self.page.keyboard.press("Control+Home")
        self.rested()
        self.page.get_by_role("button", name="Remove the key at this frame: Radius").click()
        self.rested()
        self.assertEqual(self.keys(plate), {})

    def test_the_hand_goes_over_frames_that_are_ready_without_asking(self) -> None:
        plate = self.reel()
        self.add("Bloom")
        self.rested()
        self.page.get_by_role("button", name="Set a key at this frame: Radius").click()
        self.page.keyboard.press("Control+End")
        self.rested()
        self.type_value("Radius, value", "20")
        self.rested()
        ready = self.page.locator('.ready[style*="left: 0%; width: 100%"]')
        expect(ready).to_have_count(1)
        # What the keyed setting is at another frame makes nothing anew.
        self.page.keyboard.press("Control+Home")
        self.rested()
        self.assertEqual(ready.count(), 1)
        exact = self.picture()
        process = self.service.process
        assert process is not None
        self.addCleanup(process.send_signal, signal.SIGCONT)
        process.send_signal(signal.SIGSTOP)
        playhead = self.page.get_by_role("slider", name="Frame that is seen")
        box = playhead.bounding_box()
        assert box is not None
        self.page.mouse.move(box["x"] + box["width"] / 2, box["y"] + 20)
        self.page.mouse.down()
        self.page.mouse.move(box["x"] + 300, box["y"] + 20, steps=6)
        self.page.wait_for_timeout(200)
        there = self.frame()
        self.assertGreater(there, 2)
        shown = self.picture()
        self.assertGreater(np.abs(shown - exact).max(), 40)
        process.send_signal(signal.SIGCONT)
        self.page.mouse.up()
        self.rested()
        # What was shown is what the exact picture shows.
        self.assertLess(np.abs(self.picture() - shown).mean(), 2)
        self.assertEqual((self.frame(), len(self.keys(plate))), (there, 1))

    def test_what_goes_over_all_frames_waits_its_turn_and_can_be_stopped(self) -> None:
        plate = self.reel()
        self.add("Fan")
        self.rested()
        asked: list[Route] = []
        self.page.route("**/follow?*", lambda route: asked.append(route), times=1)  # answered once the others stand in line
        follow = self.page.get_by_role("button", name="Follow: Position")
        follow.click()
        for place in ("2", "3"):
            follow.click()
            expect(self.page.get_by_text(f"{place}. Following Position")).to_be_visible()
        (first,) = asked
        self.assertEqual(self.keys(plate), {})
        self.page.get_by_role("button", name="Stop: Following Position").nth(2).click()
        expect(self.page.get_by_text("3. Following Position")).to_have_count(0)
        first.continue_()
        expect(self.page.get_by_role("button", name="Stop: Following Position")).to_have_count(0)
        self.rested()
        (path,) = self.keys(plate)["fan-1"]
        self.assertEqual(path, "spread.position")

    def test_a_light_turns_with_what_is_under_it(self) -> None:
        width, height, each = 640, 400, 3.0
        photograph = cv2.resize(data.coffee(), (width, height))
        turns = [cv2.getRotationMatrix2D((width / 2, height / 2), each * k, 1.3) for k in range(8)]
        plate = self.bring_file_in(
            write_video(self.folder / "turning.mkv", [cv2.warpAffine(photograph, m, (width, height)) for m in turns])
        )
        self.add("Fan")
        self.rested()
        self.type_value("Position, down in per cent", "45")
        self.page.get_by_role("button", name="Turn with: Position").click()
        expect(self.page.get_by_role("button", name="Stop: Following Position")).to_have_count(0)
        self.page.keyboard.press("Control+End")
        self.rested()
        keys = self.keys(plate)["fan-1"]

        def looks(at: int) -> float:
            """In which direction the fan goes: turned from where the middle lies."""
            (frame, (x, y)), (_, turn) = (keys[path]["at"][at] for path in ("spread.position", "spread.turn"))
            self.assertEqual(frame, at % 8)
            return turn + math.degrees(math.atan2((y - 0.5) * height, (0.5 - x) * width))

        self.assertAlmostEqual((looks(-1) - looks(0) + 180) % 360 - 180, 7 * each, delta=1)
        shown = self.page.get_by_role("textbox", name="Turn, value").input_value()
        self.assertAlmostEqual(float(shown), keys["spread.turn"]["at"][-1][1], delta=0.6)
        # One step took them in, and one takes them away.
        self.page.keyboard.press("Control+z")
        self.rested()
        self.assertEqual(self.keys(plate), {})

    def test_cuts_are_shown_and_what_is_followed_ends_with_its_shot_and_at_the_marks(self) -> None:
        shots = panned("rocket", 6, 4) + panned("coffee", 8, 4)
        plate = self.bring_file_in(write_video(self.folder / "shots.mkv", shots))
        cut = self.page.locator("[data-cut]")
        expect(cut).to_have_count(1)
        self.assertEqual(cut.get_attribute("data-cut"), "6")
        self.add("Lamp")
        self.rested()
        field = self.page.get_by_role("textbox", name="Frame", exact=True)

        def keyed() -> list[int]:
            (track,) = self.keys(plate)["lamp-1"].values()
            return [key[0] for key in track["at"]]

        def follow(frame: int) -> list[int]:
            field.fill(str(frame))
            field.press("Enter")
            self.rested()
            self.page.get_by_role("button", name="Follow: Position").click()
            expect(self.page.get_by_role("button", name="Stop: Following Position")).to_have_count(0)
            self.page.wait_for_timeout(200)
            self.rested()
            return keyed()

        self.assertEqual(follow(9), list(range(6, 14)))
        expect(
            self.page.get_by_text("Followed over its shot, frames 6 to 13; what lies beyond a cut is as it was.")
        ).to_be_visible()
        # Keys of the other shot come beside them; with the reel ending sooner only frames before that are followed.
        self.assertEqual(follow(2), list(range(14)))
        self.page.keyboard.press("Control+z")
        self.rested()
        self.assertEqual(keyed(), list(range(6, 14)))
        end = self.page.get_by_role("slider", name="The reel ends")
        end.focus()
        for _ in range(10):
            self.page.keyboard.press("ArrowLeft")
        expect(end).to_have_attribute("aria-valuenow", "3")
        self.assertEqual(follow(1), [0, 1, 2, 3, *range(6, 14)])

    def test_a_cut_is_set_and_taken_away_by_hand_and_a_light_is_given_to_a_shot(self) -> None:
        plate = self.bring_file_in(write_video(self.folder / "cuts.mkv", panned("rocket", 6, 4) + panned("coffee", 8, 4)))
        cuts = self.page.locator("[data-cut]")
        expect(cuts).to_have_count(1)
        here = self.page.get_by_role("button", name="A shot begins here")
        expect(here).to_be_disabled()
        self.add("Bloom")
        self.rested()
        self.to_frame(10)
        here.click()
        self.rested()
        self.assertEqual([cut.get_attribute("data-cut") for cut in cuts.all()], ["6", "10"])
        self.to_frame(6)
        expect(here).to_have_attribute("aria-pressed", "true")
        self.page.keyboard.press("Control+Alt+ArrowUp")
        self.rested()
        self.assertEqual([cut.get_attribute("data-cut") for cut in cuts.all()], ["10"])
        self.assertEqual(self.rig(plate)["shots"], {"begin": [10], "go_on": [6]})
        self.page.keyboard.press("Control+z")
        self.rested()
        expect(cuts).to_have_count(2)
        # In the shot from 6 to 9 only: the chip says so at every frame, and the keys stand on the strip.
        lit = self.page.get_by_role("button", name="Bloom on", exact=True)
        self.in_menu("Shine in this shot only")
        self.assertEqual([key.get_attribute("data-key") for key in self.page.locator("[data-key]").all()], ["0", "6", "10"])
        shines = []
        for frame in (5, 6, 9, 10):
            self.to_frame(frame)
            shines.append(lit.get_attribute("aria-pressed") == "true")
        self.assertEqual(shines, [False, True, True, False])
        # A press on its switch is a key where it is; in all shots it has no keys.
        lit.click()
        self.rested()
        self.assertEqual(self.rig(plate)["keys"]["bloom-1"]["on"]["at"], [[0, False], [6, True], [10, True]])
        self.to_frame(2)
        self.in_menu("Shine in this shot too")
        self.assertEqual(self.rig(plate)["keys"], {})
        self.in_menu("Go dark in this shot")
        self.to_frame(7)
        self.in_menu("Shine in all shots")
        self.assertEqual((self.rig(plate)["keys"], self.rig(plate)["lights"][0]["on"]), ({}, True))
        # So does a part of a mask.
        self.page.get_by_role("button", name="Add a part").click()
        self.page.get_by_role("menuitem", name=re.compile("^Polygon")).click()
        self.rested()
        self.page.keyboard.press("Escape")
        self.page.get_by_role("button", name="More for Polygon, part 1").click()
        self.page.get_by_role("menuitem", name="Count in this shot only").click()
        self.rested()
        (part,) = self.rig(plate)["lights"][0]["mask"]["parts"]
        self.assertEqual(part["keys"]["on"]["at"], [[0, False], [6, True], [10, False]])
        counts = self.page.get_by_role("checkbox", name="Polygon on")
        expect(counts).to_be_checked()
        self.to_frame(3)
        expect(counts).not_to_be_checked()

    def to_frame(self, frame: int) -> None:
        field = self.page.get_by_role("textbox", name="Frame", exact=True)
        field.fill(str(frame))
        field.press("Enter")
        self.rested()

    def in_menu(self, choice: str) -> None:
        self.page.get_by_role("button", name="More for Bloom", exact=True).click()
        self.page.get_by_role("menuitem", name=choice).click()
        self.rested()

    def test_how_it_goes_between_keys_is_a_right_click_away(self) -> None:
        plate = self.reel()
        self.add("Bloom")
        self.rested()
        button = self.page.get_by_role("button", name="Set a key at this frame: Radius")
        button.click()
        self.rested()
        self.page.get_by_role("button", name="Remove the key at this frame: Radius").click(button="right")
        self.page.get_by_role("menuitem", name="Smooth").click()
        self.rested()
        ((track,),) = (paths.values() for paths in self.keys(plate).values())
        self.assertEqual(track["between"], "smooth")

    def test_a_key_is_dragged_along_the_strip(self) -> None:
        plate = self.reel()
        self.add("Bloom")
        self.rested()
        for label in ("Radius", "Falloff"):
            self.page.get_by_role("button", name=f"Set a key at this frame: {label}").click()
            self.rested()
        key = self.page.get_by_role("slider", name="Keys at frame 0", exact=True)
        box, strip = key.bounding_box(), self.page.locator(".bed").bounding_box()
        assert box is not None
        assert strip is not None
        x, y = box["x"] + box["width"] / 2, box["y"] + 4
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + strip["width"] * 6 / 11, y, steps=6)
        self.page.mouse.up()
        self.rested()
        (tracks,) = self.keys(plate).values()
        self.assertEqual([[frame for frame, _ in track["at"]] for track in tracks.values()], [[6], [6]])
        self.assertEqual(self.frame(), 0)
        # By the keyboard, and back.
        self.page.get_by_role("slider", name="Keys at frame 6", exact=True).press("ArrowRight")
        self.rested()
        expect(self.page.get_by_role("slider", name="Keys at frame 7", exact=True)).to_be_focused()
        self.page.keyboard.press("Control+z")
        self.rested()
        self.assertEqual({track["at"][0][0] for track in next(iter(self.keys(plate).values())).values()}, {6})

    def test_the_path_of_a_place_is_drawn_as_it_goes(self) -> None:
        plate = self.reel()
        self.add("Shafts")
        self.rested()
        for across, keys in ((20, "Control+End"), (60, "Control+Home"), (60, None)):
            self.type_value("Position, across in per cent", str(across))
            if across == 20:
                self.page.get_by_role("button", name="Set a key at this frame: Position").click()
                self.rested()
            if keys:
                self.page.keyboard.press(keys)
                self.rested()
        self.page.keyboard.press("Control+ArrowRight")
        self.rested()
        path = self.page.get_by_role("group", name="Path of Position").locator("polyline")
        self.assertEqual(len((path.get_attribute("points") or "").split()), len(self.position(plate)))
        button = self.page.get_by_role("button", name="Set a key at this frame: Position")
        button.click()
        self.rested()
        self.page.get_by_role("button", name="Remove the key at this frame: Position").click(button="right")
        self.page.get_by_role("menuitem", name="Smooth").click()
        self.rested()
        expect(path).to_have_attribute("points", re.compile(r"^(\S+ ){11}\S+$"))

    def position(self, plate: int) -> Any:
        ((track,),) = (paths.values() for paths in self.keys(plate).values())
        return track["at"]

    def test_a_part_of_a_mask_moves_by_its_keys(self) -> None:
        plate = self.reel()
        self.add("Bloom")
        self.page.get_by_role("button", name="Add a part").click()
        self.page.get_by_role("menuitem", name="Radial").click()
        self.rested()
        self.page.get_by_role("button", name="Set a key at this frame: Middle").click()
        self.rested()
        self.page.keyboard.press("Control+End")
        self.rested()
        self.type_value("Middle, across in per cent", "90")
        (part,) = self.rig(plate)["lights"][0]["mask"]["parts"]
        self.assertEqual(part["keys"]["middle"]["at"], [[0, [0.5, 0.5]], [11, [0.9, 0.5]]])
        self.assertEqual(self.page.locator("[data-key]").evaluate_all("all => all.map((one) => one.dataset.key)"), ["0", "11"])
        self.page.keyboard.press("Control+Home")
        self.rested()
        expect(self.page.get_by_role("textbox", name="Middle, across in per cent")).to_have_value("50.0")
        expect(self.page.get_by_role("group", name="Path of Middle").locator("polyline")).to_have_count(1)
        # Follow puts a key at every frame, and undo takes them back.
        self.page.get_by_role("button", name="Follow: Middle").click()
        expect(self.page.locator("[data-key]")).to_have_count(12)
        self.page.keyboard.press("Control+z")
        self.rested()
        expect(self.page.locator("[data-key]")).to_have_count(2)

    def test_the_crop_goes_with_what_is_under_its_middle(self) -> None:
        plate = self.reel()
        self.page.get_by_role("button", name="Plate prepare").click()
        self.page.get_by_role("button", name="Crop", exact=True).click()
        self.drag_by(self.page.get_by_role("slider", name="Right edge of the crop"), -200, 0)
        self.drag_by(self.page.get_by_role("slider", name="Bottom edge of the crop"), 0, -120)
        self.page.get_by_role("button", name="Follow with the crop").click()
        expect(self.page.locator("[data-key]")).to_have_count(12)
        self.rested()
        at = [box for _, box in self.keys(plate)["plate"]["crop"]["at"]]
        self.assertEqual(len({round(box["x1"] - box["x0"], 6) for box in at}), 1)
        self.assertGreater(at[11]["x0"] + at[11]["y0"], at[0]["x0"] + at[0]["y0"] - 1e-9)
        self.page.get_by_role("button", name="Remove the crop").click()
        self.rested()
        self.assertEqual((self.keys(plate), self.rig(plate)["prepare"]["crop"]), ({}, None))

    def test_a_star_on_a_reel_keeps_the_lamps_that_it_was_made_with(self) -> None:
        plate = self.reel()
        self.add("Starburst")
        expect(self.page.locator("[data-key]")).to_have_count(12)
        self.rested()
        found = self.position(plate)
        self.assertEqual([frame for frame, _ in found], list(range(12)))
        self.assertEqual({len(places) for _, places in found}, {len(found[0][1])})

    def test_it_plays_from_what_is_ready_and_says_how_fast(self) -> None:
        self.reel()
        ready = self.page.locator(".ready")
        expect(ready.first).to_be_visible()
        self.page.wait_for_timeout(3000)
        self.page.keyboard.press("p")
        answer = self.page.get_by_role("region", name="Frames").get_by_role("status")
        expect(answer).to_have_text(re.compile(r"^\d+ of 24 a second$"))
        seen = set()
        for _ in range(40):
            self.page.wait_for_timeout(30)
            seen.add(self.frame())
        self.assertGreater(len(seen), 4)
        self.page.keyboard.press("p")
        self.rested()
        still = self.frame()
        self.page.wait_for_timeout(400)
        self.assertEqual(self.frame(), still)

    def test_its_sound_is_heard_in_step_with_the_frames_and_rests_with_them(self) -> None:
        # A sound has no place in the page, so the page notes what becomes of it.
        self.page.add_init_script("""window.Audio = class extends Audio {
          constructor(...words) {
            super(...words);
            const note = () => {
              const frame = document.querySelector('[aria-label="Frame that is seen"]').getAttribute("aria-valuenow");
              document.body.dataset.sound = this.paused ? "rests" : "plays";
              if (this.currentTime > 0.5) document.body.dataset.apart = Math.abs(this.currentTime - frame / 24).toFixed(1);
            };
            for (const what of ["playing", "pause", "timeupdate"]) this.addEventListener(what, note);
          }
        }""")
        pictures = [np.kron(picture, np.ones((2, 2, 1), np.uint8)).astype(np.uint8) for picture in frames(48)]
        self.bring_file_in(with_sound(self.folder / "sounding.mkv", pictures))
        toggle, body = self.page.get_by_role("button", name="Sound", exact=True), self.page.locator("body")
        expect(toggle).to_have_attribute("aria-pressed", "true")
        self.page.keyboard.press("p")
        expect(body).to_have_attribute("data-sound", "plays")
        expect(body).to_have_attribute("data-apart", re.compile(r"0\.[0-4]"))
        toggle.click()
        expect(body).to_have_attribute("data-sound", "rests")
        toggle.click()
        expect(body).to_have_attribute("data-sound", "plays")
        self.page.keyboard.press("p")
        expect(body).to_have_attribute("data-sound", "rests")

    def test_several_numbered_stills_are_one_reel_unless_they_are_kept_single(self) -> None:
        folder = write_stills(self.folder / "stills", frames(4), name="jetty_{:03d}.png")
        self.page.goto(self.service.url)
        with self.page.expect_file_chooser() as chooser:
            self.page.get_by_role("button", name="Bring in a picture…").click()
        chooser.value.set_files(sorted(folder.glob("*.png")))
        expect(self.page.get_by_role("article", name="jetty", exact=True)).to_be_visible()
        expect(self.page.get_by_text("4 numbered stills became one reel.")).to_be_visible()
        self.page.get_by_role("button", name="Keep them single").click()
        for number in range(1, 5):
            expect(self.page.get_by_role("article", name=f"jetty_{number:03d}")).to_be_visible()
        expect(self.page.get_by_role("article", name="jetty", exact=True)).to_have_count(0)


class WholeJob(BrowserTest):
    def ferry(self) -> Path:
        """The sixteen frames of the demo reel round that in which the figure stands apart from everything, smaller."""
        with closing(open_reel(FERRY / "ferry.webm")) as shot:
            pictures = [np.asarray(shot.footage.raster(n).samples) for n in range(FIRST, FIRST + FRAMES)]
        smaller = [cv2.resize(one, SIZE, interpolation=cv2.INTER_AREA) for one in pictures]
        return write_video(self.folder / "ferry.mkv", smaller)

    def test_the_whole_job_on_a_reel(self) -> None:
        """A figure cut out and carried, the sun followed behind it, a key, and the reel written: at most twenty actions."""
        plate = self.bring_file_in(shot := self.ferry())
        page = self.page
        actions = 0

        def click(name: str | re.Pattern[str], **how: Any) -> None:
            nonlocal actions
            actions += 1
            page.get_by_role("button", name=name, **how).first.click()

        def key(keys: str) -> None:
            nonlocal actions
            actions += 1
            page.keyboard.press(keys)

        actions += 1
        field = page.get_by_role("textbox", name="Frame", exact=True)
        field.fill(str(14 - FIRST))
        field.press("Enter")
        self.rested()
        click(re.compile("^Plate prepare"))
        actions += 2
        page.get_by_role("button", name="New matte").click()
        page.get_by_role("menuitem", name=re.compile("^Subject")).click()
        self.rested()
        area = page.get_by_role("img", name="ferry, lit").bounding_box()
        assert area is not None

        def at(x: float, y: float) -> tuple[float, float]:
            return area["x"] + x * area["width"], area["y"] + y * area["height"]

        actions += 1
        page.mouse.move(*at(0.38, 0.48))
        page.mouse.down()
        page.mouse.move(*at(0.55, 0.999), steps=8)
        page.mouse.up()
        page.wait_for_timeout(1500)
        self.rested()
        click("Carry over the frames")
        expect(page.get_by_role("button", name="Blend this frame in")).to_be_visible()
        self.rested()
        key("a")
        actions += 1
        page.get_by_role("dialog").get_by_role("button", name=re.compile("^Shafts")).click()
        page.wait_for_timeout(800)
        self.rested()
        actions += 1
        page.get_by_role("group", name="Behind").get_by_role("button", name="Subject").click()
        self.rested()
        # The source is dragged to the sun, and stays there.
        handle = page.get_by_role("slider", name="Position").first.bounding_box()
        assert handle is not None
        actions += 1
        page.mouse.move(handle["x"] + handle["width"] / 2, handle["y"] + handle["height"] / 2)
        page.mouse.down()
        page.mouse.move(*at(0.394, 0.427), steps=10)
        page.mouse.up()
        self.rested()
        click("Follow: Position")
        expect(page.locator("[data-key]")).to_have_count(FRAMES)
        self.rested()
        key("Control+e")
        actions += 1
        page.get_by_role("dialog").get_by_role("button", name="Export", exact=True).click()
        expect(page.get_by_text("ferry-lit.", exact=False)).to_be_visible()
        self.assertLessEqual(actions, 20)

        rig = self.rig(plate)
        (track,) = (paths["spread.position"] for paths in rig["keys"].values())
        truth = json.loads((FERRY / "ferry.json").read_text())["sun"]
        off = [np.hypot((x - truth[FIRST + n][0]) * SIZE[0], (y - truth[FIRST + n][1]) * SIZE[1]) for n, (x, y) in track["at"]]
        self.assertLess(np.ptp(off), 2)  # as far from the sun as the hand set it, at every frame
        run = self.api("/runs")[0]["run"]
        (item,) = (one for one in run["items"] if one["file_name"])
        path = self.folder / item["file_name"]
        path.write_bytes(page.request.get(f"{self.service.url}/api/runs/{run['id']}/items/{item['id']}/file").body())
        with closing(open_reel(path)) as lit, closing(open_reel(shot)) as dark:
            self.assertEqual(len(lit), FRAMES)
            for number in (2, 13):
                x, y = (round(part * size) for part, size in zip(truth[FIRST + number], SIZE, strict=True))
                added = lit.footage.raster(number).samples.astype(int) - dark.footage.raster(number).samples
                self.assertGreater(added[y - 60 : y - 27, x - 27 : x + 27].mean(), 10)
