"""Curve, white balance readings and lamps in a real browser."""

import numpy as np
from playwright.sync_api import expect

from tests.e2e.page import PageCase


class CurveAndWhite(PageCase):
    def open(self, step: str) -> None:
        """Unfold a step."""
        heading = self.page.locator(f"[data-step={step}] h3 button[aria-expanded]")
        if heading.get_attribute("aria-expanded") == "false":
            heading.click()

    def at(self, plot, x: float, y: float) -> tuple[float, float]:
        """Where stops of the curve's plot lie on the screen."""
        ground = plot.locator(".ground").bounding_box()
        return (
            ground["x"] + (x + 11) / 14 * ground["width"],
            ground["y"] + ground["height"] - (y + 11) / 14 * ground["height"],
        )

    def test_points_are_dragged_typed_picked_and_taken_away(self):
        self.open_scene()
        before = self.pixels()
        self.open("curve")
        plot = self.page.get_by_role("group", name="Curve of luminance")
        plot.scroll_into_view_if_needed()
        expect(self.page.get_by_test_id("entering")).to_be_attached(timeout=10_000)
        x, y = self.at(plot, -5, -5)
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(*self.at(plot, -5, -3.5), steps=6)
        self.page.mouse.up()
        self.settled()
        point = self.page.get_by_role("slider", name="Point 1 of luminance")
        self.assertAlmostEqual(float(point.get_attribute("aria-valuenow")), -3.5, delta=0.15)
        dragged = self.pixels()
        self.assertGreater(dragged.mean(), before.mean() + 10)
        # Large over the picture's side, it is worked on as before, beside the ladder's stops.
        self.page.get_by_role("button", name="large", exact=True).click()
        self.assertGreater(plot.bounding_box()["width"], 380)
        there = point.locator("circle").last.bounding_box()
        stop = self.page.get_by_label("Light ladder").get_by_text("\u22124", exact=True).bounding_box()
        x, y = there["x"] + there["width"] / 2, there["y"] + there["height"] / 2
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x, stop["y"] + stop["height"] / 2, steps=6)
        self.page.mouse.up()
        self.settled()
        self.assertAlmostEqual(float(point.get_attribute("aria-valuenow")), -4.0, delta=0.1)
        self.page.keyboard.press("Control+z")
        self.settled()
        self.page.get_by_role("button", name="small", exact=True).click()
        self.assertLess(plot.bounding_box()["width"], 300)
        # Colour is kept: no channel gains on another where nothing clips.
        dull = (dragged.max(-1) < 200) & (before.min(-1) > 20)
        ratio = [np.median(p[dull][:, 0] / p[dull][:, 2]) for p in (before, dragged)]
        self.assertAlmostEqual(ratio[0], ratio[1], delta=0.1 * ratio[0])

        typed = self.page.get_by_label("Light that leaves, in EV")
        typed.fill("-5.5")
        typed.press("Enter")
        self.settled()
        self.assertEqual(float(point.get_attribute("aria-valuenow")), -5.5)
        self.assertLess(self.pixels().mean(), before.mean())
        point.focus()
        self.page.keyboard.press("ArrowUp")
        self.settled()
        self.assertEqual(float(point.get_attribute("aria-valuenow")), -5.45)
        self.page.reload()
        self.settled()
        self.open("curve")
        self.assertEqual(float(point.get_attribute("aria-valuenow")), -5.45)
        point.focus()
        self.page.keyboard.press("Delete")
        self.settled()
        expect(point).to_have_count(0)
        self.assertLess(np.abs(self.pixels() - before).mean(), 1)

        # Of red alone, picked on the picture and dragged down.
        self.page.get_by_role("group", name="Curve of").get_by_role("button", name="Red").click()
        self.page.get_by_role("button", name="Pick on the picture").click()
        box = self.page.locator(".picture > canvas").bounding_box()
        x, y = box["x"] + box["width"] * 0.5, box["y"] + box["height"] * 0.6
        self.page.mouse.move(x, y)
        expect(self.page.get_by_test_id("readout")).to_contain_text("on tone")
        self.page.mouse.down()
        self.page.mouse.move(x, y + 100, steps=5)
        self.page.mouse.up()
        self.settled()
        picked = self.pixels()
        # The canvas tells blue, green, red. Blue moves only as far as the primaries of the screen differ.
        blue, _, red = (before - picked).mean((0, 1))
        self.assertGreater(red, 8)
        self.assertLess(abs(blue), 0.5 * red)
        self.page.get_by_role("button", name="Straight").click()
        self.settled()
        self.assertLess(np.abs(self.pixels() - before).mean(), 1)

        self.page.get_by_role("button", name="Channel ends").click()
        expect(self.page.get_by_role("slider", name="Point 1 of red")).to_be_attached(timeout=10_000)

    def test_readings_of_white_and_a_second_light(self):
        self.open_scene()
        before = self.pixels()
        self.open("white_balance")
        box = self.page.locator(".picture > canvas").bounding_box()
        x, y = box["x"] + box["width"] * 0.5, box["y"] + box["height"] * 0.62
        self.page.get_by_label("Side of the patch").locator("xpath=..").click()
        self.page.get_by_role("option", name="51 × 51 px").click()
        self.page.get_by_role("button", name="Pick a neutral patch").click()
        self.page.mouse.move(x, y)
        expect(self.page.get_by_test_id("patch")).to_contain_text("51 px")
        with self.page.expect_request("**/neutral") as asked:
            self.page.mouse.click(x, y)
        self.assertEqual(asked.value.post_data_json["radius"], 25)
        expect(self.page.get_by_test_id("reading")).to_contain_text("mired")
        self.settled()
        first = self.pixels()
        self.page.get_by_role("button", name="More of White balance").click()
        self.page.get_by_role("button", name="A second light").click()
        self.page.mouse.move(x + 60, y + 60)
        self.page.mouse.click(x + 60, y + 60)
        expect(self.dial("white_balance.between")).to_be_visible(timeout=8_000)
        self.settled()
        half = self.pixels()
        self.page.get_by_role("slider", name="Between").press("Home")
        self.settled()
        self.assertLess(np.abs(self.pixels() - first).mean(), 0.6)
        self.assertGreater(np.abs(half - first).mean(), 0.3)
        self.page.get_by_role("button", name="Leave it out").click()
        self.settled()
        self.assertLess(np.abs(self.pixels() - first).mean(), 0.6)

        for name in ("By eye", "Whole picture"):
            with self.page.expect_response("**/white"):
                self.page.get_by_role("button", name=name).click()
            self.settled()
            self.assertGreater(np.abs(self.pixels() - before).mean(), 0.3)
        with self.page.expect_response("**/white"):
            self.page.get_by_role("button", name="Two lights").click()
        expect(self.dial("white_balance.own")).to_be_visible(timeout=8_000)
        self.settled()
        between = self.pixels()
        self.page.get_by_role("slider", name="Each its own").press("End")
        self.settled()
        self.assertGreater(np.abs(self.pixels() - between).mean(), 0.5)
        self.page.keyboard.press("Shift+R")
        self.settled()
        expect(self.page.get_by_role("button", name="Lights", exact=True)).to_have_attribute("aria-pressed", "true")
        self.page.keyboard.press("Shift+R")
        expect(self.page.locator(".picture > canvas[data-view=picture]")).to_be_visible()
        self.settled()
        for _ in range(8):
            self.page.keyboard.press("Control+z")
        self.settled()
        self.assertLess(np.abs(self.pixels() - before).mean(), 1)
