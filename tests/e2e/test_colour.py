"""Colour in the browser: hues picked, turned and widened, tints drawn, a cast taken out, views and readings."""

import re
import unittest

import numpy as np
from playwright.sync_api import expect

from crenn.core.colorimetry.oklab import apart, hue_of, to_oklab
from crenn.core.colorimetry.spaces import SRGB_TO_XYZ, XYZ_TO_REC2020, srgb_decode
from tests.e2e.page import PageCase
from tests.support import wait_for

#: Parts of the night as drawn, in shares of its height and width: its sky, and ground beside a lamp.
SKY = (slice(0.05, 0.25), slice(0.4, 0.9))
GROUND = (slice(0.64, 0.74), slice(0.22, 0.32))


class Colour(PageCase):
    def setUp(self) -> None:
        super().setUp()
        self.open_scene()
        self.page.get_by_role("link", name="Colour", exact=True).click()
        expect(self.page.get_by_test_id("cloud")).to_be_attached(timeout=20_000)
        self.settled()

    def colour(self, where=SKY) -> tuple[float, float, float]:
        """Mean hue in degrees, chroma and lightness in hundredths, of a part of what is drawn."""
        pixels = self.pixels()[..., ::-1] / 255
        rows, columns = (slice(round(s.start * n), round(s.stop * n)) for s, n in zip(where, pixels.shape))
        lab = to_oklab(srgb_decode(pixels[rows, columns].reshape(-1, 3)) @ (XYZ_TO_REC2020 @ SRGB_TO_XYZ).T).mean(0)
        return float(hue_of(lab[1], lab[2])), 100 * float(np.hypot(lab[1], lab[2])), 100 * float(lab[0])

    def at(self, x: float, y: float) -> tuple[float, float]:
        """A place of the picture on the screen, by shares of the pane's canvas that the picture fills."""
        box = self.page.locator(".picture > canvas").first.bounding_box()
        width = min(box["width"] - 36, (box["height"] - 36) * 1.5)
        return (
            box["x"] + box["width"] / 2 + (x - 0.5) * width,
            box["y"] + box["height"] / 2 + (y - 0.5) * width / 1.5,
        )

    def pick(self, x: float, y: float) -> None:
        self.page.keyboard.press("c")
        self.page.mouse.click(*self.at(x, y))

    def type(self, name: str, value: str, index: int = 0) -> None:
        box = self.page.locator(f"[data-dial='{name}'] input").nth(index)
        box.fill(value)
        box.press("Enter")
        self.settled()

    def circle_at(self, hue: float, radius: float) -> tuple[float, float]:
        """A place of the circle on the screen; the radius in shares of the disc's."""
        box = self.page.locator(".circle svg").bounding_box()
        by = box["width"] / 252
        return (
            box["x"] + box["width"] / 2 + 94 * radius * by * np.cos(np.radians(hue)),
            box["y"] + box["height"] / 2 - 94 * radius * by * np.sin(np.radians(hue)),
        )

    def drag_to(self, start: tuple[float, float], end: tuple[float, float]) -> None:
        self.page.mouse.move(*start)
        self.page.mouse.down()
        for i in range(1, 9):
            self.page.mouse.move(*(a + (b - a) * i / 8 for a, b in zip(start, end)))
        self.page.mouse.up()

    def test_a_hue_is_picked_and_turned_and_comes_back(self):
        sky, ground = self.colour(), self.colour(GROUND)
        self.pick(0.65, 0.15)
        expect(self.page.locator("[data-range]")).to_have_count(1)
        self.settled()
        np.testing.assert_allclose(self.colour(), sky, atol=0.4)
        self.type("hues.ranges.0.shift", "-30")
        turned = self.colour()
        self.assertAlmostEqual(float(apart(turned[0], sky[0])), -30, delta=5)
        self.assertAlmostEqual(turned[2], sky[2], delta=1)
        np.testing.assert_allclose(self.colour(GROUND), ground, atol=1.0)
        self.page.reload()
        self.settled()
        np.testing.assert_allclose(self.colour(), turned, atol=0.5)
        self.page.get_by_role("button", name="Undo").click()
        self.settled()
        np.testing.assert_allclose(self.colour(), sky, atol=0.5)

    def test_a_hue_is_dragged_on_the_picture(self):
        sky, ground = self.colour(), self.colour(GROUND)
        self.page.keyboard.press("c")
        x, y = self.at(0.65, 0.15)
        # Down: darker. Pressed there again, the same range is taken on: aside its hue turns, with Shift its saturation.
        self.drag_to((x, y), (x + 2, y + 90))
        # What hue lies there comes from the server: until then there is nothing to settle.
        expect(self.page.locator("[data-range]")).to_have_count(1)
        self.settled()
        dark = self.colour()
        self.assertAlmostEqual(self.value("hues.ranges.0.lightness"), -0.75, delta=0.06)
        self.assertLess(dark[2], sky[2] - 5)
        self.drag_to((x, y), (x + 80, y + 2))
        self.settled()
        expect(self.page.locator("[data-range]")).to_have_count(1)
        self.assertAlmostEqual(self.value("hues.ranges.0.shift"), 20, delta=1.5)
        self.assertAlmostEqual(float(apart(self.colour()[0], sky[0])), 20, delta=6)
        self.page.keyboard.down("Shift")
        self.drag_to((x, y), (x - 150, y))
        self.page.keyboard.up("Shift")
        self.settled()
        self.assertAlmostEqual(self.value("hues.ranges.0.saturation"), 0.5, delta=0.05)
        self.assertLess(self.colour()[1], 0.75 * sky[1])
        np.testing.assert_allclose(self.colour(GROUND), ground, atol=1.0)

    def test_a_range_is_moved_off_and_widened_on_the_circle(self):
        sky = self.colour()
        self.pick(0.65, 0.15)
        expect(self.page.locator("[data-range]")).to_have_count(1)
        self.page.keyboard.press("Escape")
        self.type("hues.ranges.0.lightness", "-1")
        dark = self.colour()
        self.assertLess(dark[2], sky[2] - 8)
        hue = self.value("hues.ranges.0.hue")
        ring = 108 / 94
        self.drag_to(self.circle_at(hue, ring), self.circle_at(hue - 120, ring))
        self.settled()
        self.assertAlmostEqual(float(apart(self.value("hues.ranges.0.hue"), hue - 120)), 0, delta=4)
        self.assertAlmostEqual(self.colour()[2], sky[2], delta=1)
        middle, width = self.value("hues.ranges.0.hue"), self.value("hues.ranges.0.width")
        self.drag_to(self.circle_at(middle + width / 2, ring), self.circle_at(middle + 130, ring))
        self.settled()
        self.assertGreater(self.value("hues.ranges.0.width"), 200)
        self.assertLess(self.colour()[2], sky[2] - 8)

    def test_ranges_from_the_keyboard_and_switched_off(self):
        sky = self.colour()
        self.pick(0.65, 0.15)
        arc = self.page.get_by_role("slider", name=re.compile("Range"))
        expect(arc).to_have_count(1)
        self.page.keyboard.press("Escape")
        self.type("hues.ranges.0.saturation", "0.2")
        self.assertLess(self.colour()[1], 0.5 * sky[1])
        self.page.get_by_role("checkbox", name=re.compile("Use (Blue|Purple)")).uncheck()
        self.settled()
        self.assertAlmostEqual(self.colour()[1], sky[1], delta=0.4)
        before = self.value("hues.ranges.0.hue")
        arc.focus()
        self.page.keyboard.press("Shift+ArrowLeft")
        self.settled()
        self.assertAlmostEqual(float(apart(self.value("hues.ranges.0.hue"), before)), 10, delta=0.6)
        arc.focus()
        self.page.keyboard.press("Delete")
        expect(arc).to_have_count(0)

    def test_which_places_a_range_takes_is_seen_while_it_is_moved(self):
        self.pick(0.65, 0.15)
        expect(self.page.locator("[data-range]")).to_have_count(1)
        self.page.keyboard.press("Escape")
        self.settled()
        self.page.mouse.move(*self.circle_at(self.value("hues.ranges.0.hue"), 108 / 94))
        self.page.mouse.down()
        expect(self.page.locator(".picture > canvas[data-view=range]")).to_be_visible()
        self.drawn()
        self.assertGreater(self.colour()[1], 4)
        self.assertLess(self.colour(GROUND)[1], 1.5)
        self.page.mouse.up()
        expect(self.page.locator(".picture > canvas[data-view=picture]")).to_be_visible()

    def test_the_usual_ranges_are_laid_at_once(self):
        before = self.colour(), self.colour(GROUND)
        self.page.get_by_role("button", name="Eight usual").click()
        expect(self.page.locator("[data-range]")).to_have_count(8)
        self.settled()
        np.testing.assert_allclose((self.colour(), self.colour(GROUND)), before, atol=0.5)
        self.page.get_by_role("button", name="Eight usual").click()
        expect(self.page.locator("[data-range]")).to_have_count(8)

    def test_a_black_place_is_refused_in_words(self):
        self.page.get_by_role("link", name="Light", exact=True).click()
        self.settled()
        self.type("exposure.ev", "-12")
        self.page.get_by_role("link", name="Colour", exact=True).click()
        expect(self.page.get_by_test_id("cloud")).to_be_attached(timeout=20_000)
        self.settled()
        self.pick(0.65, 0.15)
        expect(self.page.get_by_text("This place is black")).to_be_visible()
        expect(self.page.locator("[data-range]")).to_have_count(0)

    def test_tints_are_laid_and_drawn_on_the_circle_and_moved_on_the_ladder(self):
        sky = self.colour()
        self.page.get_by_role("button", name="Shadows to highlights").click()
        expect(self.page.locator("[data-tint]")).to_have_count(3)
        self.settled()
        np.testing.assert_allclose(self.colour(), sky, atol=0.4)
        dot = self.page.locator("[data-tint=Midtones]")
        dot.focus()
        self.page.keyboard.press("Shift+ArrowUp")
        self.settled()
        self.assertEqual(self.value("tints.points.1.amount"), 2)
        box = dot.locator("rect").bounding_box()
        start = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        self.drag_to(start, self.circle_at(140, 0.45))
        self.settled()
        self.assertAlmostEqual(self.value("tints.points.1.hue"), 140, delta=3)
        green = self.colour()
        self.assertGreater(abs(float(apart(green[0], sky[0]))) + abs(green[1] - sky[1]), 3)
        self.assertAlmostEqual(green[2], sky[2], delta=1)
        mark = self.page.get_by_role("slider", name="Tone of Midtones")
        mark.focus()
        for _ in range(4):
            self.page.keyboard.press("Shift+ArrowUp")
        self.settled()
        self.assertAlmostEqual(self.value("tints.points.1.stop"), -1.5, delta=0.06)

    def test_amount_by_dragging_the_dial(self):
        sky = self.colour()
        self.drag("saturation.saturation", 60)
        self.settled()
        self.assertGreater(self.value("saturation.saturation"), 1.4)
        rich = self.colour()
        self.assertGreater(rich[1], 1.25 * sky[1])
        self.assertLess(abs(float(apart(rich[0], sky[0]))), 3)
        self.type("saturation.saturation", "0")
        self.assertLess(self.colour()[1], 0.3)

    def test_groups_of_dials_and_what_is_changed_in_them(self):
        self.page.get_by_role("button", name=re.compile("^By family")).click()
        step = self.page.locator("[data-step=inks]")
        step.get_by_role("combobox").click()
        self.page.get_by_role("option", name="Blues").click()
        sky = self.colour()
        self.type("inks.blue_black", "0.6")
        self.assertLess(self.colour()[2], sky[2] - 3)
        expect(step.get_by_role("combobox")).to_have_text("Blues ·")
        self.page.get_by_role("button", name=re.compile("^By family")).click()
        expect(step).to_contain_text("1 changed")

    def test_channels_exchanged_and_monochrome(self):
        sky = self.colour()
        self.page.get_by_role("button", name=re.compile("^Channels")).click()
        self.page.get_by_role("checkbox", name="Exchange red and blue").check()
        self.settled()
        self.assertGreater(abs(float(apart(self.colour()[0], sky[0]))), 90)
        self.page.get_by_role("checkbox", name="Exchange red and blue").uncheck()
        self.settled()
        self.page.get_by_role("button", name=re.compile("^Monochrome")).click()
        self.type("monochrome.amount", "100")
        self.assertLess(self.colour()[1], 0.4)

    def test_a_cast_is_found_taken_out_and_let_be(self):
        before = self.colour()
        self.page.get_by_role("button", name=re.compile("^Cast")).click()
        self.page.get_by_role("button", name="Find in the picture").click()
        expect(self.page.get_by_text(re.compile("over green"))).to_be_visible(timeout=15_000)
        self.settled()
        after = self.colour()
        self.assertGreater(abs(after[1] - before[1]) + abs(float(apart(after[0], before[0]))), 3)
        self.assertAlmostEqual(after[2], before[2], delta=4)
        self.type("cast.amount", "0")
        np.testing.assert_allclose(self.colour(), before, atol=0.6)
        self.page.get_by_role("button", name="Let be").click()
        self.page.get_by_role("button", name="In a box").click()
        self.drag_to(self.at(0.1, 0.66), self.at(0.4, 0.9))
        expect(self.page.get_by_text(re.compile("in the box"))).to_be_visible(timeout=15_000)
        self.settled()

    def test_the_pointer_tells_its_colour(self):
        self.page.mouse.move(*self.at(0.65, 0.15))
        readout = self.page.get_by_test_id("readout")
        expect(readout).to_contain_text("sRGB")
        hue, chroma, lightness = self.colour()

        def agrees() -> bool:
            said = re.search(r"hue (\d+)° chroma ([\d.]+) lightness (\d+)", readout.inner_text())
            told = [float(v) for v in said.groups()] if said else [0.0] * 3
            near = abs(float(apart(told[0], hue))) < 8
            return near and abs(told[1] - chroma) < 2.5 and abs(told[2] - lightness) < 8

        wait_for(agrees, 8.0, "what is told of the pointer's place")
        expect(self.page.get_by_test_id("under-hue")).to_be_attached()

    def test_what_cannot_be_shown_is_a_view(self):
        self.type("saturation.saturation", "3")
        self.page.keyboard.press("o")
        expect(self.page.locator(".picture > canvas[data-view=outside][data-settled=true]")).to_be_visible()
        self.settled()
        # The sky is beyond it now and keeps its colour; a dull ground is not, and turns grey.
        self.assertGreater(self.colour()[1], 4)
        self.type("saturation.saturation", "0.3")
        self.assertLess(self.colour()[1], 1)
        self.page.keyboard.press("o")
        expect(self.page.locator(".picture > canvas[data-view=picture][data-settled=true]")).to_be_visible()


if __name__ == "__main__":
    unittest.main()
