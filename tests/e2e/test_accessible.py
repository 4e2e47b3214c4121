"""Every page, with all of its panels open, against the rules of axe-core."""

from playwright.sync_api import expect

from crenn.serve import PROJECT
from tests.e2e.on_picture import OnPicture

_AXE = PROJECT / "web" / "node_modules" / "axe-core" / "axe.min.js"


class Accessible(OnPicture):
    def assert_accessible(self, page: str) -> None:
        self.page.evaluate(_AXE.read_text())
        found = self.page.evaluate("axe.run(document, {resultTypes: ['violations']})")["violations"]
        told = [f"{v['id']}: {n['target']} {n['html'][:120]}" for v in found for n in v["nodes"]]
        self.assertEqual(told, [], page)

    def unfold(self) -> None:
        for folded in (".unfold[aria-expanded=false]", ".group h3 button[aria-expanded=false]"):
            closed = self.page.locator(folded)
            while closed.count():
                closed.first.click()

    def test_all_stations(self):
        for name in ("Frames", "Merge", "Geometry", "Light", "Noise", "Colour", "Areas", "Mend", "Finish", "Deliver"):
            self.page.get_by_role("link", name=name, exact=True).click()
            expect(self.page.locator(".panel h2", has_text=name)).to_be_visible()
            if name == "Areas":
                self.page.get_by_role("button", name="everything", exact=True).click()
                self.page.keyboard.press("p")
            if name == "Mend":
                self.page.keyboard.press("d")
                self.page.mouse.click(600, 350)
                self.page.keyboard.press("Escape")
            self.settled()
            self.unfold()
            with self.subTest(station=name):
                self.assert_accessible(name)

    def test_contact_sheet_and_keys(self):
        self.page.keyboard.press("?")
        expect(self.page.get_by_role("dialog")).to_be_visible()
        # While it opens it is pale.
        self.page.wait_for_timeout(500)
        self.assert_accessible("keys")
        self.page.goto(self.served.address)
        expect(self.page.locator(".scene a.open").first).to_be_visible()
        self.assert_accessible("contact sheet")
