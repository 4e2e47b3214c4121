"""History, marks, takes, comparing and presets in a real browser."""

import numpy as np
from playwright.sync_api import expect

from tests.e2e.on_picture import OnPicture


class WorkingOverTime(OnPicture):
    def setUp(self) -> None:
        super().setUp()
        self.station("Light")

    def entries(self):
        return self.page.get_by_role("list", name="History").get_by_role("listitem")

    def differs(self, other: np.ndarray) -> float:
        return float(np.abs(self.pixels().astype(float) - other).mean())

    def test_the_picture_follows_the_history_and_a_state_is_had_again(self):
        start = self.pixels().astype(float)
        self.drag("exposure.ev", 30)
        self.settled()
        bright = self.pixels().astype(float)
        self.page.keyboard.press("Shift+M")
        self.page.keyboard.press("Shift+H")
        expect(self.page.get_by_label("Name of the mark Mark 1", exact=True)).to_be_visible()
        self.page.locator(".panel .quiet", has_text="close").click()
        self.drag("tone.contrast", 40)
        self.settled()
        last = self.pixels().astype(float)
        self.page.keyboard.press("Shift+H")
        expect(self.entries().nth(0)).to_contain_text("Contrast")
        expect(self.entries().nth(1)).to_contain_text("Exposure")
        count = self.entries().count()
        # Pointed at, an earlier state is shown, and nothing is changed by that.
        self.entries().nth(2).hover()
        self.settled()
        self.page.wait_for_timeout(300)
        self.settled()
        self.assertLess(self.differs(start), 1)
        self.page.mouse.move(*self.at(0.5, 0.5))
        self.settled()
        self.assertLess(self.differs(last), 1)
        self.page.get_by_label("Find in the history").fill("exposure light")
        expect(self.entries().nth(0)).to_contain_text("Exposure")
        self.assertLess(self.entries().count(), count)
        self.page.get_by_label("Find in the history").fill("")
        # Back to the mark: a change like any other, and undone like one.
        self.page.get_by_role("button", name="back to it").last.click()
        self.page.mouse.move(*self.at(0.5, 0.5))
        self.settled()
        self.assertLess(self.differs(bright), 1)
        expect(self.entries()).to_have_count(count + 1)
        self.page.get_by_role("button", name="Undo").click()
        self.settled()
        self.assertLess(self.differs(last), 1)
        # Walked along by keys.
        self.page.get_by_role("list", name="History").focus()
        for _ in range(2):
            self.page.keyboard.press("ArrowDown")
        self.page.wait_for_timeout(400)
        self.settled()
        self.assertLess(self.differs(start), 1)
        self.page.keyboard.press("Enter")
        self.settled()
        self.page.reload()
        self.settled()
        self.assertLess(self.differs(start), 1)

    def work_on(self, name: str) -> None:
        row = self.page.locator(".states li", has=self.page.get_by_label(f"Name of the take {name}", exact=True))
        row.get_by_role("button", name="work on it").click()
        expect(row.get_by_text("worked on, and delivered")).to_be_visible()
        self.page.mouse.move(*self.at(0.5, 0.5))
        self.settled()

    def new_take(self) -> str:
        """Begin another take; its name, and that of the one before."""
        takes = self.page.get_by_role("region", name="Takes").get_by_role("listitem")
        expect(takes.first).to_be_visible()
        count = takes.count()
        self.page.get_by_role("button", name="New take", exact=True).click()
        expect(takes).to_have_count(count + 1)
        return takes.nth(count).get_by_role("textbox").input_value()

    def test_takes_go_their_own_ways(self):
        start = self.pixels().astype(float)
        self.page.keyboard.press("Shift+H")
        before = self.page.locator(".states li[aria-current] input").first.input_value()
        name = self.new_take()
        self.page.locator(".panel .quiet", has_text="close").click()
        self.drag("exposure.ev", 40)
        self.settled()
        own = self.pixels().astype(float)
        self.page.keyboard.press("Shift+H")
        self.work_on(before)
        self.assertLess(self.differs(start), 1)
        self.page.reload()
        self.settled()
        self.page.keyboard.press("Shift+H")
        self.work_on(name)
        self.assertLess(self.differs(own), 1)
        self.work_on(before)

    def other(self) -> np.ndarray:
        """What is drawn of the picture that this one is compared with: opaque pixels, and their mean."""
        return np.array(
            self.page.evaluate(
                """() => { const c = document.querySelector('canvas.other'), x = c.getContext('2d');
                const d = x.getImageData(0, 0, c.width, c.height).data; let n = 0, s = 0;
                for (let i = 0; i < d.length; i += 4) if (d[i + 3]) { n++; s += d[i] + d[i + 1] + d[i + 2]; }
                return [n, s / (3 * n), c.getBoundingClientRect().width]; }"""
            )
        )

    def test_pictures_are_compared_by_a_seam_beside_and_by_difference(self):
        before = self.pixels().astype(float)
        self.drag("exposure.ev", 40)
        self.settled()
        self.page.keyboard.press("Shift+C")
        there = self.page.locator("canvas.other[data-there=true]")
        expect(there).to_be_visible()
        _, mean, width = self.other()
        shown = before[before.sum(-1) > 0]
        self.assertAlmostEqual(mean, shown.mean(), delta=4)
        self.assertIn("polygon", there.evaluate("c => getComputedStyle(c).clipPath"))
        seam = self.page.get_by_role("button", name="Seam between the pictures: moves it, with Shift turns it")
        was = there.evaluate("c => getComputedStyle(c).clipPath")
        box = seam.bounding_box()
        self.page.mouse.move(box["x"] + 11, box["y"] + 11)
        self.page.mouse.down()
        self.page.mouse.move(box["x"] + 120, box["y"] + 11, steps=5)
        self.page.mouse.up()
        moved = there.evaluate("c => getComputedStyle(c).clipPath")
        self.assertNotEqual(was, moved)
        seam.dblclick()
        self.assertNotEqual(moved, there.evaluate("c => getComputedStyle(c).clipPath"))
        # Both values under the pointer.
        self.page.mouse.move(*self.at(0.5, 0.8))
        expect(self.page.get_by_test_id("compared")).to_contain_text("tone")
        self.page.get_by_role("button", name="Beside").click()
        self.settled()
        self.page.wait_for_timeout(500)
        half = self.other()
        self.assertLess(half[2], 0.6 * width)
        own = self.page.locator(".picture > canvas").first.bounding_box()["width"]
        self.assertAlmostEqual(own, half[2], delta=2)
        # Three stand in two rows, and each tells of itself.
        self.compare_with("Light")
        expect(self.page.locator("canvas.other[data-there=true]")).to_have_count(2)
        own, below = (one.bounding_box() for one in (self.page.locator(".picture > canvas").first, there.last))
        self.assertAlmostEqual(below["y"], own["y"] + own["height"], delta=2)
        self.assertAlmostEqual(below["x"], own["x"], delta=2)
        expect(self.page.locator(".other-name").last).to_have_text("no Light")
        self.page.get_by_role("button", name="Difference").click()
        self.assertEqual(there.evaluate("c => getComputedStyle(c).mixBlendMode"), "difference")
        # Without a station it is as while that is held.
        self.page.get_by_role("button", name="Seam", exact=True).click()
        expect(there).to_be_visible()
        self.page.get_by_role("link", name="Light").hover()
        self.page.mouse.down()
        self.page.wait_for_timeout(400)
        self.settled()
        held = self.pixels().astype(float)
        self.page.mouse.up()
        self.settled()
        self.assertAlmostEqual(self.other()[1], held[held.sum(-1) > 0].mean(), delta=4)
        # One frame, treated as the scene is, is as bright as it.
        self.compare_with(".dng")
        expect(self.page.locator("canvas.other[data-other^=frame][data-there=true]")).to_be_visible(timeout=30_000)
        now = self.pixels().astype(float)
        self.assertAlmostEqual(self.other()[1], now[now.sum(-1) > 0].mean(), delta=10)
        self.page.get_by_role("button", name="End", exact=True).click()
        expect(self.page.locator("canvas.other")).to_have_count(0)

    def compare_with(self, name: str) -> None:
        self.page.locator(".status [aria-haspopup=menu]").click()
        self.page.get_by_role("menuitem", name=name).first.click()
        self.page.get_by_role("menu").wait_for(state="hidden")
        self.settled()

    def test_a_preset_is_put_on_turned_down_kept_and_taken_off(self):
        before = self.pixels().astype(float)
        self.page.keyboard.press("Shift+E")
        card = self.page.locator(".presets .card", has_text="Deep night")
        # The first picture may wait for what the machine does else.
        expect(card.locator("img")).to_be_visible(timeout=30_000)
        card.click()
        expect(self.page.locator(".applied")).to_be_visible()
        self.settled()
        full = self.differs(before)
        self.assertGreater(full, 1)
        applied = self.page.locator(".applied")
        field = applied.get_by_role("textbox")
        field.fill("30")
        field.press("Enter")
        expect(field).to_have_value("30")
        self.settled()
        self.assertTrue(0 < self.differs(before) < 0.7 * full, (self.differs(before), full))
        self.assertEqual(self.document()["presets"][0]["strength"], 30)
        self.page.get_by_role("button", name="Keep as a preset").click()
        self.page.get_by_label("Name of the preset").fill("Mine")
        self.page.get_by_role("button", name="Keep", exact=True).click()
        expect(self.page.locator(".presets .card", has_text="Mine")).to_be_visible()
        self.page.get_by_role("button", name="take off").click()
        expect(applied).to_have_count(0)
        self.settled()
        self.assertLess(self.differs(before), 0.5)
        # What each step does is told, and seen without it.
        self.drag_saturation()
        self.page.keyboard.press("Shift+W")
        table = self.page.get_by_role("table", name="What steps do")
        expect(table).to_contain_text("Colour")
        row = table.get_by_role("row", name="Colour:")
        row.hover()
        self.settled()
        self.assertLess(self.differs(before), 0.5)

    def drag_saturation(self) -> None:
        self.page.locator(".panel .quiet", has_text="close").click()
        self.station("Colour")
        self.drag("saturation.saturation", 40)
        self.settled()

    def test_a_take_is_mixed_in_and_steps_go_to_another_scene(self):
        begin = self.pixels().astype(float)
        self.page.keyboard.press("Shift+H")
        self.new_take()
        self.page.locator(".panel .quiet", has_text="close").click()
        self.drag("exposure.ev", 40)
        self.settled()
        bright = self.differs(begin)
        self.page.keyboard.press("Shift+H")
        self.page.get_by_role("button", name="mix in").first.click()
        self.page.mouse.move(*self.at(0.5, 0.5))
        expect(self.page.get_by_role("list", name="History").get_by_role("listitem").first).to_contain_text("Areas")
        self.settled()
        (area,) = self.document()["areas"]
        self.assertEqual((area["opacity"], area["take"]["areas"]), (50, []))
        self.assertTrue(0.15 * bright < self.differs(begin) < 0.9 * bright, (bright, self.differs(begin)))
        self.page.get_by_role("button", name="Carry", exact=True).click()
        expect(self.page.get_by_text("This shoot has no other scenes.")).to_be_visible()
        expect(self.page.get_by_label("Take Exposure")).to_be_checked()
