"""Noise in the browser: split off after a merge, dialled, compared at several strengths, seen alone."""

import unittest

import numpy as np
from playwright.sync_api import expect

from crenn.camera.sensor import Exposure
from tests.e2e.page import PageCase
from tests.support import night


class Noise(PageCase):
    def setUp(self) -> None:
        super().setUp()
        number = self.number()
        # One short frame at a high sensitivity: grain all over.
        self.send(f"grain{number}x", night() * np.float32(0.25), exposures=(Exposure(1 / 8, 8.0, 3200.0),), seed=number)
        self.page.get_by_role("link", name="Noise", exact=True).click()
        # The worker splits the noise off by itself, and the ladder shows what is won.
        expect(self.page.locator("[data-line=after]")).to_be_attached(timeout=60_000)
        self.settled()

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
        expect(self.page.locator(".picture canvas[data-view=noisy][data-settled=true]")).to_be_visible()
        self.settled()
        self.assertGreater(self.grain(), 2.0 * clean)
        self.page.keyboard.up("v")
        expect(self.page.locator(".picture canvas[data-view=picture][data-settled=true]")).to_be_visible()
        self.settled()
        self.assertAlmostEqual(self.grain(), clean, delta=0.15 * clean)

    def test_what_is_taken_out_is_seen_alone(self):
        self.page.keyboard.press("u")
        expect(self.page.locator(".picture canvas[data-view=taken][data-settled=true]")).to_be_visible()
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
        expect(strip).to_have_attribute("data-drawn", "5", timeout=20_000)
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


if __name__ == "__main__":
    unittest.main()
