"""The page in a real browser: one application and one browser for all tests of a process."""

import base64
import os
import shutil
import tempfile
import unittest
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
from playwright.sync_api import expect, sync_playwright

from tests.support import Served, fresh_database, made_once, night, take

# A busy machine may take its time to draw.
expect.set_options(timeout=20_000)

_FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]
_PIXELS = "document.querySelector('.picture > canvas').toDataURL('image/png')"

# A gesture may wait for an answer before it does anything: until then there is nothing to settle.
_COUNT_QUESTIONS = """
    window.questions = 0;
    const ask = window.fetch;
    window.fetch = (...what) => {
        window.questions += 1;
        return ask(...what).finally(() => (window.questions -= 1));
    };
"""
_UNTIL = """new Promise(done => {
    const end = performance.now() + 30000;
    let frames = 0;
    const look = () => {
        frames = window.questions ? 0 : frames + 1;
        if (frames > 2 && (%s)) done(true);
        else if (performance.now() > end) done(false);
        else requestAnimationFrame(look);
    };
    look();
})"""


class Browser:
    """A served application with its worker, and a browser."""

    def __init__(self) -> None:
        self.folder = Path(tempfile.mkdtemp(prefix="crenn-e2e-"))
        self.served = Served(self.folder, fresh_database())
        self._playwright = sync_playwright().start()
        self.browser = self._playwright.chromium.launch(
            executable_path=shutil.which("chromium"), args=_FLAGS, env=os.environ | {"HOME": str(self.folder)}
        )
        # One context for all: what the browser has read of the page once it need not read again.
        self.context = self.browser.new_context(viewport={"width": 1280, "height": 800}, accept_downloads=True)
        self.context.add_init_script(_COUNT_QUESTIONS)
        self.count = 0
        #: Addresses of scenes that tests share, by name.
        self.opened: dict[str, str] = {}

    def close(self) -> None:
        self.browser.close()
        self._playwright.stop()
        self.served.stop()
        shutil.rmtree(self.folder, ignore_errors=True)


class PageCase(unittest.TestCase):
    """A test on the page; it brings in frames of its own, or opens a scene that tests share."""

    def setUp(self) -> None:
        self.shared = made_once(Browser, Browser)
        self.served = self.shared.served
        self.context = self.shared.context
        self.page = self.context.new_page()
        self.addCleanup(self._leave)
        self.faults: list[str] = []
        self.page.on("pageerror", lambda fault: self.faults.append(str(fault)))
        self.page.on("console", lambda said: self.faults.append(said.text) if self._matters(said) else None)

    def _leave(self) -> None:
        """Close all pages; nothing that they kept is left for the next test."""
        if self.page.url.startswith("http"):
            self.page.evaluate("localStorage.clear()")
        for page in self.context.pages:
            page.close()

    @staticmethod
    def _matters(said) -> bool:
        """Whether what the browser says is a fault of the page, as of its security policy."""
        return said.type == "error" and "Failed to load resource" not in said.text and "WebSocket" not in said.text

    def tearDown(self) -> None:
        self.assertEqual(self.faults, [])

    def number(self) -> int:
        """A number that no other test of this process has."""
        self.shared.count += 1
        return self.shared.count

    def send(self, name: str, light, **more) -> None:
        """Upload a bracket through the page and open its scene."""
        paths = take(self.shared.folder / name, light, name=name, **more)
        self.page.goto(self.served.address)
        self.page.get_by_test_id("files").set_input_files([str(p) for p in paths])
        card = self.page.locator(f"section.shoot[aria-label*='{name}'] .scene a.open")
        expect(card.locator("img")).to_be_visible(timeout=60_000)
        card.click()
        self.settled()

    def bring_in(self) -> None:
        """Upload a night of its own and open it."""
        number = self.number()
        self.send(f"night{number}x", night(), seed=number)

    def open_scene(self, name: str = "night", bring_in: Callable[[], None] | None = None) -> None:
        """Open a scene that tests share, with its untouched treatment; the first to ask for it brings it in."""
        opened = self.shared.opened
        if name not in opened:
            (bring_in or self.bring_in)()
            opened[name] = self.page.url
            return
        scene = f"{self.served.address}/api/scenes/{opened[name].split('/')[-2]}"
        revision = self.page.request.get(scene).json()["revision"]
        start = {"document": {}, "parent": revision, "label": "Start"}
        self.assertEqual(self.page.request.put(f"{scene}/treatment", data=start).status, 200)
        self.page.goto(opened[name])
        self.settled()

    def document(self) -> dict:
        """The treatment as it is stored."""
        scene = self.page.url.split("/")[-2]
        return self.page.request.get(f"{self.served.address}/api/scenes/{scene}").json()["treatment"]

    def settled(self) -> None:
        """The newest picture is drawn at rest and everything is stored."""
        self._until(
            "document.querySelector('[data-storing=stored]') && "
            "document.querySelector('.picture > canvas[data-settled=true]:not([data-drawn=\"0\"])')"
        )

    def drawn(self) -> None:
        """The newest picture is drawn, be it a coarse one because something is held."""
        self._until("document.querySelector('.picture > canvas[data-rendering=false]')")

    def _until(self, condition: str) -> None:
        """Wait for something that the page tells: what was just done, or answered, has reached it two frames later."""
        told = self.page.evaluate(_UNTIL % condition)
        self.assertTrue(told, condition)

    def pixels(self) -> np.ndarray:
        """The canvas as drawn, float (h, w, 3), 0–255; only the picture's part."""
        data = base64.b64decode(self.page.evaluate(_PIXELS).split(",")[1])
        image = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
        inside = image[..., 3] > 0
        rows, columns = np.flatnonzero(inside.any(1)), np.flatnonzero(inside.any(0))
        return image[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1, :3].astype(float)

    def dial(self, name: str):
        """A dial by the path of its value; in areas, the one of the selected area, whose id no test knows."""
        if name.startswith("areas."):
            return self.page.locator(f"[data-dial^='areas.'][data-dial$='.{name.removeprefix('areas.')}']")
        dial = self.page.locator(f"[data-dial='{name}']")
        unfold = self.page.locator(f"[data-step='{name.split('.')[0]}'] .unfold[aria-expanded='false']")
        # What is not usual is folded away until it is asked for.
        if dial.count() == 0 and unfold.count() == 1:
            unfold.click()
        return dial

    def drag(self, name: str, way: float) -> None:
        self.dial(name).scroll_into_view_if_needed()
        box = self.dial(name).locator(".thumb").bounding_box()
        x, y = box["x"] + 1.5, box["y"] + 6
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        for i in range(1, 9):
            self.page.mouse.move(x + way * i / 8, y)
        self.page.mouse.up()

    def value(self, name: str) -> float:
        return float(self.dial(name).locator("input").input_value().replace("\u2212", "-"))
