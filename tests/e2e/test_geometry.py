"""Geometry in a real browser: drawn, dragged, typed, undone, and there after a reload."""

import cv2
import numpy as np
from playwright.sync_api import expect

from tests.e2e.on_picture import OnPicture
from tests.support import wait_for


class OnThePicture(OnPicture):
    def size(self) -> list[int]:
        """Width and height of the crop, as the panel says them."""
        text = self.page.get_by_test_id("crop-facts").locator("dd").first.inner_text()
        return [int(v) for v in text.removesuffix(" px").split(" × ")]

    def test_a_line_levels_and_the_crop_follows(self):
        self.station("Geometry")
        self.assertEqual(self.size(), [480, 320])
        before = self.pixels()
        self.page.keyboard.press("e")
        self.draw((0.2, 0.5), (0.8, 0.6))
        leans = np.degrees(np.arctan2(0.1 * 320, 0.6 * 480))
        self.assertAlmostEqual(self.value("level.angle"), -leans, delta=0.3)
        width, height = self.size()
        self.assertTrue(380 < width < 470 and abs(width / height - 1.5) < 0.02, (width, height))
        self.assertGreater(np.abs(np.array(self.pixels().shape) - before.shape).max(), 0)
        self.station("Light")
        expect(self.page.get_by_test_id("readout")).to_contain_text(f"{width} × {height} px")
        self.page.reload()
        self.settled()
        self.station("Geometry")
        self.assertEqual(self.size(), [width, height])
        self.page.keyboard.press("Control+z")
        self.settled()
        self.assertEqual(self.value("level.angle"), 0)
        self.assertEqual(self.size(), [480, 320])

    def test_the_crop_is_dragged_by_corner_and_inside_and_keeps_its_shape(self):
        self.station("Geometry")
        self.draw((1, 1), (0.6, 0.6))
        width, height = self.size()
        self.assertAlmostEqual(width / 480, 0.6, delta=0.02)
        self.assertAlmostEqual(width / height, 1.5, delta=0.02)
        self.draw((0.3, 0.3), (0.9, 0.5))
        self.assertEqual(self.size(), [width, height])
        # It came to a stop at the right border, and the picture is what lies there.
        self.station("Light")
        cut = self.pixels()
        self.page.get_by_role("button", name="Undo").click()
        self.settled()
        self.assertGreater(np.abs(self.pixels() - cut).mean(), 2)
        self.page.get_by_role("button", name="Undo").click()
        self.settled()
        whole = self.pixels()
        zoom = self.zoom()
        right = whole[int(320 * 0.2 * zoom) : int(320 * 0.8 * zoom), int(480 * 0.4 * zoom) :]
        small, same = (v[:: v.shape[0] // 40, :: v.shape[1] // 60][:40, :60] for v in (cut, right))
        self.assertLess(np.abs(small.mean((0, 1)) - same.mean((0, 1))).max(), 12)

    def test_a_ratio_is_chosen_and_stood_up(self):
        self.station("Geometry")
        self.page.get_by_label("Ratio").locator("xpath=..").click()
        self.page.get_by_role("option", name="1:1").click()
        self.settled()
        self.assertEqual(self.size(), [320, 320])
        self.page.keyboard.press("t")
        self.settled()
        self.assertEqual(self.size(), [320, 320])
        self.page.get_by_label("Ratio").locator("xpath=..").click()
        self.page.get_by_role("option", name="16:9").click()
        self.settled()
        self.assertEqual(self.size(), [180, 320])

    def test_a_ratio_of_one_s_own_is_kept_by_name_and_taken_again(self):
        self.station("Geometry")
        self.page.get_by_label("Ratio", exact=True).locator("xpath=..").click()
        self.page.get_by_role("option", name="own").click()
        side = self.page.get_by_label("One side of the ratio")
        side.fill("5")
        side.press("Enter")
        self.settled()
        name = self.page.get_by_label("Name of the ratio")
        name.fill("Wide")
        name.press("Enter")
        kept = self.page.get_by_role("group", name="Ratios kept").get_by_role("button", name="Wide")
        expect(kept).to_have_attribute("aria-pressed", "true")
        wide, high = self.size()
        self.assertAlmostEqual(wide / high, 2.5, delta=0.03)
        self.page.get_by_label("Ratio", exact=True).locator("xpath=..").click()
        self.page.get_by_role("option", name="as shot").click()
        self.settled()
        self.assertAlmostEqual(np.divide(*self.size()), 1.5, delta=0.03)
        # In another scene, or after the page was closed, it takes one press.
        self.page.reload()
        self.settled()
        kept.click()
        self.settled()
        self.assertAlmostEqual(np.divide(*self.size()), 2.5, delta=0.03)
        kept.click(modifiers=["Alt"])
        expect(kept).to_have_count(0)

    def test_a_lens_is_chosen_from_the_list_and_corrected(self):
        self.station("Geometry")
        self.page.locator("[data-step=lens] h3 button[aria-expanded]").click()
        section = self.page.locator("[data-step=lens]")
        expect(section).to_contain_text("is not in the database")
        before = self.pixels()
        box = section.get_by_role("combobox")
        box.fill("20-35 simulated")
        self.page.get_by_role("option", name="Crenn Simulated 20-35 mm").click()
        self.settled()
        expect(section.get_by_test_id("lens-plot")).to_contain_text("Fall-off")
        expect(section.get_by_test_id("lens-plot")).not_to_contain_text("0.00 EV")
        rows = section.get_by_test_id("lens-plot").locator("> div")
        inside = section.bounding_box()
        for row in rows.all():
            lies = row.bounding_box()
            self.assertTrue(inside["x"] - 1 <= lies["x"] and lies["width"] <= inside["width"] + 1, "in its panel")
        self.assertGreater(self.corner(self.pixels()), self.corner(before) * 1.02)
        aperture = section.get_by_label("Aperture, as f-number")
        self.assertEqual(aperture.input_value(), "8")
        at_eight = self.corner(self.pixels())
        aperture.fill("2,8")
        aperture.press("Enter")
        self.settled()
        self.assertGreater(self.corner(self.pixels()), at_eight * 1.05)
        self.drag("lens.falloff_amount", -180)
        self.settled()
        self.assertLess(self.corner(self.pixels()), at_eight * 1.02)
        self.page.reload()
        self.settled()
        section.get_by_role("button", name="Lens").click()
        self.assertLess(self.value("lens.falloff_amount"), 50)
        for _ in range(3):
            self.page.keyboard.press("Control+z")
        self.settled()
        expect(section).to_contain_text("is not in the database")

    @staticmethod
    def corner(pixels: np.ndarray) -> float:
        """Mean code of the upper corners of the fitted picture."""
        return float(np.mean([pixels[6:34, 6:46].mean(), pixels[6:34, -46:-6].mean()]))

    def test_edges_are_drawn_and_stand_afterwards(self):
        self.station("Geometry")
        self.page.get_by_role("button", name="Draw edges").click()
        self.draw((0.3, 0.1), (0.2, 0.9))
        self.draw((0.7, 0.1), (0.8, 0.9))
        expect(self.page.get_by_test_id("edges").locator("text")).to_have_count(2)
        self.page.get_by_role("button", name="Straighten by 2").click()
        # They fall apart downwards by twice a tenth of the width over eight tenths of the height.
        wait_for(lambda: self.value("perspective.vertical") > 5, text="the edges made vertical")
        self.settled()
        self.assertLess(abs(self.value("level.angle")), 0.2)
        self.assertLess(self.size()[1], 320)
        straight = self.value("perspective.vertical")
        self.drag("perspective.amount", -120)
        self.settled()
        self.assertLess(self.value("perspective.amount"), 60)
        self.assertEqual(self.value("perspective.vertical"), straight)
        self.page.keyboard.press("Control+z")
        self.page.keyboard.press("Control+z")
        self.settled()
        self.assertEqual(self.value("perspective.vertical"), 0)

    def test_picks_and_strokes_find_their_place_in_a_cropped_picture(self):
        self.station("Geometry")
        self.draw((1, 1), (0.5, 0.5))
        self.assertAlmostEqual(self.size()[0], 240, delta=3)
        self.station("Merge")
        self.page.get_by_role("button", name="From one frame").click()
        # The middle of what is left is a quarter into the whole.
        x, y = self.at(0.5, 0.5)
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + 60, y, steps=4)
        self.page.mouse.up()
        expect(self.page.get_by_text("One stroke, merged in next")).to_be_visible()
        scene = self.page.url.split("/")[-2]

        def strokes() -> list[dict]:
            return self.page.request.get(f"{self.served.address}/api/scenes/{scene}").json()["instructions"]["strokes"]

        # The page shows it before the server has it.
        stroke = wait_for(strokes, text="the stroke")[0]
        np.testing.assert_allclose(stroke["points"][0], [0.25, 0.25], atol=0.01)
        self.assertGreater(stroke["points"][-1][0], 0.27)
        self.assertAlmostEqual(stroke["points"][-1][1], 0.25, delta=0.01)
        self.station("Light")
        self.page.mouse.move(x, y)
        expect(self.page.get_by_test_id("readout")).to_contain_text("signal to noise")
        self.page.get_by_role("button", name="Pick a neutral patch").click()
        with self.page.expect_request("**/neutral") as asked:
            self.page.mouse.click(x, y)
        np.testing.assert_allclose(asked.value.post_data_json["place"], [0.25, 0.25 * 2 / 3], atol=0.01)

    def test_a_turned_and_mirrored_picture(self):
        before = self.pixels()
        self.station("Geometry")
        self.page.locator("[data-step=turn]").get_by_role("button", name="Turn").click()
        self.page.get_by_label("Quarter turns").locator("xpath=..").click()
        self.page.get_by_role("option", name="to the right").click()
        self.page.get_by_role("checkbox", name="Mirror").click()
        self.settled()
        self.assertEqual(self.size(), [320, 480])
        self.station("Light")
        turned = self.pixels()
        back = cv2.resize(np.rot90(turned)[:, ::-1], before.shape[1::-1], interpolation=cv2.INTER_AREA)
        self.assertLess(np.abs(back - before).mean(), 6)

    def test_handles_answer_the_arrow_keys(self):
        self.station("Geometry")
        self.page.get_by_role("button", name="Crop, right side").focus()
        self.page.keyboard.press("Shift+ArrowLeft")
        self.settled()
        self.assertLess(self.size()[0], 478)

    def test_a_switch_takes_a_step_out_and_a_heading_says_what_is_changed(self):
        before = self.pixels()
        self.drag("tone.contrast", 50)
        self.settled()
        steep = self.pixels()
        step = self.page.locator("[data-step=tone]")
        step.get_by_role("checkbox").click()
        self.settled()
        self.assertLess(self.pixels().std(), steep.std())
        self.assertIsNotNone(step.locator("[inert]").get_attribute("inert"))
        step.get_by_role("checkbox").click()
        self.settled()
        self.assertLess(np.abs(self.pixels() - steep).mean(), 1.0)
        self.drag("tone.toe", 40)
        self.settled()
        step.get_by_role("button", name="less of Contrast").click()
        expect(step).to_contain_text("1 more")
        steep = self.pixels()
        relief = self.page.locator("[data-step=relief]")
        expect(relief).to_contain_text("as it was")
        relief.get_by_role("button", name="Relief").click()
        self.drag("relief.fine", 60)
        self.settled()
        self.assertGreater(self.value("relief.fine"), 1.3)
        self.assertGreater(np.abs(self.pixels() - steep).mean(), 0.3)
        self.assertEqual(before.shape, steep.shape)
