"""Noise in the browser: split off after a merge, dialled, compared at several strengths, seen alone."""

import re
import unittest

import numpy as np
from playwright.sync_api import expect

from crenn.camera.sensor import Exposure
from tests.e2e.page import PageCase
from tests.support import night


class Noise(PageCase):
    def setUp(self) -> None:
        super().setUp()
        self.open_scene("grain", self.grainy)
        self.page.get_by_role("link", name="Noise", exact=True).click()
        # The worker splits the noise off by itself, and the ladder shows what is won.
        expect(self.page.locator("[data-line=after]")).to_be_attached(timeout=60_000)
        self.settled()

    def grainy(self) -> None:
        """Bring in one short frame at a high sensitivity: grain all over."""
        self.send("grainx", night() * np.float32(0.25), exposures=(Exposure(1 / 8, 8.0, 3200.0),))

    def grain(self) -> float:
        """Spread of the sky from pixel to pixel, in codes."""
        sky = self.pixels()[20:120, 40:300, 1]
        return float((sky[1:, 1:] + sky[:-1, :-1] - sky[1:, :-1] - sky[:-1, 1:]).std() / 2)

    def set(self, name: str, value: str) -> None:
        box = self.dial(name).locator("input")
        box.fill(value)
        box.press("Enter")
        self.settled()

    def test_grain_goes_by_the_dial_and_comes_back(self):
        clean = self.grain()
        self.set("noise.luminance", "0")
        grain = self.grain()
        self.assertGreater(grain, 2.5 * clean)
        self.set("noise.luminance", "0.5")
        self.assertTrue(clean < self.grain() < grain)
        self.page.get_by_role("button", name="Undo").click()
        self.settled()
        self.assertAlmostEqual(self.grain(), grain, delta=0.1 * grain)
        self.page.reload()
        self.settled()
        self.assertEqual(self.value("noise.luminance"), 0.0)

    def test_before_is_seen_while_a_key_is_held(self):
        clean = self.grain()
        self.page.keyboard.down("v")
        expect(self.page.locator(".picture > canvas[data-view=noisy][data-settled=true]")).to_be_visible()
        self.settled()
        self.assertGreater(self.grain(), 2.0 * clean)
        self.page.keyboard.up("v")
        expect(self.page.locator(".picture > canvas[data-view=picture][data-settled=true]")).to_be_visible()
        self.settled()
        self.assertAlmostEqual(self.grain(), clean, delta=0.15 * clean)

    def test_what_is_taken_out_is_seen_alone(self):
        self.page.keyboard.press("u")
        expect(self.page.locator(".picture > canvas[data-view=taken][data-settled=true]")).to_be_visible()
        self.settled()
        taken = self.pixels()
        self.assertAlmostEqual(float(taken.mean()), 128, delta=4)
        self.assertGreater(float(taken.std()), 2)
        self.set("noise.luminance", "0")
        self.set("noise.colour", "0")
        self.assertLess(float(self.pixels().std()), 2)

    def test_a_patch_is_compared_and_a_strength_taken(self):
        self.page.get_by_role("button", name="Compare strengths").click()
        strip = self.page.get_by_test_id("strip")
        expect(strip.locator("canvas")).to_have_count(5)
        expect(strip).to_have_attribute("data-drawn", "5")
        spread = self.page.evaluate(
            """[...document.querySelectorAll('.strip canvas')].map((c) => {
              const d = c.getContext('2d').getImageData(0, 0, c.width, c.height).data;
              let sum = 0;
              for (let i = 0; i + 8 < d.length; i += 4) sum += Math.abs(d[i + 1] - d[i + 5]);
              return sum;
            })"""
        )
        self.assertEqual(spread, sorted(spread, reverse=True))
        self.assertGreater(spread[0], 1.5 * spread[2])
        expect(strip.get_by_role("button", name="× 1.0")).to_have_attribute("aria-pressed", "true")
        strip.get_by_role("button", name="× 0.5").click()
        self.settled()
        self.assertEqual((self.value("noise.luminance"), self.value("noise.colour")), (0.5, 0.5))
        expect(strip.get_by_role("button", name="× 0.5")).to_have_attribute("aria-pressed", "true")

    def crispness(self) -> float:
        """How much neighbours differ on the lit ground round a lamp, in codes."""
        return float(np.abs(np.diff(self.lamp()[..., 1], axis=1)).mean())

    def lamp(self) -> np.ndarray:
        """A lamp and what is around it, of the pixels that are shown."""
        pixels = self.pixels()
        by = pixels.shape[1] / 480
        return pixels[round(185 * by) : round(215 * by), round(75 * by) : round(105 * by)]

    def test_sharpening_shows_where_it_acts_while_its_dial_is_held(self):
        soft = self.crispness()
        self.set("sharpening.radius", "1.2")
        self.set("sharpening.amount", "150")
        self.assertGreater(self.crispness(), 1.05 * soft)
        track = self.dial("sharpening.least").locator(".track")
        box = track.bounding_box()
        self.page.mouse.move(box["x"] + box["width"] * 0.2, box["y"] + box["height"] / 2)
        self.page.mouse.down()
        expect(self.page.locator(".picture > canvas[data-view=edges]")).to_be_visible()
        self.drawn()
        mask = self.pixels()
        self.assertLess(mask[20:60, 200:300].mean(), 90, "the even sky is left")
        self.assertGreater(self.lamp().max(), 150, "the lamp's edge is not")
        self.page.mouse.up()
        expect(self.page.locator(".picture > canvas[data-view=picture]")).to_be_visible()

    def test_the_horizon_follows_the_output(self):
        self.page.get_by_role("button", name="Output").click()
        cell = self.page.get_by_role("row", name="Lifts to grey from").get_by_role("cell")
        expect(cell.nth(1)).to_have_text(re.compile("−"))
        full = self.cells(cell)
        self.assertLess(full[1], full[0], "cleaned it reaches further down")
        self.page.get_by_label("Size of the output").locator("..").get_by_role("combobox").click()
        self.page.get_by_role("option", name="Long edge").click()
        field = self.page.get_by_role("textbox", name="Long edge in pixels")
        field.fill("120")
        field.press("Enter")
        expect(cell.nth(1)).not_to_have_text(self.text(full[0]))
        self.assertLess(self.cells(cell)[0], full[0], "so does a smaller picture")
        expect(self.page.locator("[data-horizon=after]")).to_be_attached()

    @staticmethod
    def text(value: float) -> str:
        return f"−{-value:.1f}" if value < 0 else f"+{value:.1f}"

    @staticmethod
    def cells(cells) -> list[float]:
        return [float(cells.nth(k).inner_text().replace("−", "-")) for k in (1, 2)]

    def test_a_box_is_checked_and_the_camera_fitted(self):
        self.page.get_by_role("button", name="Check and fit").click()
        self.page.get_by_role("button", name="Draw a box").click()
        self.drag_on_picture((0.3, 0.2), (0.6, 0.4))
        section = self.page.get_by_role("region", name="Check and fit")
        expect(section).to_contain_text(re.compile("as predicted|than predicted"))
        row = section.get_by_role("row", name="Green").get_by_role("cell")
        measured, predicted = (float(row.nth(k).inner_text().removesuffix(" %")) for k in (1, 2))
        self.assertAlmostEqual(measured / predicted, 1.0, delta=0.15)
        section.get_by_role("button", name="Fit on the whole picture").click()
        expect(section).to_contain_text("ISO 3200", timeout=30_000)
        section.get_by_role("button", name="Forget it").click()
        expect(section).not_to_contain_text("ISO 3200")
        # Across the skyline and a lamp there is no telling.
        self.drag_on_picture((0.1, 0.45), (0.4, 0.75))
        expect(section).to_contain_text("texture")

    def drag_on_picture(self, start: tuple[float, float], end: tuple[float, float]) -> None:
        box = self.page.locator(".picture > canvas[data-view=picture]").bounding_box()
        places = [(box["x"] + x * box["width"], box["y"] + y * box["height"]) for x, y in (start, end)]
        self.page.mouse.move(*places[0])
        self.page.mouse.down()
        self.page.mouse.move(*places[1], steps=5)
        self.page.mouse.up()

    def test_noise_left_is_a_view(self):
        self.page.keyboard.press("y")
        expect(self.page.locator(".picture > canvas[data-view=noise][data-settled=true]")).to_be_visible()
        self.settled()
        before = self.pixels()
        self.page.keyboard.press("Shift+Y")
        expect(self.page.locator(".picture > canvas[data-view=left][data-settled=true]")).to_be_visible()
        self.settled()
        self.assertGreater(np.abs(self.pixels() - before).mean(), 4)


if __name__ == "__main__":
    unittest.main()
