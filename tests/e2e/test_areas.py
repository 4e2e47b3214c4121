"""Areas in a real browser: masks drawn, painted, picked and found, what they bend, and how they travel."""

import json

import cv2
import numpy as np
from playwright.sync_api import expect

from tests.e2e.on_picture import OnPicture
from tests.support import wait_for


class Areas(OnPicture):
    def setUp(self) -> None:
        super().setUp()
        self.station("Areas")

    def kind(self, name: str) -> None:
        self.page.get_by_role("region", name="New masks").get_by_role("button", name=name, exact=True).click()

    def type(self, dial: str, value: str) -> None:
        field = self.dial(dial).locator("input")
        field.fill(value)
        field.press("Enter")
        self.settled()

    def choose(self, label: str, option: str) -> None:
        self.page.get_by_label(label, exact=True).locator("xpath=..").click()
        self.page.get_by_role("option", name=option, exact=True).click()
        # While the list fades the pointer would press it.
        expect(self.page.locator(".MuiBackdrop-root")).to_have_count(0)
        self.settled()

    def mask(self) -> np.ndarray:
        """The selected area's mask, as the view of it alone shows it, 0 to 255."""
        self.page.get_by_role("group", name="View").get_by_role("button", name="Mask").click()
        self.settled()
        mask = self.pixels()[..., 1]
        self.page.get_by_role("group", name="View").get_by_role("button", name="Picture").click()
        self.settled()
        return mask

    def seen(self) -> np.ndarray:
        """The picture itself, without the mask over it."""
        # A part that is pointed at is shown as well.
        self.page.mouse.move(640, 20)
        self.settled()
        if self.page.locator(".picture > canvas").get_attribute("data-view") != "picture":
            self.page.keyboard.press("Shift+A")
            self.settled()
        return self.pixels()

    def find(self, what: str) -> None:
        self.kind("found")
        self.page.get_by_role("menuitem", name=what).click()
        self.settled()

    @staticmethod
    def place(mask: np.ndarray, u: float, v: float) -> float:
        """Mean about a share of the picture."""
        y, x = int(v * mask.shape[0]), int(u * mask.shape[1])
        return float(mask[max(y - 3, 0) : y + 4, max(x - 3, 0) : x + 4].mean())


class Shapes(Areas):
    def test_a_gradient_darkens_what_it_holds_and_nothing_else(self):
        before = self.pixels()
        self.kind("gradient")
        self.draw((0.5, 0.05), (0.5, 0.45))
        self.assertEqual(self.page.locator(".picture > canvas").get_attribute("data-view"), "contours")
        # While the mask is made its contours are drawn, and what lies outside keeps its colours.
        outside = self.pixels()[-40:]
        self.assertGreater(np.ptp(outside, axis=-1).mean(), 8)
        self.assertLess(np.abs(self.seen() - before).mean(), 1.0)
        self.type("areas.bends.exposure.ev", "-2")
        after = self.pixels()
        rows = len(after)
        self.assertLess(after[: rows // 20].mean(), 0.6 * before[: rows // 20].mean())
        self.assertLess(np.abs(after[rows // 2 :] - before[rows // 2 :]).mean(), 1.4)
        expect(self.page.get_by_role("group", name="Gradient", exact=True)).to_contain_text("exposure −2.00 EV")
        # Its half contour is a handle: dragged down, the dark comes along.
        x, y = self.at(0.5, 0.25)
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x, y + 0.3 * 320 * self.zoom(), steps=6)
        self.page.mouse.up()
        self.settled()
        middle = slice(int(rows * 0.4), int(rows * 0.5))
        self.assertLess(self.seen()[middle].mean(), 0.9 * before[middle].mean())
        self.page.keyboard.press("Control+z")
        self.settled()
        self.assertLess(np.abs(self.seen() - after).mean(), 1.0)
        self.page.reload()
        self.settled()
        self.assertLess(np.abs(self.pixels() - after).mean(), 1.0)
        self.page.get_by_role("checkbox", name="Use Gradient").click()
        self.settled()
        self.assertLess(np.abs(self.pixels() - before).mean(), 1.0)

    def test_a_gradient_is_bent_by_its_knot_and_its_middle_by_a_dial(self):
        self.kind("gradient")
        self.draw((0.5, 0.2), (0.5, 0.6))
        straight = self.mask()
        knot = self.page.get_by_role("button", name="Gradient 1, knot: bends it")
        knot.focus()
        for _ in range(3):
            self.page.keyboard.press("Shift+ArrowDown")
        self.settled()
        bow = self.value("areas.bow")
        self.assertGreater(bow, 0.2)
        bent = self.mask()
        self.assertLess(abs(self.place(bent, 0.5, 0.4) - self.place(straight, 0.5, 0.4)), 12)
        self.assertGreater(self.place(bent, 0.1, 0.4), self.place(straight, 0.1, 0.4) + 30)
        self.type("areas.middle", "25")
        self.assertLess(self.place(self.mask(), 0.5, 0.4), self.place(bent, 0.5, 0.4) - 60)

    def test_lines_that_are_nearly_level_are_made_so(self):
        self.kind("gradient")
        self.draw((0.5, 0.2), (0.505, 0.7))
        part = self.document()["areas"][0]["parts"][0]
        self.assertEqual(part["start"][0], part["end"][0])

    def test_an_ellipse_its_mask_and_a_second_shape(self):
        self.page.keyboard.press("c")
        self.draw((0.5, 0.5), (0.7, 0.7))
        mask = self.mask()
        self.assertGreater(self.place(mask, 0.5, 0.5), 250)
        self.assertLess(self.place(mask, 0.02, 0.02), 5)
        self.choose("What the next mask does", "Take from it")
        self.kind("gradient")
        self.draw((0.5, 0.5), (0.55, 0.5))
        mask = self.mask()
        self.assertLess(self.place(mask, 0.45, 0.5), 5)
        self.assertGreater(self.place(mask, 0.6, 0.5), 200)
        self.choose("How part 2 joins", "and")
        self.assertGreater(self.place(self.mask(), 0.1, 0.5), 250)
        self.choose("How part 2 joins", "only within")
        mask = self.mask()
        self.assertGreater(self.place(mask, 0.45, 0.5), 250)
        self.assertLess(self.place(mask, 0.6, 0.5), 5)
        self.page.get_by_role("checkbox", name="Outside of part 2").click()
        self.settled()
        self.assertGreater(self.place(self.mask(), 0.6, 0.5), 200)
        self.page.get_by_role("checkbox", name="Use part 2").click()
        self.settled()
        self.assertGreater(self.place(self.mask(), 0.45, 0.5), 250)
        self.page.get_by_role("button", name="Take part 2 away").click()
        self.settled()
        self.assertGreater(self.place(self.mask(), 0.45, 0.5), 250)
        self.page.get_by_role("button", name="Take Ellipse away").click()
        self.settled()
        expect(self.page.locator(".areas .area")).to_have_count(0)

    def test_an_ellipse_is_moved_grown_and_turned_from_the_keyboard(self):
        self.kind("ellipse")
        self.draw((0.5, 0.5), (0.7, 0.6))
        first = self.document()["areas"][0]["parts"][0]
        for handle, key in (
            ("middle: moves it", "ArrowLeft"),
            ("half: how large it is", "ArrowRight"),
            ("stem: turns it", "ArrowDown"),
        ):
            self.page.get_by_role("button", name=f"Ellipse 1, {handle}").focus()
            for _ in range(2):
                self.page.keyboard.press(f"Shift+{key}")
            self.settled()
        last = self.document()["areas"][0]["parts"][0]
        self.assertLess(last["centre"][0], first["centre"][0] - 0.01)
        self.assertGreater(last["radii"][0], first["radii"][0] * 1.05)
        self.assertGreater(last["angle"], 2)

    def test_a_pool_of_light_brightens_inside(self):
        before = self.pixels()
        self.kind("light pool")
        self.draw((0.5, 0.3), (0.7, 0.45))
        after = self.seen()
        self.assertGreater(self.place(after, 0.5, 0.3), self.place(before, 0.5, 0.3) * 1.15)
        self.assertLess(abs(self.place(after, 0.05, 0.05) - self.place(before, 0.05, 0.05)), 1.5)

    def test_parts_are_softened_and_drawn_to_edges(self):
        self.kind("gradient")
        self.draw((0.5, 0.56), (0.5, 0.64))
        hard = self.mask()
        self.type("areas.soften", "5")
        soft = self.mask()
        self.assertLess(np.abs(np.diff(soft, axis=0)).max(), 0.5 * np.abs(np.diff(hard, axis=0)).max())
        self.type("areas.soften", "0")
        self.type("areas.refine", "40")
        # The ground begins along a wave, which a level gradient knows nothing of.
        refined = self.mask()
        half = [float(np.argmax(refined[:, x] < 128)) for x in range(20, refined.shape[1] - 20, 10)]
        self.assertGreater(np.std(half), 3)
        self.assertLess(np.std([float(np.argmax(hard[:, x] < 128)) for x in range(20, hard.shape[1] - 20, 10)]), 1)


class Brushes(Areas):
    def test_moving_about_with_a_tool_in_hand(self):
        self.page.keyboard.press("p")
        canvas, overview = self.page.locator(".picture > canvas"), self.page.get_by_test_id("overview")
        box = canvas.bounding_box()
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        expect(overview).to_be_hidden()
        self.page.mouse.move(x, y)
        for _ in range(10):
            self.page.mouse.wheel(0, -120)
        self.settled()
        expect(overview).to_be_visible()
        seen = overview.locator(".seen").bounding_box()
        self.assertLess(seen["width"], 120)
        # The middle button moves it, and Space with the left one: what was seen goes along with the hand.
        for button, key in (("middle", None), ("left", " ")):
            before = self.pixels()
            if key:
                self.page.keyboard.down(key)
            self.page.mouse.down(button=button)
            self.page.mouse.move(x - 80, y - 30, steps=4)
            self.page.mouse.up(button=button)
            if key:
                self.page.keyboard.up(key)
            self.page.mouse.move(x, y)
            self.settled()
            rows, columns = slice(60, -60), slice(100, -100)
            moved = self.pixels()[rows, columns]
            there = np.roll(before, (-30, -80), (0, 1))[rows, columns]
            self.assertLess(np.abs(moved - there).mean(), np.abs(moved - before[rows, columns]).mean() / 2)
        self.assertEqual(self.document().get("areas"), [])
        # A press on the small map goes there; the brush is sized and hardened by the wheel.
        at = overview.bounding_box()
        self.page.mouse.click(at["x"] + 12, at["y"] + 12)
        self.settled()
        self.assertLess(overview.locator(".seen").bounding_box()["x"], at["x"] + 2)
        self.page.mouse.move(x, y)
        size = self.value("brush.size")
        hardness = self.value("brush.hardness")
        self.page.keyboard.down("Alt")
        self.page.mouse.wheel(0, -240)
        self.page.keyboard.up("Alt")
        self.page.keyboard.down("Shift")
        self.page.mouse.wheel(0, -120)
        self.page.keyboard.up("Shift")
        self.assertGreater(self.value("brush.size"), size * 1.3)
        self.assertEqual(self.value("brush.hardness"), hardness + 5)
        self.page.keyboard.press("f")
        self.settled()
        expect(overview).to_be_hidden()

    def test_strokes_are_seen_at_once_add_up_and_are_undone_one_by_one(self):
        before = self.pixels()
        self.page.keyboard.press("p")
        self.page.mouse.move(*self.at(0.3, 0.3))
        expect(self.page.get_by_test_id("brush-ring")).to_be_visible()
        self.page.mouse.down()
        self.page.mouse.move(*self.at(0.6, 0.3), steps=12)
        expect(self.page.locator("[data-testid=brush-ring] .stroke")).to_be_attached()
        self.page.mouse.up()
        self.settled()
        self.draw((0.3, 0.5), (0.6, 0.5))
        expect(self.page.get_by_text("2 strokes")).to_be_visible()
        mask = self.mask()
        self.assertGreater(self.place(mask, 0.45, 0.3), 250)
        self.assertGreater(self.place(mask, 0.45, 0.5), 250)
        self.assertLess(self.place(mask, 0.45, 0.4), 5)
        self.type("areas.bends.exposure.ev", "1,5")
        bright = self.seen()
        self.assertGreater(self.place(bright, 0.45, 0.3), self.place(before, 0.45, 0.3) * 1.2)
        self.page.keyboard.press("Control+z")
        self.page.keyboard.press("Control+z")
        self.settled()
        expect(self.page.get_by_text("1 stroke", exact=True)).to_be_visible()
        self.assertLess(self.place(self.mask(), 0.45, 0.5), 5)

    def test_ctrl_rubs_out_and_alt_goes_on_in_a_straight_line(self):
        self.kind("brush")
        self.draw((0.2, 0.3), (0.4, 0.3))
        self.page.keyboard.down("Alt")
        self.page.mouse.click(*self.at(0.8, 0.5))
        self.page.keyboard.up("Alt")
        self.settled()
        mask = self.mask()
        self.assertGreater(self.place(mask, 0.6, 0.4), 240)
        self.page.keyboard.down("Control")
        self.draw((0.6, 0.2), (0.6, 0.6))
        self.page.keyboard.up("Control")
        self.settled()
        rubbed = self.mask()
        self.assertLess(self.place(rubbed, 0.6, 0.4), 20)
        self.assertGreater(self.place(rubbed, 0.75, 0.475), 240)
        strokes = self.document()["areas"][0]["parts"][0]["strokes"]
        self.assertEqual([s["rubs"] for s in strokes], [False, False, True])
        # A straight line is told by its two ends.
        self.assertEqual(len(strokes[1]["points"]), 4)

    def test_size_flow_and_edges_are_dials_of_the_brush(self):
        self.kind("brush")
        self.type("brush.size", "40")
        self.type("brush.flow", "30")
        self.draw((0.2, 0.3), (0.8, 0.3))
        once = self.place(self.mask(), 0.5, 0.3)
        self.assertAlmostEqual(once, 0.3 * 255, delta=18)
        self.page.keyboard.press(".")
        self.assertGreater(self.value("brush.size"), 44)
        self.draw((0.2, 0.3), (0.8, 0.3))
        self.assertAlmostEqual(self.place(self.mask(), 0.5, 0.3), (1 - 0.7**2) * 255, delta=25)
        # Along the ground's border, only what is like the sky under its middle is taken.
        self.type("brush.flow", "100")
        self.type("brush.size", "90")
        self.type("brush.edges", "60")
        self.draw((0.15, 0.52), (0.3, 0.52))
        mask = self.mask()
        self.assertGreater(self.place(mask, 0.22, 0.5), 220)
        self.assertLess(self.place(mask, 0.22, 0.68), 40)

    def test_the_pressure_of_a_pen_tells_how_much_a_pass_leaves(self):
        self.kind("brush")
        self.type("brush.flow", "60")
        canvas = self.page.locator(".picture > canvas")
        for row, pressure in ((0.2, 0.25), (0.45, 1.0)):
            for kind, u in (
                ("pointerdown", 0.2),
                *[("pointermove", 0.2 + 0.05 * i) for i in range(1, 13)],
                ("pointerup", 0.8),
            ):
                x, y = self.at(u, row)
                pen = {
                    "pointerType": "pen",
                    "pointerId": 9,
                    "pressure": pressure,
                    "clientX": x,
                    "clientY": y,
                    "button": 0,
                }
                # Only a pointer that the browser knows can be captured.
                canvas.evaluate("c => (c.setPointerCapture = () => {})")
                canvas.dispatch_event(kind, pen | {"bubbles": True})
            self.settled()
        mask = self.mask()
        self.assertAlmostEqual(self.place(mask, 0.5, 0.45), 0.6 * 255, delta=20)
        self.assertAlmostEqual(self.place(mask, 0.5, 0.2), (1 - 0.4**0.25) * 255, delta=20)
        pressures = [s["pressure"] for s in self.document()["areas"][0]["parts"][0]["strokes"]]
        self.assertEqual((set(pressures[0]), pressures[1]), ({64}, []))

    def test_a_brush_is_moved_as_a_whole(self):
        self.kind("brush")
        self.draw((0.3, 0.3), (0.4, 0.3))
        self.page.keyboard.press("Escape")
        handle = self.page.get_by_role("button", name="Brush 1: moves all of it")
        handle.focus()
        for _ in range(4):
            self.page.keyboard.press("Shift+ArrowDown")
        self.settled()
        by = 80 / self.zoom() / 320
        self.assertGreater(self.place(self.mask(), 0.35, 0.3 + by), 240)

    def test_dodge_and_burn_add_up_in_areas_of_their_own(self):
        before = self.pixels()
        self.kind("dodge and burn")
        for _ in range(3):
            self.draw((0.2, 0.3), (0.8, 0.3))
        once = self.seen()
        self.assertGreater(self.place(once, 0.5, 0.3), self.place(before, 0.5, 0.3) + 3)
        for _ in range(8):
            self.draw((0.2, 0.3), (0.8, 0.3))
        more = self.seen()
        self.assertGreater(self.place(more, 0.5, 0.3), self.place(once, 0.5, 0.3) + 6)
        self.page.get_by_role("button", name="Darken", exact=True).click()
        self.choose("Which light it touches", "lights")
        self.draw((0.2, 0.1), (0.8, 0.1))
        areas = self.document()["areas"]
        self.assertEqual([a["name"] for a in areas], ["Brightened", "Darkened lights"])
        self.assertEqual([p["kind"] for p in areas[1]["parts"]], ["brush", "light"])
        self.assertEqual(len(areas[0]["parts"][0]["strokes"]), 11)
        # Afterwards it is dialled like any area.
        self.page.get_by_role("group", name="Brightened", exact=True).get_by_role("button").first.click()
        self.type("areas.bends.exposure.ev", "0")
        self.assertLess(abs(self.place(self.seen(), 0.5, 0.3) - self.place(before, 0.5, 0.3)), 1.5)


class RangesAndFinds(Areas):
    def test_a_light_range_stands_on_the_ladder_and_is_dragged_there(self):
        self.kind("light")
        self.page.mouse.move(*self.at(0.5, 0.1))
        expect(self.page.get_by_test_id("readout")).to_contain_text("EV")
        self.page.mouse.click(*self.at(0.5, 0.1))
        bracket = self.page.get_by_test_id("light-bracket")
        expect(bracket).to_be_visible()
        self.settled()
        mask = self.mask()
        self.assertGreater(self.place(mask, 0.5, 0.1), 200)
        self.assertLess(self.place(mask, 0.5, 0.95), 30)
        end = self.page.get_by_role("slider", name="Light range, darker end")
        box = end.bounding_box()
        self.page.mouse.move(box["x"] + 8, box["y"] + box["height"] / 2)
        self.page.mouse.down()
        self.page.mouse.move(box["x"] + 8, box["y"] + 500, steps=8)
        self.page.mouse.up()
        self.settled()
        self.assertEqual(self.document()["areas"][0]["parts"][0]["low"], -32)
        self.assertGreater(self.place(self.mask(), 0.5, 0.95), 200)
        expect(self.page.locator("[data-within]").first).to_be_attached()

    def test_colours_are_picked_widened_and_taken_away(self):
        self.page.keyboard.press("e")
        self.page.mouse.click(*self.at(0.5, 0.3))
        expect(self.page.get_by_role("button", name="Take colour 1 away")).to_be_visible()
        self.settled()
        mask = self.mask()
        self.assertGreater(self.place(mask, 0.5, 0.3), 200)
        self.assertLess(self.place(mask, 0.5, 0.95), 60)
        self.page.mouse.click(*self.at(0.5, 0.66))
        expect(self.page.get_by_role("button", name="Take colour 2 away")).to_be_visible()
        self.settled()
        self.assertEqual(len(self.document()["areas"][0]["parts"][0]["picks"]), 2)
        both = self.mask()
        self.assertGreater(both.mean(), mask.mean())
        self.type("areas.width", "40")
        self.assertGreater(self.mask().mean(), both.mean())
        self.page.get_by_role("button", name="Take colour 2 away").click()
        self.settled()
        self.assertEqual(len(self.document()["areas"][0]["parts"][0]["picks"]), 1)

    def test_a_region_grows_from_a_press_farther_by_dragging_and_keeps_out_what_is_told(self):
        self.page.keyboard.press("g")
        self.page.mouse.click(*self.at(0.5, 0.2))
        self.settled()
        small = self.mask()
        part = self.document()["areas"][0]["parts"][0]
        self.assertEqual((part["kind"], part["reach"], len(part["seeds"])), ("grown", 50, 1))
        self.assertGreater(self.place(small, 0.5, 0.2), 250)
        x, y = self.at(0.3, 0.1)
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x, y - 100, steps=5)
        self.page.mouse.up()
        self.settled()
        grown = self.document()["areas"][0]["parts"][0]
        self.assertEqual((grown["reach"], len(grown["seeds"])), (70, 2))
        large = self.mask()
        self.assertGreater(large.mean(), small.mean())
        self.page.keyboard.down("Control")
        self.page.mouse.click(*self.at(0.5, 0.9))
        self.page.keyboard.up("Control")
        self.settled()
        seeds = self.document()["areas"][0]["parts"][0]["seeds"]
        self.assertEqual([seed["outside"] for seed in seeds], [False, False, True])
        self.assertLess(self.place(self.mask(), 0.5, 0.9), 5)

    def test_a_region_is_taken_by_a_rough_outline(self):
        self.page.keyboard.press("g")
        corners = [(0.05, 0.62), (0.95, 0.62), (0.95, 0.95), (0.05, 0.95), (0.05, 0.64)]
        self.page.keyboard.down("Alt")
        self.page.mouse.move(*self.at(*corners[0]))
        self.page.mouse.down()
        for corner in corners[1:]:
            self.page.mouse.move(*self.at(*corner), steps=8)
        self.page.mouse.up()
        self.page.keyboard.up("Alt")
        self.settled()
        part = self.document()["areas"][0]["parts"][0]
        self.assertEqual((part["kind"], part["reach"]), ("grown", 100))
        mask = self.mask()
        self.assertGreater(self.place(mask, 0.5, 0.8), 200)
        self.assertLess(self.place(mask, 0.5, 0.2), 20)

    def test_sky_and_ground_are_found(self):
        before = self.pixels()
        self.find("sky")
        mask = self.mask()
        self.assertGreater(self.place(mask, 0.3, 0.2), 250)
        self.assertLess(self.place(mask, 0.3, 0.85), 5)
        self.type("areas.bends.exposure.ev", "-1")
        after = self.seen()
        self.assertLess(self.place(after, 0.3, 0.2), 0.8 * self.place(before, 0.3, 0.2))
        self.assertLess(abs(self.place(after, 0.3, 0.85) - self.place(before, 0.3, 0.85)), 1.5)
        self.find("ground")
        np.testing.assert_allclose(self.mask()[::20, ::20], 255 - mask[::20, ::20], atol=3)
        # This night has no water, and no points of light where it has no sky.
        for what in ("water", "lamps", "stars"):
            self.find(what)
        self.assertLess(self.place(self.mask(), 0.3, 0.85), 5)
        self.assertEqual(
            [a["parts"][0]["what"] for a in self.document()["areas"]], ["sky", "ground", "water", "lamps", "stars"]
        )


class Handling(Areas):
    def test_bends_are_found_by_typing_their_name(self):
        before = self.pixels()
        self.kind("gradient")
        self.draw((0.5, 0.95), (0.5, 0.6))
        field = self.page.get_by_label("Bend another dial", exact=True)
        field.fill("black")
        self.page.get_by_role("option", name="Black point", exact=True).click()
        self.settled()
        self.type("areas.bends.ends.black", "8")
        after = self.seen()
        self.assertLess(after[-20:].mean(), 0.7 * before[-20:].mean())
        self.assertLess(np.abs(after[:100] - before[:100]).mean(), 1.0)
        self.page.get_by_role("button", name="Do not bend Black point").click()
        self.settled()
        self.assertLess(np.abs(self.pixels() - before).mean(), 1.0)
        field.fill("no such dial")
        expect(self.page.get_by_text("No dial of this name can be bent.")).to_be_visible()
        # A step is left out by its name in the same field, and acts again by one press.
        field.fill("exposure")
        self.page.get_by_role("option", name="Leave out Exposure").click()
        self.settled()
        without = self.pixels()
        self.assertGreater(np.abs(without[-20:] - before[-20:]).mean(), 3)
        self.assertLess(np.abs(without[:100] - before[:100]).mean(), 1.0)
        self.page.get_by_role("button", name="Exposure in it again").click()
        self.settled()
        self.assertLess(np.abs(self.pixels() - before).mean(), 1.0)
        # As light added the place is brighter by what it is itself.
        self.page.get_by_label("What the area acts on").locator("..").click()
        self.page.get_by_role("option", name="a light added").click()
        self.settled()
        self.assertGreater(self.pixels()[-20:].mean(), 1.15 * before[-20:].mean())

    def test_named_reordered_duplicated_inverted_and_switched(self):
        self.find("sky")
        field = self.page.get_by_label("Name of the area")
        field.fill("Above")
        field.press("Enter")
        self.settled()
        self.type("areas.bends.exposure.ev", "-1")
        sky = self.mask()
        self.page.get_by_role("button", name="More", exact=True).click()
        self.page.get_by_role("menuitem", name="An area of all that it leaves out").click()
        self.settled()
        np.testing.assert_allclose(self.mask()[::15, ::15], 255 - sky[::15, ::15], atol=3)
        expect(self.page.get_by_role("group", name="All but Above", exact=True)).to_contain_text("bends nothing yet")
        self.page.get_by_role("group", name="Above", exact=True).get_by_role("button").first.click()
        self.page.get_by_role("button", name="Duplicate").click()
        self.settled()
        names = lambda: [a["name"] for a in self.document()["areas"]]  # noqa: E731
        self.assertEqual(names(), ["Above", "All but Above", "Above 2"])
        row = self.page.get_by_role("group", name="Above 2", exact=True).get_by_role("button").first
        row.focus()
        self.page.keyboard.press("Alt+ArrowUp")
        self.settled()
        self.assertEqual(names(), ["Above", "Above 2", "All but Above"])
        dark = self.seen()
        self.page.get_by_role("button", name="all off").click()
        self.settled()
        self.assertGreater(self.place(self.seen(), 0.3, 0.2), self.place(dark, 0.3, 0.2) * 1.3)
        self.page.get_by_role("button", name="on again").click()
        self.settled()
        self.assertLess(np.abs(self.seen() - dark).mean(), 1.0)
        # Held, a key shows the picture without the area; opacity takes half of it.
        self.page.keyboard.down("j")
        self.settled()
        without = self.pixels()
        self.page.keyboard.up("j")
        self.settled()
        self.assertGreater(self.place(without, 0.3, 0.2), self.place(dark, 0.3, 0.2) * 1.1)
        self.type("areas.opacity", "0")
        self.assertLess(np.abs(self.seen() - without).mean(), 1.0)

    def test_a_mask_is_turned_inside_out_and_keeps_what_it_bends(self):
        self.find("sky")
        self.type("areas.bends.exposure.ev", "-2")
        sky = self.mask()
        self.page.keyboard.press("i")
        self.settled()
        np.testing.assert_allclose(self.mask()[::15, ::15], 255 - sky[::15, ::15], atol=3)
        self.assertEqual(self.value("areas.bends.exposure.ev"), -2)
        self.assertEqual(len(self.document()["areas"]), 1)

    def test_strokes_join_the_selected_area_and_ctrl_takes_from_it_whatever_it_is_made_of(self):
        self.find("sky")
        sky = self.mask()
        self.page.keyboard.press("p")
        self.page.keyboard.down("Control")
        self.draw((0.2, 0.15), (0.6, 0.15))
        self.page.keyboard.up("Control")
        self.draw((0.4, 0.85), (0.6, 0.85))
        area = self.document()["areas"]
        self.assertEqual([part["kind"] for part in area[0]["parts"]], ["found", "brush"])
        self.assertEqual([s["rubs"] for s in area[0]["parts"][1]["strokes"]], [True, False])
        mask = self.mask()
        self.assertGreater(self.place(sky, 0.4, 0.15), 250)
        self.assertLess(self.place(mask, 0.4, 0.15), 5)
        self.assertGreater(self.place(mask, 0.5, 0.85), 250)
        self.assertGreater(self.place(mask, 0.8, 0.15), 250)
        # Undone stroke by stroke.
        self.page.keyboard.press("Control+z")
        self.page.keyboard.press("Control+z")
        self.settled()
        np.testing.assert_allclose(self.mask()[::15, ::15], sky[::15, ::15], atol=3)

    def test_the_dial_first_and_the_place_afterwards(self):
        before = self.pixels()
        self.kind("everything")
        self.type("areas.bends.exposure.ev", "1,5")
        bright = self.seen()
        self.assertGreater(bright.mean(), before.mean() * 1.2)
        self.page.keyboard.press("p")
        self.page.keyboard.down("Control")
        self.draw((0.2, 0.5), (0.5, 0.5))
        self.page.keyboard.up("Control")
        rubbed = self.seen()
        self.assertAlmostEqual(self.place(rubbed, 0.35, 0.5), self.place(before, 0.35, 0.5), delta=4)
        self.assertAlmostEqual(self.place(rubbed, 0.8, 0.2), self.place(bright, 0.8, 0.2), delta=4)
        # Emptied by a key, it is painted in.
        self.page.keyboard.press("Control+z")
        self.settled()
        self.page.keyboard.press("i")
        self.settled()
        self.assertLess(np.abs(self.seen() - before).mean(), 1.0)
        self.draw((0.2, 0.5), (0.5, 0.5))
        painted = self.seen()
        self.assertAlmostEqual(self.place(painted, 0.35, 0.5), self.place(bright, 0.35, 0.5), delta=4)
        self.assertAlmostEqual(self.place(painted, 0.8, 0.2), self.place(before, 0.8, 0.2), delta=4)

    def test_how_a_mask_is_seen_while_it_is_painted_is_chosen_by_key(self):
        canvas = self.page.locator(".picture > canvas")
        self.page.keyboard.press("p")
        self.page.mouse.move(*self.at(0.3, 0.3))
        self.page.mouse.down()
        self.page.mouse.move(*self.at(0.6, 0.3), steps=6)
        self.drawn()
        # Colours outside stay what they are.
        self.assertEqual(canvas.get_attribute("data-view"), "contours")
        self.assertGreater(np.ptp(self.pixels()[:60], axis=-1).mean(), 8)
        self.page.keyboard.press("Shift+K")
        self.drawn()
        self.assertEqual(canvas.get_attribute("data-view"), "area")
        self.page.mouse.up()
        self.settled()
        self.assertLess(np.ptp(self.pixels()[-60:], axis=-1).mean(), 2)
        self.choose("How masks are seen", "a wash")
        self.page.get_by_label("Colour of the wash").fill("#ff0000")
        self.settled()
        washed = self.pixels()
        self.assertEqual(canvas.get_attribute("data-view"), "wash")
        place = washed[int(0.3 * washed.shape[0]), int(0.45 * washed.shape[1])]
        self.assertGreater(place[2], place[0] + 20)
        self.page.reload()
        self.settled()
        self.assertEqual(self.page.get_by_label("Colour of the wash").input_value(), "#ff0000")

    def test_a_colour_is_picked_for_an_area(self):
        self.kind("ellipse")
        self.draw((0.5, 0.25), (0.65, 0.35))
        before = self.seen()
        self.page.get_by_role("button", name="A colour for it").click()
        # The light of a lamp, on the ground beside it.
        self.page.mouse.click(*self.at(0.2, 0.66))
        expect(self.dial("areas.bends.wash.amount")).to_be_visible(timeout=8_000)
        self.settled()
        self.assertEqual(self.value("areas.bends.wash.amount"), 40)
        after = self.seen()
        warmer = after - before
        middle = int(0.25 * after.shape[0]), int(0.5 * after.shape[1])
        # Pixels are blue, green and red.
        self.assertGreater(warmer[middle][2], warmer[middle][0] + 10)
        self.assertLess(np.abs(warmer[-30:]).mean(), 1.0)

    def test_a_hue_is_picked_to_be_changed_within_an_area_alone(self):
        self.kind("ellipse")
        self.draw((0.5, 0.25), (0.6, 0.35))
        before = self.seen()
        self.page.get_by_role("button", name="Pick a hue in it").click()
        self.page.mouse.click(*self.at(0.5, 0.25))
        lightness = self.page.locator("[data-dial^='areas.'][data-dial$='.lightness']")
        expect(lightness).to_be_visible(timeout=8_000)
        self.settled()
        self.assertLess(np.abs(self.seen() - before).mean(), 0.5)
        field = lightness.locator("input")
        field.fill("-1.5")
        field.press("Enter")
        self.settled()
        after = self.seen()
        self.assertLess(self.place(after, 0.5, 0.25), self.place(before, 0.5, 0.25) - 15)
        # The same blue beyond the area stays.
        self.assertAlmostEqual(self.place(after, 0.05, 0.1), self.place(before, 0.05, 0.1), delta=1.5)

    def test_an_area_is_selected_on_the_picture_and_takes_another_ones_dials(self):
        self.kind("ellipse")
        self.draw((0.3, 0.4), (0.4, 0.5))
        self.type("areas.bends.exposure.ev", "1")
        self.page.get_by_role("group", name="Ellipse", exact=True).get_by_role("button").first.click()
        self.kind("ellipse")
        self.draw((0.7, 0.4), (0.8, 0.5))
        self.page.keyboard.down("Shift")
        self.page.mouse.click(*self.at(0.3, 0.4))
        self.page.keyboard.up("Shift")
        expect(self.page.get_by_label("Name of the area")).to_have_value("Ellipse")
        other = self.page.get_by_role("group", name="Ellipse 2", exact=True).get_by_role("button").first
        other.click(modifiers=["Alt"])
        self.settled()
        first, second = self.document()["areas"]
        self.assertEqual(second["bends"], first["bends"])
        expect(self.page.get_by_label("Name of the area")).to_have_value("Ellipse")
        # A whole step is opened at once, and the next area begins with what the last one had.
        field = self.page.get_by_label("Bend another dial")
        field.fill("wash")
        self.page.get_by_role("option", name="All of Wash").click()
        self.settled()
        self.assertEqual(self.document()["areas"][0]["bends"]["wash.amount"], 0)
        self.kind("ellipse")
        self.draw((0.5, 0.8), (0.55, 0.85))
        self.assertIn("wash.hue", self.document()["areas"][2]["bends"])

    def test_a_part_that_is_pointed_at_lights_up(self):
        self.kind("ellipse")
        self.draw((0.3, 0.4), (0.4, 0.5))
        self.choose("What the next mask does", "Add to it")
        self.kind("ellipse")
        self.draw((0.7, 0.4), (0.8, 0.5))
        self.page.mouse.move(*self.at(0.5, 0.9))
        self.page.get_by_role("button", name="ellipse", exact=True).nth(1).hover()
        expect(self.page.locator(".picture > canvas")).to_have_attribute("data-view", "part")
        self.settled()
        one = np.ptp(self.pixels(), axis=-1)
        self.assertGreater(self.place(one, 0.3, 0.4), self.place(one, 0.7, 0.4) + 5)

    def test_an_area_that_is_pointed_at_in_the_list_shows_its_mask(self):
        self.kind("gradient")
        self.draw((0.5, 0.05), (0.5, 0.45))
        self.seen()
        self.page.keyboard.press("Escape")
        self.settled()
        before = self.pixels()
        self.page.get_by_role("group", name="Gradient", exact=True).get_by_role("button").first.hover()
        expect(self.page.locator(".picture > canvas")).to_have_attribute("data-view", "area", timeout=8_000)
        self.settled()
        self.assertLess(np.ptp(self.pixels()[-40:], axis=-1).mean(), 2)
        self.page.mouse.move(640, 20)
        self.settled()
        self.assertLess(np.abs(self.pixels() - before).mean(), 0.5)

    def test_areas_are_copied_kept_and_put_on_again(self):
        self.find("sky")
        self.type("areas.bends.exposure.ev", "-1")
        more = self.page.get_by_role("button", name="More")
        more.click()
        self.page.get_by_role("menuitem", name="Copy it, for any scene").click()
        self.kind("ellipse")
        self.draw((0.5, 0.5), (0.6, 0.6))
        more.click()
        self.page.get_by_role("menuitem", name="Take the copied settings").click()
        self.settled()
        wait_for(lambda: self.document()["areas"][1]["bends"]["exposure.ev"] == -1, text="the settings")
        self.assertEqual(self.document()["areas"][1]["parts"][0]["kind"], "ellipse")
        more.click()
        self.page.get_by_role("menuitem", name="Take the copied mask").click()
        wait_for(lambda: self.document()["areas"][1]["parts"][0]["kind"] == "found", text="the mask")
        name = f"Kept {self.number()}"
        more.click()
        kept = self.page.get_by_label("Keep it as a preset")
        kept.fill(name)
        kept.press("Enter")
        # On another scene, and after a reload, both are there.
        self.page.get_by_role("link", name="Crenn").or_(self.page.locator("a[href='/']")).first.click()
        self.bring_in()
        self.station("Areas")
        before = self.pixels()
        self.page.reload()
        self.settled()
        self.page.get_by_role("button", name="Area presets").click()
        self.page.get_by_role("menuitem", name=name).click()
        expect(self.page.get_by_role("group", name="Ellipse", exact=True)).to_be_visible()
        self.settled()
        self.assertLess(self.place(self.seen(), 0.3, 0.2), 0.85 * self.place(before, 0.3, 0.2))
        self.page.get_by_role("button", name="Area presets").click()
        self.page.get_by_role("menuitem", name="Paste").click()
        wait_for(lambda: len(self.document()["areas"]) == 2, text="the pasted area")
        self.page.get_by_role("button", name="Area presets").click()
        self.page.get_by_role("menuitem", name="Darken lower edge").click()
        wait_for(lambda: len(self.document()["areas"]) == 3, text="the shipped preset")
        self.settled()
        after = self.seen()
        self.page.get_by_role("button", name="Area presets").click()
        self.page.get_by_role("button", name=f"Forget {name}").click()
        expect(self.page.get_by_role("menuitem", name=name)).to_have_count(0)
        self.assertLess(self.place(after, 0.5, 0.97), 0.9 * self.place(before, 0.5, 0.97) + 1)

    def test_what_cannot_be_pasted_is_said_and_nothing_changes(self):
        document = {"format": "crenn-areas", "version": 1, "scene": [1, 0.667]}
        bad = document | {
            "areas": [
                {
                    "name": "x",
                    "on": True,
                    "opacity": 100,
                    "parts": [{"kind": "found", "what": "sky"}],
                    "bends": {"exposure.glow": 1},
                }
            ]
        }
        self.page.evaluate(
            "text => localStorage.setItem('crenn-areas', text)", json.dumps({"state": {"copied": bad}, "version": 0})
        )
        self.page.reload()
        self.settled()
        self.page.get_by_role("button", name="Area presets").click()
        self.page.get_by_role("menuitem", name="Paste").click()
        expect(self.page.get_by_text("exposure.glow")).to_be_visible()
        self.assertEqual(self.document()["areas"], [])

    def test_a_mask_is_written_as_a_file(self):
        # Deliveries of the shared scene are looked at by other tests.
        self.page.goto(self.served.address)
        self.bring_in()
        self.station("Areas")
        self.find("sky")
        self.page.get_by_role("button", name="More").click()
        self.page.get_by_role("menuitem", name="Write its mask as PNG").click()
        self.page.get_by_role("link", name="Deliver", exact=True).click()
        row = self.page.locator(".progress").filter(has_text="Sky.png").first
        link = row.get_by_role("link", name="Download")
        expect(link).to_be_visible(timeout=30_000)
        with self.page.expect_download() as coming:
            link.click()
        mask = cv2.imread(str(coming.value.path()), cv2.IMREAD_UNCHANGED)
        self.assertEqual((mask.shape, mask.dtype), ((320, 480), np.uint16))
        self.assertGreater(int(mask[60, 150]), 65000)
        self.assertLess(int(mask[290, 150]), 600)

    def test_areas_stay_on_what_they_cover_when_the_picture_is_cropped_and_levelled(self):
        self.kind("ellipse")
        self.draw((0.3, 0.3), (0.35, 0.36))
        self.station("Geometry")
        self.draw((1, 1), (0.6, 0.6))
        self.station("Areas")
        mask = self.mask()
        rows, columns = np.nonzero(mask > 128)
        # What lay at 0.3 of the whole lies at half of what is left.
        self.assertAlmostEqual(float(columns.mean()) / mask.shape[1], 0.5, delta=0.03)
        self.assertAlmostEqual(float(rows.mean()) / mask.shape[0], 0.5, delta=0.03)
