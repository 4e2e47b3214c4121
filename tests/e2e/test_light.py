"""The Light station in a real browser: starting points, kinds of light, maps, a cast at a glance."""

import cv2
import numpy as np
from playwright.sync_api import expect

from tests.e2e.page import PageCase


def colourfulness(pixels: np.ndarray) -> float:
    """Mean distance of a picture's pixels from grey, in codes."""
    return float(np.ptp(pixels, axis=-1).mean())


class Light(PageCase):
    def test_starting_points_kinds_of_light_and_maps(self):
        self.open_scene()
        as_it_was = self.pixels()
        group = self.page.get_by_role("group", name="Start from")
        expect(group.get_by_role("button", name="As it was")).to_have_attribute("aria-pressed", "true")
        group.get_by_role("button", name="Even").click()
        self.settled()
        expect(group.get_by_role("button", name="Even")).to_have_attribute("aria-pressed", "true")
        self.assertGreater(self.pixels().mean(), as_it_was.mean() * 1.1)
        even = self.value("exposure.ev")
        # What the camera's start sets beside goes back to rest with the next; what is turned by hand stays.
        group.get_by_role("button", name="As shown").click()
        self.settled()
        self.assertNotEqual(self.document()["saturation"]["saturation"], 1.0)
        self.assertGreater(np.abs(self.pixels() - as_it_was).mean(), 3)
        group.get_by_role("button", name="Even").click()
        self.settled()
        self.assertEqual(self.document()["saturation"]["saturation"], 1.0)
        self.assertEqual(self.value("exposure.ev"), even)
        # Its colour alone, whatever the tones.
        plain = self.pixels()
        colour = self.page.get_by_role("group", name="Colour")
        expect(colour.get_by_role("button", name="As measured")).to_have_attribute("aria-pressed", "true")
        colour.get_by_role("button", name="As shown").click()
        self.settled()
        self.assertEqual(self.value("exposure.ev"), even)
        self.assertNotEqual(self.document()["saturation"]["saturation"], 1.0)
        self.assertGreater(np.abs(self.pixels() - plain).mean(), 0.5)
        colour.get_by_role("button", name="As measured").click()
        self.settled()
        self.assertLess(np.abs(self.pixels() - plain).mean(), 0.5)
        self.page.reload()
        self.settled()
        self.assertEqual(self.value("exposure.ev"), even)
        for _ in range(5):
            self.page.keyboard.press("Control+z")
            self.settled()
        expect(group.get_by_role("button", name="As it was")).to_have_attribute("aria-pressed", "true")
        self.assertLess(np.abs(self.pixels() - as_it_was).mean(), 2)

        self.page.get_by_label("Kind of light").locator("xpath=..").click()
        self.page.get_by_role("option", name="Tungsten").click()
        self.settled()
        self.assertEqual(self.value("white_balance.temperature"), 2850)
        tungsten = self.pixels()
        self.assertGreater(
            tungsten[..., 0].mean() / tungsten[..., 2].mean(), as_it_was[..., 0].mean() / as_it_was[..., 2].mean()
        )
        # While the list fades the pointer would press it.
        expect(self.page.locator(".MuiBackdrop-root")).to_have_count(0)
        self.page.get_by_label("Kind of light").locator("xpath=..").click()
        # Nor does a list take a click while it opens.
        self.page.wait_for_timeout(400)
        self.page.get_by_role("option", name="As shot").click()
        self.settled()
        self.assertIsNone(self.document()["white_balance"]["temperature"])

        for key, name in (("h", "Stops"), ("y", "Noise")):
            self.page.keyboard.press(key)
            self.settled()
            expect(self.page.get_by_role("button", name=name, exact=True)).to_have_attribute("aria-pressed", "true")
            grey = self.pixels()
            self.assertLess(colourfulness(cv2.blur(grey.astype(np.float32), (5, 5))), 12)
            self.assertGreater(np.abs(grey - as_it_was).mean(), 10)
            self.page.keyboard.press(key)
            self.settled()
        self.assertLess(np.abs(self.pixels() - as_it_was).mean(), 2)
        plain = colourfulness(self.pixels())
        self.page.keyboard.down("x")
        self.settled()
        self.assertGreater(colourfulness(self.pixels()), plain * 1.5)
        self.page.keyboard.up("x")
        self.settled()
        self.assertLess(abs(colourfulness(self.pixels()) - plain), 1)

    def bins(self, of: str) -> np.ndarray:
        """How far the histogram on the ladder reaches at each tone, from black up, in pixels."""
        corners = self.page.locator(f".tone-histogram [data-of='{of}']").get_attribute("points").split()
        x = np.array([float(corner.split(",")[0]) for corner in corners])
        return 204 - (x[1:-1:2] if of == "luminance" else x[::2])

    def test_the_tones_of_the_picture_and_their_ends(self):
        self.open_scene()
        shown = self.pixels().astype(np.uint8)
        luminance = cv2.cvtColor(shown, cv2.COLOR_BGR2Lab)[..., 0] / 255 * 64
        expected, _ = np.histogram(luminance, 64, (0, 64))
        found = self.bins("luminance")
        reached = [np.cumsum(v[2:62]) / v[2:62].sum() for v in (found, expected)]
        self.assertLess(np.abs(reached[0] - reached[1]).max(), 0.05)
        self.assertEqual(len(self.bins("red")), 64)
        # White dragged down onto a tone: what had it is white, and the histogram has moved up while that was dragged.
        white = float(self.value("ends.white"))
        grip = self.page.locator("[data-end='white'] rect").bounding_box()
        middle = grip["x"] + grip["width"] / 2, grip["y"] + grip["height"] / 2
        self.page.mouse.move(*middle)
        self.page.mouse.down()
        self.page.mouse.move(middle[0], middle[1] + 60, steps=6)
        tones = np.arange(64)
        for _ in range(50):
            self.page.wait_for_timeout(200)
            if np.average(tones, weights=self.bins("luminance")) > np.average(tones, weights=found) + 0.02:
                break
        else:
            self.fail("the histogram does not move while white is dragged")
        self.page.mouse.up()
        self.settled()
        self.assertLess(self.value("ends.white"), white - 0.3)
        bright = [(v.min(-1) > 240).mean() for v in (self.pixels(), shown)]
        self.assertGreater(bright[0], bright[1] * 1.2, self.pixels().mean())
        self.page.keyboard.press("Control+z")
        self.settled()
        black = self.page.locator("[data-end='black'] rect").bounding_box()
        self.page.mouse.move(black["x"] + 8, black["y"] + 9)
        self.page.mouse.down()
        self.page.mouse.move(black["x"] + 8, black["y"] - 40, steps=6)
        self.page.mouse.up()
        self.settled()
        self.assertLess(self.pixels().min(-1).mean(), shown.min(-1).mean())
        self.assertGreater((self.pixels().max(-1) < 3).mean(), 0.01)

    def test_the_ladder_fits_at_700_pixels(self):
        """No label of the ladder lies on another, and none is cut."""
        self.open_scene()
        self.page.set_viewport_size({"width": 1280, "height": 700})
        self.settled()
        expect(self.page.locator(".ladder footer")).to_contain_text("cd/m²")
        box = self.page.locator(".ladder").bounding_box()
        texts = self.page.locator(".ladder svg text, .ladder header > *, .ladder footer > *")
        found = [(texts.nth(i).text_content() or "", texts.nth(i).bounding_box()) for i in range(texts.count())]
        for text, b in found:
            self.assertGreaterEqual(b["x"], box["x"], text)
            self.assertLessEqual(b["x"] + b["width"], box["x"] + box["width"] + 0.5, text)
        for i, (text, a) in enumerate(found):
            for other, b in found[i + 1 :]:
                across = min(a["x"] + a["width"], b["x"] + b["width"]) - max(a["x"], b["x"])
                down = min(a["y"] + a["height"], b["y"] + b["height"]) - max(a["y"], b["y"])
                # Exposure times stand aslant: their boxes are larger than they.
                if "/" not in text + other and " s" not in text + other:
                    self.assertFalse(across > 1 and down > 1, f"{text} and {other}")

    def test_a_held_heading_shows_the_picture_without_its_step(self):
        self.open_scene()
        before = self.pixels()
        heading = self.page.locator("[data-step='placement'] .group h3 button").first
        folded = heading.get_attribute("aria-expanded")
        self.drag("placement.midtones", 60)
        self.settled()
        placed = self.pixels()
        self.assertGreater(np.abs(placed - before).mean(), 1)
        route = self.page.get_by_role("navigation", name="Stations").get_by_role("link", name="Light")
        name = self.page.locator("[data-step='exposure'] .name")
        for held in (heading, route, name):
            if held is name:
                self.drag("exposure.ev", 30)
                self.settled()
                placed = self.pixels()
            held.hover()
            self.page.mouse.down()
            self.page.wait_for_timeout(350)
            self.settled()
            self.assertGreater(np.abs(self.pixels() - placed).mean(), 1)
            self.page.mouse.up()
            self.settled()
            self.assertLess(np.abs(self.pixels() - placed).mean(), 1.0)
        # The step alone, or the station, goes back to the start; each is one change.
        self.drag("exposure.ev", 20)
        self.settled()
        self.page.locator("[data-step='placement']").get_by_role("button", name="Back to the start").click()
        self.settled()
        self.assertEqual(self.document()["placement"]["midtones"], 0)
        self.assertIsNotNone(self.document()["exposure"]["ev"])
        self.page.locator(".panel > .heading").get_by_role("button", name="Back to the start").click()
        self.settled()
        self.assertLess(np.abs(self.pixels() - before).mean(), 1.5)
        self.page.keyboard.press("Control+z")
        self.settled()
        self.assertIsNotNone(self.document()["exposure"]["ev"])
        # To hold is not to click.
        self.assertEqual(heading.get_attribute("aria-expanded"), folded)
        heading.click()
        self.assertNotEqual(heading.get_attribute("aria-expanded"), folded)

    def test_keys_are_found_by_typing(self):
        self.open_scene()
        self.page.keyboard.press("?")
        dialog = self.page.get_by_role("dialog", name="Keys")
        expect(dialog.get_by_role("heading", level=3).first).to_have_text("At Light")
        dialog.get_by_label("Find a key").fill("loupe")
        expect(dialog.locator("tr")).to_have_count(1)
        self.page.keyboard.press("Escape")
        expect(dialog).to_have_count(0)

    def test_a_held_rung_shows_what_it_moves_and_the_loupe_shows_pixels(self):
        self.open_scene()
        rung = self.page.get_by_role("slider", name="Placement of \u22124.0 EV")
        box = rung.locator("circle").first.bounding_box()
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        band = self.page.get_by_test_id("rung-band")
        expect(band).to_have_count(0)
        before = self.pixels()
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x, y - 30, steps=5)
        expect(band).to_be_visible()
        # As far as the rung reaches: four stops up and down.
        per_stop = self.page.evaluate(
            "() => { const y = s => [...document.querySelectorAll('.ladder svg text')]"
            ".find(t => t.textContent === s).getBoundingClientRect().y; return y('\u22125') - y('\u22124') }"
        )
        self.assertAlmostEqual(band.bounding_box()["height"] / per_stop, 8, delta=0.7)
        self.page.mouse.up()
        expect(band).to_have_count(0)
        self.settled()
        self.assertGreater(self.pixels().mean(), before.mean() + 2)

        # Typed on the rung that has the focus; what is no number changes nothing.
        rung.focus()
        self.page.keyboard.type("-1.25")
        self.page.keyboard.press("Enter")
        self.settled()
        self.assertEqual(float(rung.get_attribute("aria-valuenow")), -1.25)
        self.assertLess(self.pixels().mean(), before.mean())
        rung.focus()
        self.page.keyboard.press("Enter")
        self.page.get_by_label("EV added at \u22124.0 EV").fill("much")
        self.page.keyboard.press("Enter")
        self.settled()
        self.assertEqual(float(rung.get_attribute("aria-valuenow")), -1.25)

        self.page.set_viewport_size({"width": 900, "height": 600})
        self.settled()
        canvas = self.page.locator(".picture > canvas").first.bounding_box()
        x, y = canvas["x"] + canvas["width"] * 0.55, canvas["y"] + canvas["height"] * 0.6
        self.page.keyboard.press("q")
        self.page.mouse.move(x, y)
        loupe = self.page.get_by_test_id("loupe")
        expect(loupe).not_to_have_attribute("data-drawn", "0", timeout=10_000)
        own = loupe.bounding_box()
        self.assertTrue(own["x"] < x < own["x"] + own["width"])
        self.assertTrue(own["y"] < y < own["y"] + own["height"])
        # One point of the screen is one pixel of the picture.
        size = loupe.evaluate("c => [c.width, c.height, c.clientWidth, c.clientHeight]")
        self.assertEqual(size, [240, 240, 240, 240])
        self.page.keyboard.press("q")
        expect(loupe).to_have_count(0)
