"""The Frames and Merge stations in a real browser: brush, choices, views, kinds, splitting, the camera's dialog."""

import re

import numpy as np
from playwright.sync_api import expect

from crenn.camera.sensor import Sensor
from tests.core.merge.test_ghosts import crossing
from tests.e2e.page import PageCase
from tests.support import wait_for

CLEAN = Sensor(prnu=0.0, dsnu=0.0, hot_share=0.0, dark_current=0.0)


class MergeStation(PageCase):
    def open(self, station: str) -> None:
        number = self.number()
        self.send(f"cross{number}x", crossing(), sensor=CLEAN, seed=50 + number)
        self.page.get_by_role("link", name=station).click()
        self.settled()

    def merge_again(self) -> None:
        """Merge, and wait until the new result is shown."""
        canvas = self.page.locator(".picture > canvas")
        before = canvas.get_attribute("data-prepared")
        self.page.get_by_role("button", name="Merge again").click()
        expect(canvas).not_to_have_attribute("data-prepared", before, timeout=60_000)
        self.settled()

    def test_moved_regions_are_shown_and_the_brush_changes_them(self):
        self.open("Merge")
        expect(self.page.get_by_text(re.compile("of the picture, in"))).to_be_visible()
        plain = self.pixels()
        # Each is told by where it is and a small picture.
        row = self.page.locator(".regions .region").first
        row.scroll_into_view_if_needed()
        expect(row).to_contain_text(re.compile("(Something|Water or leaves) .*(left|right|middle)"))
        wait_for(lambda: row.locator("img").evaluate("image => image.naturalWidth") > 8)
        self.page.get_by_role("button", name="Show what moved").click()
        self.settled()
        shown = self.pixels()
        self.assertGreater(np.abs(shown - plain).mean(), 8, "what did not move is dimmed")
        self.page.get_by_role("button", name="From all frames").click()
        box = self.page.locator(".picture > canvas").bounding_box()
        y = box["y"] + box["height"] / 2
        slider = self.page.get_by_role("slider", name="Width of the brush")
        slider.focus()
        slider.press("End")
        for x in (0.1, 0.9):
            self.page.mouse.move(box["x"] + box["width"] * x, y)
            self.page.mouse.down() if x == 0.1 else self.page.mouse.up()
            if x == 0.1:
                for i in range(1, 9):
                    self.page.mouse.move(box["x"] + box["width"] * (0.1 + 0.1 * i), y)
        expect(self.page.get_by_text("One stroke, merged in next")).to_be_visible()
        self.page.reload()
        self.settled()
        expect(self.page.get_by_text("One stroke, merged in next")).to_be_visible()
        self.merge_again()
        expect(self.page.get_by_text("Nothing moved between the frames")).to_be_visible(timeout=20_000)
        self.page.get_by_role("button", name="Take back").click()
        expect(self.page.get_by_text("One stroke, merged in next")).not_to_be_visible()

    def test_source_view_has_the_bars_as_its_key(self):
        self.open("Merge")
        self.page.keyboard.press("s")
        self.settled()
        swatches = self.page.locator(".swatch")
        expect(swatches).to_have_count(4)
        painted = self.pixels()
        self.assertLess((painted.max(-1) - painted.min(-1)).mean(), 12, "frames are told by greys")
        # The places that a frame feeds have about the tone of its swatch.
        tones = [swatches.nth(k).evaluate("e => getComputedStyle(e).backgroundColor") for k in range(4)]
        self.assertEqual(len(set(tones)), 4)

    def test_the_way_of_merging_is_kept(self):
        self.open("Merge")
        box = self.page.get_by_label("Take what moved from one frame")
        box.uncheck()
        self.merge_again()
        expect(self.page.get_by_text("Nothing moved between the frames")).to_be_visible(timeout=20_000)
        self.page.reload()
        self.settled()
        expect(box).not_to_be_checked()

    def test_frames_are_split_off_and_a_time_is_typed(self):
        self.open("Frames")
        frames = self.page.locator(".frames-list .frame button")
        expect(frames).to_have_count(4)
        frames.nth(0).click()
        field = self.page.get_by_label("Exposure time")
        field.fill("nonsense")
        field.press("Enter")
        expect(field).to_have_attribute("aria-invalid", "true")
        field.fill("1/20")
        field.press("Enter")
        expect(self.page.locator(".frames-list .frame").first).to_contain_text("1/20")
        frames.nth(3).click(modifiers=["Shift"])
        frames.nth(2).click(modifiers=["Shift"])
        frames.nth(0).click(modifiers=["Control"])
        self.page.get_by_role("button", name="Use only these").click()
        used = self.page.locator(".frames-list").get_by_role("checkbox", checked=True)
        expect(used).to_have_count(3)
        self.page.get_by_role("button", name="Use all").click()
        expect(used).to_have_count(4)
        frames.nth(0).click()
        self.page.get_by_role("button", name="Split off").click()
        expect(frames).to_have_count(3)
        self.page.get_by_role("button", name="Make it the reference frame").click()
        expect(self.page.get_by_text("Let Crenn choose the reference frame")).to_be_visible()

    def test_the_camera_says_what_it_will_shoot(self):
        self.page.goto(self.served.address)
        self.page.get_by_role("button", name="Simulated camera").click()
        dialog = self.page.get_by_role("dialog")
        expect(dialog.get_by_text("1/16 to 16 s")).to_be_visible()
        dialog.get_by_label("Frames").fill("99")
        expect(dialog.get_by_text("From 1 to 60")).to_be_visible()
        expect(dialog.get_by_role("button", name="Shoot")).to_be_disabled()
