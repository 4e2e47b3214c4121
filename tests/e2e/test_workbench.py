"""The real page in a real browser: bring in, merge, drag, look at the pixels, deliver, reload."""

import os
import re
import shutil
import tempfile
import unittest
from pathlib import Path

import cv2
import numpy as np
from playwright.sync_api import expect, sync_playwright

from tests.support import Served, cluster, fresh_database, night, take

_FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]
_PIXELS = """async () => {
  const canvas = document.querySelector('.picture canvas');
  const blob = await new Promise(done => canvas.toBlob(done, 'image/png'));
  return Array.from(new Uint8Array(await blob.arrayBuffer()));
}"""


class Workbench(unittest.TestCase):
    """One application and browser for all; each test brings in frames of its own."""

    @classmethod
    def setUpClass(cls):
        cls.folder = Path(tempfile.mkdtemp(prefix="crenn-e2e-"))
        cls.served = Served(cls.folder, fresh_database())
        cls.playwright = sync_playwright().start()
        cls.browser = cls.playwright.chromium.launch(
            executable_path=shutil.which("chromium"), args=_FLAGS, env=os.environ | {"HOME": str(cls.folder)}
        )
        cls.count = 0

    @classmethod
    def tearDownClass(cls):
        cls.browser.close()
        cls.playwright.stop()
        cls.served.stop()
        shutil.rmtree(cls.folder, ignore_errors=True)

    def setUp(self):
        self.context = self.browser.new_context(viewport={"width": 1280, "height": 800}, accept_downloads=True)
        self.addCleanup(self.context.close)
        self.page = self.context.new_page()
        self.faults = []
        self.page.on("pageerror", lambda fault: self.faults.append(str(fault)))
        self.page.goto(self.served.address)

    def tearDown(self):
        self.assertEqual(self.faults, [])

    def bring_in(self) -> None:
        """Upload a bracket through the page and open its scene."""
        type(self).count += 1
        paths = take(self.folder / f"in{self.count}", night(), seed=self.count, name=f"night{self.count}x")
        self.page.get_by_test_id("files").set_input_files([str(p) for p in paths])
        card = self.page.locator("section.shoot").filter(has_text=f"night{self.count}x").locator("a.scene")
        expect(card.locator("img")).to_be_visible(timeout=60_000)
        card.click()
        self.settled()

    def settled(self) -> None:
        """The newest picture is drawn and everything is stored."""
        expect(self.page.locator(".picture canvas")).to_have_attribute(
            "data-drawn", re.compile(r"[1-9]"), timeout=30_000
        )
        expect(self.page.locator("[data-storing=stored]")).to_be_visible(timeout=15_000)
        self.page.wait_for_timeout(900)

    def pixels(self) -> np.ndarray:
        """The canvas as drawn, float (h, w, 3), 0–255; only the picture's part."""
        data = np.frombuffer(bytes(self.page.evaluate(_PIXELS)), np.uint8)
        image = cv2.imdecode(data, cv2.IMREAD_UNCHANGED)
        inside = image[..., 3] > 0
        rows, columns = np.flatnonzero(inside.any(1)), np.flatnonzero(inside.any(0))
        return image[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1, :3].astype(float)

    def dial(self, name: str):
        return self.page.locator(f"[data-dial='{name}']")

    def drag(self, name: str, way: float) -> None:
        box = self.dial(name).locator(".thumb").bounding_box()
        x, y = box["x"] + 1.5, box["y"] + 6
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        for i in range(1, 9):
            self.page.mouse.move(x + way * i / 8, y)
        self.page.mouse.up()

    def value(self, name: str) -> float:
        return float(self.dial(name).locator("input").input_value().replace("\u2212", "-"))

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
        expect(second.locator("[data-dial='exposure.ev'] input")).to_have_value(f"+{set_to:.2f}", timeout=15_000)
        self.dial("tone.contrast").locator("input").fill("1.5")
        self.dial("tone.contrast").locator("input").press("Enter")
        expect(second.locator("[data-dial='tone.contrast'] input")).to_have_value("1.50", timeout=15_000)

    def test_typing_resetting_and_keys(self):
        self.bring_in()
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
        self.bring_in()
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
        self.bring_in()
        self.drag("tone.contrast", 40)
        self.settled()
        before = self.pixels()
        self.page.keyboard.press("l")
        self.page.wait_for_timeout(900)
        self.assertGreater(np.abs(self.pixels() - before).max(), 60)
        self.page.keyboard.press("l")
        self.page.keyboard.down("b")
        self.page.wait_for_timeout(900)
        self.assertGreater(np.abs(self.pixels() - before).mean(), 2)
        self.page.keyboard.up("b")
        self.page.wait_for_timeout(900)
        self.assertLess(np.abs(self.pixels() - before).mean(), 1.0)
        self.page.mouse.move(620, 330)
        expect(self.page.get_by_test_id("readout")).to_contain_text("signal to noise", timeout=8_000)
        self.page.get_by_role("button", name="100 %").click()
        self.page.wait_for_timeout(900)
        self.assertEqual(self.pixels().shape[:2], (320, 480))

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
        self.bring_in()
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

    def test_the_database_stopped_while_the_page_is_open(self):
        self.bring_in()
        server = cluster()
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
        path = self.folder / "shopping.txt"
        path.write_text("bread")
        self.page.get_by_test_id("files").set_input_files([str(path)])
        expect(self.page.get_by_text("Not a frame").first).to_be_visible(timeout=20_000)

    def test_a_scene_that_is_not_there(self):
        self.page.goto(self.served.address + "/scenes/99999/light")
        expect(self.page.get_by_text("no longer in the library").first).to_be_visible()


if __name__ == "__main__":
    unittest.main()
