"""A night as a series in a real browser: looked through, its keys set, treated along them, and made into a film."""

from playwright.sync_api import expect

from crenn.camera.dawn import shoot_dawn
from crenn.camera.shoot import Bracket, scene_named
from tests.e2e.page import PageCase

COUNT = 8


class Series(PageCase):
    def test_a_night_is_looked_through_treated_and_becomes_a_film(self):
        bracket = Bracket.chosen(scene_named("lock-basin"), 2, 3.0, 800.0)
        paths = shoot_dawn(
            "lock-basin", self.shared.folder / "dawn", COUNT, 60.0, 3.0, 0.1, (240, 160), bracket, self.number()
        )
        self.page.goto(self.served.address)
        self.page.get_by_test_id("files").set_input_files([str(p) for p in paths])
        shoot = self.page.locator("section.shoot[aria-label*='lock-basin']")
        expect(shoot.locator(".scene img")).to_have_count(COUNT, timeout=120_000)
        shoot.get_by_role("link", name="as a series").click()
        line = self.page.get_by_role("slider", name="Place in the series")
        expect(self.page.get_by_text("8 scenes, one every 1 min")).to_be_visible()
        # Its light is looked at by itself.
        expect(self.page.get_by_test_id("flicker")).to_contain_text("EV.", timeout=60_000)
        shown = self.page.get_by_test_id("shown")
        box = line.bounding_box()
        self.page.mouse.move(box["x"] + 5, box["y"] + 20)
        self.page.mouse.down()
        self.page.mouse.move(box["x"] + box["width"] * 0.58, box["y"] + 20, steps=5)
        self.page.mouse.up()
        expect(shown).to_have_attribute("data-place", "4")
        self.page.keyboard.press("ArrowLeft")
        expect(shown).to_have_attribute("data-place", "3")
        self.page.keyboard.press("Home")
        self.page.keyboard.press("k")
        expect(self.page.get_by_role("button", name="Key: ")).to_have_count(1)
        expect(self.page.get_by_role("checkbox", name="Key")).to_be_checked()
        # The last one is treated by hand and is a key, too.
        self.page.keyboard.press("End")
        self.page.keyboard.press("Enter")
        self.settled()
        exposure = self.dial("exposure.ev").locator("input")
        exposure.fill("-6")
        exposure.press("Enter")
        self.settled()
        self.page.go_back()
        self.page.keyboard.press("End")
        # It is checked when the server has taken it, not at once.
        self.page.get_by_role("checkbox", name="Key").click()
        expect(self.page.get_by_role("button", name="Key: ")).to_have_count(2)
        before = shown.get_attribute("src")
        self.page.get_by_role("button", name="Treat along the keys").click()
        expect(self.page.get_by_test_id("flicker")).to_contain_text("taken out", timeout=120_000)
        expect(shown).not_to_have_attribute("src", before)
        # It runs, and stops at a press.
        self.page.keyboard.press("Home")
        self.page.get_by_role("button", name="Play").click()
        expect(shown).not_to_have_attribute("data-place", "0")
        self.page.get_by_role("button", name="Stop").click()
        self.page.get_by_role("button", name="Make the film").click()
        with self.page.expect_download(timeout=120_000) as got:
            self.page.get_by_role("link", name="Download").click(timeout=120_000)
        self.assertTrue(got.value.suggested_filename.endswith(".mp4"))
        self.assertGreater(got.value.path().stat().st_size, 2000)
