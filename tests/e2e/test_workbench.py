"""The real page in a real browser: bring in, merge, drag, look at the pixels, deliver, reload."""

import zipfile

import cv2
import numpy as np
from PIL import Image
from playwright.sync_api import expect

from tests.e2e.page import PageCase
from tests.support import Served, own_server


class Workbench(PageCase):
    def test_drag_undo_redo_reload_and_a_second_tab(self):
        self.bring_in()
        before = self.pixels()
        exposure = self.value("exposure.ev")
        self.drag("exposure.ev", 24)
        self.settled()
        brighter, set_to = self.pixels(), self.value("exposure.ev")
        self.assertGreater(set_to, exposure + 1)
        self.assertGreater(brighter.mean(), before.mean() * 1.2)
        self.page.get_by_role("button", name="Undo").click()
        self.settled()
        self.assertEqual(self.value("exposure.ev"), exposure)
        self.assertLess(np.abs(self.pixels() - before).mean(), 1.0)
        self.page.keyboard.press("Control+Shift+z")
        self.settled()
        self.assertEqual(self.value("exposure.ev"), set_to)
        self.page.reload()
        self.settled()
        self.assertEqual(self.value("exposure.ev"), set_to)
        self.assertLess(np.abs(self.pixels() - brighter).mean(), 1.0)
        second = self.context.new_page()
        second.goto(self.page.url)
        expect(second.locator("[data-dial='exposure.ev'] input")).to_have_value(f"+{set_to:.2f}")
        self.dial("tone.contrast").locator("input").fill("1.5")
        self.dial("tone.contrast").locator("input").press("Enter")
        expect(second.locator("[data-dial='tone.contrast'] input")).to_have_value("1.50")

    def test_typing_resetting_and_keys(self):
        self.open_scene()
        field = self.dial("tone.contrast").locator("input")
        field.fill("1,8")
        field.press("Enter")
        self.settled()
        self.assertEqual(self.value("tone.contrast"), 1.8)
        contrasty = self.pixels()
        self.dial("tone.contrast").get_by_text("Contrast").dblclick()
        self.settled()
        automatic = self.value("tone.contrast")
        self.assertLess(automatic, 1.4)
        self.assertGreater(contrasty.std(), self.pixels().std())
        self.dial("tone.contrast").get_by_role("slider").focus()
        self.page.keyboard.press("ArrowRight")
        self.settled()
        self.assertAlmostEqual(self.value("tone.contrast"), automatic + 0.01, places=6)
        field.fill("99")
        field.press("Enter")
        self.settled()
        self.assertEqual(self.value("tone.contrast"), 2.5)

    def test_a_rung_moves_its_stop(self):
        self.open_scene()
        before = self.pixels()
        rung = self.page.get_by_role("slider", name="Placement of −4.0 EV")
        box = rung.locator("circle").last.bounding_box()
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x, y - 50, steps=5)
        self.page.mouse.up()
        self.settled()
        self.assertGreater(float(rung.get_attribute("aria-valuenow")), 0.4)
        self.assertGreater(self.pixels().mean(), before.mean() + 3)
        self.page.get_by_role("button", name="Put 1 rung back").click()
        self.settled()
        self.assertLess(np.abs(self.pixels() - before).mean(), 1.0)

    def test_views_zoom_compare_and_readout(self):
        self.open_scene()
        self.drag("tone.contrast", 40)
        self.settled()
        before = self.pixels()
        self.page.keyboard.press("l")
        self.settled()
        self.assertGreater(np.abs(self.pixels() - before).max(), 60)
        self.page.keyboard.press("l")
        self.page.keyboard.down("b")
        self.settled()
        self.assertGreater(np.abs(self.pixels() - before).mean(), 2)
        self.page.keyboard.up("b")
        self.settled()
        self.assertLess(np.abs(self.pixels() - before).mean(), 1.0)
        self.page.mouse.move(620, 330)
        expect(self.page.get_by_test_id("readout")).to_contain_text("signal to noise")
        self.page.get_by_role("button", name="100 %").click()
        self.settled()
        self.assertEqual(self.pixels().shape[:2], (320, 480))

    def test_room_for_the_picture(self):
        self.open_scene()
        canvas, panel = self.page.locator(".picture > canvas"), self.page.locator(".panel")
        narrow = canvas.bounding_box()["width"]
        before = self.pixels()
        self.page.keyboard.press("Shift+F")
        self.settled()
        self.assertEqual(canvas.bounding_box()["width"], 1280)
        self.assertGreater(self.pixels().shape[1], before.shape[1])
        # At the border the panel comes back over the picture, and is of use.
        self.page.mouse.move(1277, 300)
        self.page.wait_for_timeout(400)
        self.assertLess(panel.bounding_box()["x"], 1010)
        self.drag("exposure.ev", 24)
        self.settled()
        self.page.mouse.move(640, 400)
        # Nothing in it is focused any more.
        self.page.mouse.click(640, 400)
        self.page.wait_for_timeout(400)
        self.assertGreater(panel.bounding_box()["x"], 1260)
        self.page.reload()
        self.settled()
        self.assertEqual(canvas.bounding_box()["width"], 1280)
        self.page.keyboard.press("0")
        self.settled()
        self.assertEqual(canvas.bounding_box()["height"], self.page.viewport_size["height"])
        self.page.keyboard.press("0")
        self.page.keyboard.press("Shift+L")
        self.settled()
        self.assertAlmostEqual(canvas.bounding_box()["width"], narrow + 232, delta=2)
        self.page.keyboard.press("Shift+L")
        self.settled()
        self.assertEqual(canvas.bounding_box()["width"], narrow)
        self.assertGreater(panel.bounding_box()["width"], 270)

    def test_look_through_the_frames_and_leave_one_out(self):
        self.bring_in()
        self.page.get_by_role("link", name="Frames").click()
        shown = self.page.locator(".picture img")
        first = shown.get_attribute("alt")
        self.page.keyboard.press("ArrowRight")
        expect(shown).not_to_have_attribute("alt", first)
        self.page.get_by_role("checkbox").first.click()
        expect(self.page.get_by_role("checkbox").first).not_to_be_checked()
        self.page.get_by_role("button", name="Merge again").click()
        self.page.get_by_role("link", name="Merge").click()
        expect(self.page.locator("table.plain tbody tr")).to_have_count(3, timeout=30_000)

    def test_deliver_and_download(self):
        self.open_scene()
        shown = self.pixels()
        self.page.get_by_role("link", name="Deliver").click()
        self.page.get_by_label("Quality, 1–100").fill("97")
        self.page.get_by_role("button", name="Deliver", exact=True).click()
        link = self.page.get_by_role("link", name="Download")
        expect(link).to_be_visible(timeout=30_000)
        with self.page.expect_download() as download:
            link.click()
        picture = cv2.imread(str(download.value.path()))
        self.assertEqual(picture.shape, (320, 480, 3))
        same = cv2.resize(picture, shown.shape[1::-1], interpolation=cv2.INTER_LINEAR).astype(float)
        self.assertLess(np.abs(same - shown).mean(), 3.0)
        # Another file beside it, smaller and of a wider space; both at once, kept as a set, and the same again.
        self.page.get_by_role("button", name="another file").click()
        self.choose("Format", "PNG")
        self.choose("Size", "Share")
        self.page.get_by_label("Of each side").fill("150")
        self.page.get_by_label("May be enlarged").check()
        expect(self.page.get_by_test_id("made")).to_contain_text("720 × 480 px, enlarged 1.50 times")
        self.choose("Space", "Display P3")
        self.page.get_by_role("button", name="Keep as a set").click()
        self.page.get_by_label("Name of the set").fill("Both")
        self.page.get_by_role("button", name="Keep", exact=True).click()
        expect(self.page.get_by_role("combobox", name="Set")).to_have_text("Both")
        self.page.get_by_role("button", name="Deliver", exact=True).click()
        expect(link).to_have_count(3, timeout=60_000)
        with self.page.expect_download() as download:
            self.page.get_by_role("link", name="all as ZIP").click()
        with zipfile.ZipFile(download.value.path()) as archive:
            large = next(name for name in archive.namelist() if name.endswith(".png"))
            with Image.open(archive.open(large)) as picture:
                self.assertEqual(picture.size, (720, 480))
                self.assertIn("icc_profile", picture.info)
        self.page.get_by_role("button", name="the same again").last.click()
        expect(self.page.get_by_role("list", name="Outputs").get_by_role("listitem")).to_have_count(1)
        self.page.get_by_label("Quality, 1–100").fill("0")
        expect(self.page.get_by_label("Quality, 1–100")).to_have_attribute("aria-invalid", "true")
        self.choose("Set", "Both")
        self.page.get_by_role("button", name="Forget this set").click()
        expect(self.page.get_by_role("combobox", name="Set")).to_have_text("As set below")

    def choose(self, label: str, option: str) -> None:
        self.page.get_by_role("combobox", name=label).click()
        self.page.get_by_role("option", name=option, exact=True).click()
        expect(self.page.get_by_role("listbox")).to_have_count(0)

    def test_the_database_stopped_while_the_page_is_open(self):
        server, database = own_server(self)
        self.served = Served(self.shared.folder / "own", database)
        self.addCleanup(self.served.stop)
        self.bring_in()
        port = server.port
        server.stop()
        try:
            self.drag("exposure.ev", 20)
            expect(self.page.locator("[data-storing=waiting]")).to_be_visible(timeout=15_000)
            expect(self.page.get_by_text("The database does not answer").first).to_be_visible(timeout=15_000)
            wanted = self.value("exposure.ev")
        finally:
            server.start(port)
        expect(self.page.locator("[data-storing=stored]")).to_be_visible(timeout=20_000)
        self.page.reload()
        self.settled()
        self.assertEqual(self.value("exposure.ev"), wanted)

    def test_a_file_that_is_no_frame_is_named(self):
        path = self.shared.folder / "shopping.txt"
        path.write_text("bread")
        self.page.goto(self.served.address)
        self.page.get_by_test_id("files").set_input_files([str(path)])
        expect(self.page.get_by_text("Not a frame").first).to_be_visible(timeout=20_000)

    def test_a_scene_that_is_not_there(self):
        self.page.goto(self.served.address + "/scenes/99999/light")
        expect(self.page.get_by_text("no longer in the library").first).to_be_visible()
