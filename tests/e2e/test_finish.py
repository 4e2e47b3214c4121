"""Finish in a real browser: glow and vignette are drawn, moved, seen and taken back."""

import numpy as np
from playwright.sync_api import expect

from tests.e2e.on_picture import OnPicture


class Finishing(OnPicture):
    def setUp(self) -> None:
        super().setUp()
        self.station("Finish")

    def test_glow_spills_and_is_taken_back(self):
        before = self.pixels()
        lamp = int(215 / 320 * before.shape[0]), int(250 / 480 * before.shape[1])
        beside = lamp[0], lamp[1] + int(14 / 480 * before.shape[1])
        self.drag("glow.amount", 60)
        self.settled()
        after = self.pixels()
        self.assertGreater(self.value("glow.amount"), 10)
        self.assertGreater(after[beside].sum(), before[beside].sum() + 6)
        self.assertGreater(after[lamp].min(), 240)
        # A held heading shows the picture without it.
        heading = self.page.locator("[data-step='glow'] h3")
        box = heading.bounding_box()
        self.page.mouse.move(box["x"] + 8, box["y"] + 6)
        self.page.mouse.down()
        self.page.wait_for_timeout(400)
        self.settled()
        self.assertEqual(abs(self.pixels()[beside] - before[beside]).max(), 0)
        self.page.mouse.up()
        self.settled()
        self.assertEqual(abs(self.pixels()[beside] - after[beside]).max(), 0)
        self.page.reload()
        self.settled()
        self.assertEqual(abs(self.pixels()[beside] - after[beside]).max(), 0)
        self.page.get_by_role("button", name="Undo").click()
        self.settled()
        self.assertEqual(abs(self.pixels()[beside] - before[beside]).max(), 0)

    def test_the_middle_of_the_vignette_is_moved_on_the_picture(self):
        before = self.pixels()
        self.drag("vignette.amount", -80)
        self.settled()
        corners = self.pixels()[10:30, 10:30].mean() / max(before[10:30, 10:30].mean(), 1)
        self.assertLess(corners, 0.9)
        grip = self.page.get_by_role("button", name="Middle of the vignette: moves it")
        box = grip.bounding_box()
        self.page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        self.page.mouse.down()
        self.page.mouse.move(*self.at(0.1, 0.1), steps=6)
        self.page.mouse.up()
        self.settled()
        x, y = self.document()["vignette"]["centre"]
        self.assertAlmostEqual(x, 0.1, delta=0.02)
        self.assertAlmostEqual(y, 0.1 * 320 / 480, delta=0.02)
        self.assertGreater(self.pixels()[10:30, 10:30].mean(), 0.95 * before[10:30, 10:30].mean())
        # By keys too.
        grip.focus()
        self.page.keyboard.press("Shift+ArrowRight")
        self.settled()
        self.assertGreater(self.document()["vignette"]["centre"][0], x)

    def test_light_is_painted_from_a_lamp_outwards_and_taken_away(self):
        before = self.pixels().astype(float)
        self.page.keyboard.press("g")
        self.draw((250 / 480, 215 / 320), (330 / 480, 215 / 320))
        self.settled()
        after = self.pixels().astype(float)
        beside = int(215 / 320 * before.shape[0]), int(300 / 480 * before.shape[1])
        self.assertGreater((after - before)[beside].sum(), 15)
        (stroke,) = self.document()["painted_glow"]["strokes"]
        self.assertAlmostEqual(stroke["points"][0] / 16384, 250 / 480, delta=0.01)
        self.page.reload()
        self.settled()
        self.assertLess(np.abs(self.pixels() - after).max(), 1)
        self.page.locator("[data-step='painted_glow'] h3 button").click()
        self.page.get_by_role("button", name="last away").click()
        self.settled()
        self.assertLess(np.abs(self.pixels() - before).max(), 1)

    def test_a_vignette_is_drawn_from_its_middle(self):
        before = self.pixels()
        self.page.keyboard.press("w")
        self.draw((0.3, 0.4), (0.55, 0.6))
        self.settled()
        found = self.document()["vignette"]
        self.assertAlmostEqual(found["centre"][0], 0.3, delta=0.02)
        self.assertAlmostEqual(found["size"], 100 * (0.5**2 + 0.4**2) ** 0.5 / 2**0.5, delta=3)
        after = self.pixels()
        height, width = after.shape[:2]
        far, near = np.s_[-20:, -20:], np.s_[int(0.4 * height) - 8 :, int(0.3 * width) - 8 :]
        self.assertLess(after[far].mean(), 0.9 * before[far].mean())
        self.assertGreaterEqual(after[near][:16, :16].mean(), before[near][:16, :16].mean())

    def test_the_threshold_of_glow_is_dragged_on_the_ladder(self):
        self.drag("glow.amount", 80)
        self.settled()
        before = self.pixels().astype(float)
        mark = self.page.get_by_role("slider", name="Threshold of the glow")
        box = mark.locator("circle").bounding_box()
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x, y + 90, steps=6)
        self.page.mouse.up()
        self.settled()
        self.assertLess(self.value("glow.threshold"), -1)
        # More light spills: more of the picture is other than it was.
        self.assertGreater((np.abs(self.pixels() - before).max(-1) > 2).mean(), 0.02)
        # Pointed at, the line tells what it does.
        self.page.locator("[data-step='glow'] h3").hover()
        expect(self.page.get_by_test_id("contribution")).to_contain_text("mean ΔE")
        self.page.get_by_role("button", name="Undo").click()
        self.settled()
        self.assertEqual(self.value("glow.threshold"), 0)

    def test_what_is_sharpened_is_a_view(self):
        self.drag("sharpness.amount", 80)
        self.settled()
        self.page.keyboard.press("k")
        expect(self.page.get_by_role("button", name="Sharpened", exact=True)).to_have_attribute("aria-pressed", "true")
        self.settled()
        mask = self.pixels()
        height, width = mask.shape[:2]
        # The textured ground is, the smooth sky is not.
        self.assertGreater(mask[int(0.8 * height) :].mean(), mask[: int(0.2 * height), : width // 2].mean() + 20)
