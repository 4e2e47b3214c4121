"""Tests that draw on the picture."""

from playwright.sync_api import expect

from tests.e2e.page import PageCase


class OnPicture(PageCase):
    """One scene for all tests; each begins with its untouched treatment."""

    def setUp(self) -> None:
        super().setUp()
        self.open_scene()

    def station(self, name: str) -> None:
        self.page.get_by_role("link", name=name, exact=True).click()
        expect(self.page.get_by_role("heading", name=name, exact=True)).to_be_visible()
        if name == "Geometry":
            expect(self.page.get_by_role("button", name="Crop, right side")).to_be_attached()
        self.settled()

    def at(self, u: float, v: float) -> tuple[float, float]:
        """Where a share of the fitted picture lies on the page; the picture is 480 by 320 pixels, a margin of 18."""
        pane = self.page.locator(".picture > canvas").bounding_box()
        width, height, zoom = pane["width"], pane["height"], self.zoom()
        return (
            pane["x"] + width / 2 + (u - 0.5) * 480 * zoom,
            pane["y"] + height / 2 + (v - 0.5) * 320 * zoom,
        )

    def zoom(self) -> float:
        pane = self.page.locator(".picture > canvas").bounding_box()
        return min((pane["width"] - 36) / 480, (pane["height"] - 36) / 320, 4)

    def draw(self, start: tuple[float, float], end: tuple[float, float]) -> None:
        self.page.mouse.move(*self.at(*start))
        self.page.mouse.down()
        self.page.mouse.move(*self.at(*end), steps=6)
        self.page.mouse.up()
        self.settled()
