"""Areas: how parts make a mask, what an area may bend, and what it bends in the picture."""

import unittest

import numpy as np

from crenn.core.areas.area import FULL, MOST_AREAS, Area
from crenn.core.colorimetry.spaces import MIDDLE_GREY
from crenn.core.errors import InvalidTreatment
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment, parse_treatment
from tests.core.areas.scenery import shares
from tests.support import night

Y, X = (v.astype(np.float32) / 300 for v in np.mgrid[:200, :300])
LEFT = {"kind": "gradient", "start": [0.3, 0.0], "end": [0.5, 0.0]}
DISC = {"kind": "ellipse", "centre": [0.4, 0.3], "radii": [0.1, 0.15], "feather": 0.3}


def share(*parts: dict, about: dict | None = None) -> np.ndarray:
    """Mask 0–1 of an area of parts."""
    area = Area.model_validate({"parts": list(parts)} | (about or {}))
    return area.mask(lambda part: shares(part, X, Y), X.shape) / float(FULL)


class Masks(unittest.TestCase):
    def setUp(self):
        self.left, self.disc = share(LEFT), share(DISC)

    def test_parts_add_take_away_and_meet(self):
        a, b = self.left, self.disc
        for mode, wanted in (("add", a + b - a * b), ("subtract", a * (1 - b)), ("intersect", a * b)):
            with self.subTest(mode=mode):
                np.testing.assert_allclose(share(LEFT, DISC | {"mode": mode}), wanted, atol=5e-5)

    def test_outside_is_the_rest(self):
        np.testing.assert_allclose(share(DISC | {"invert": True}), 1 - self.disc, atol=5e-5)
        np.testing.assert_allclose(
            share(LEFT, DISC | {"mode": "intersect", "invert": True}), self.left * (1 - self.disc), atol=5e-5
        )

    def test_a_first_part_that_takes_away_does_so_from_everything(self):
        np.testing.assert_allclose(share(DISC | {"mode": "subtract"}), 1 - self.disc, atol=5e-5)

    def test_a_part_that_is_off_takes_no_part(self):
        np.testing.assert_array_equal(share(LEFT, DISC | {"on": False}), self.left)
        self.assertEqual(share(LEFT | {"on": False}).max(), 0)

    def test_opacity_is_how_far_all_of_it_acts(self):
        np.testing.assert_allclose(share(LEFT, DISC, about={"opacity": 40}), 0.4 * share(LEFT, DISC), atol=5e-5)

    def test_a_copy_with_other_values_has_a_key_of_its_own(self):
        area = Area.model_validate({"parts": [LEFT, DISC], "opacity": 50})
        self.assertEqual(len({area.key, area.opaque.key, area.alone("p1").key, area.alone("p2").key}), 4)
        self.assertIsNone(area.alone("p3"))

    def test_masks_tell_their_parts_apart(self):
        keys = {Area.model_validate({"parts": parts}).key for parts in ([LEFT], [DISC], [LEFT, DISC], [DISC, LEFT])}
        self.assertEqual(len(keys), 4)
        one, other = (Area.model_validate({"parts": [LEFT], "name": n, "bends": {}}) for n in "ab")
        self.assertEqual(one.key, other.key)


class Documents(unittest.TestCase):
    def refused(self, area: dict | None = None, count: int = 1) -> str:
        with self.assertRaises(InvalidTreatment) as caught:
            parse_treatment({"areas": [{"parts": [LEFT]} | (area or {})] * count})
        return str(caught.exception)

    def test_what_cannot_be_is_named(self):
        self.assertIn("no dial “exposure.glow”", self.refused({"bends": {"exposure.glow": 1}}))
        self.assertIn("no dial “placement.reach”", self.refused({"bends": {"placement.reach": 1}}))
        self.assertIn("-6 to 6, not 99", self.refused({"bends": {"exposure.ev": 99}}))
        self.assertIn("areas.0.bends", self.refused({"bends": {"exposure.ev": float("nan")}}))
        self.assertIn("areas.0.parts", self.refused({"parts": []}))
        self.assertIn("areas.0.parts.0", self.refused({"parts": [LEFT | {"end": [0.3, 0.0]}]}))
        self.assertIn("areas.0.parts.0", self.refused({"parts": [LEFT | {"end": [1e9, 0.0]}]}))
        self.assertIn("areas.0.parts.0", self.refused({"parts": [{"kind": "star"}]}))
        self.assertIn("areas.0.name", self.refused({"name": "a\nb"}))
        self.assertIn("areas", self.refused(count=MOST_AREAS + 1))
        self.assertIn("areas.0.parts", self.refused({"parts": [LEFT] * 1000}))
        self.assertIn("areas.0.opacity", self.refused({"opacity": 101}))


class Bending(unittest.TestCase):
    """An area on the left third of a picture that is otherwise left alone."""

    @classmethod
    def setUpClass(cls):
        cls.rgb = night()
        cls.renderer = Renderer(PreparedScene.from_radiance(RadianceMap(cls.rgb, None)))
        cls.whole = Window.whole(cls.rgb.shape[:2])
        cls.inside = np.arange(480) / 480 < 0.29
        cls.outside = np.arange(480) / 480 > 0.51

    def light(self, bends: dict, **sections) -> np.ndarray:
        neutral = {
            "exposure": {"ev": 0.0},
            "tone": {"contrast": 1.0},
            "placement": {"shadows": 0.0, "highlights": 0.0, "local": 1.0},
        }
        document = Treatment.neutral().model_dump() | {n: v | {"on": True} for n, v in (neutral | sections).items()}
        document["areas"] = [{"parts": [LEFT], "bends": bends}]
        return self.renderer.linear(parse_treatment(document), self.whole)

    def test_exposure_brightens_within_by_its_stops_and_nothing_without(self):
        ratio = np.log2(self.light({"exposure.ev": 1.5}) / self.rgb)
        np.testing.assert_allclose(ratio[:, self.inside], 1.5, atol=1e-4)
        np.testing.assert_allclose(ratio[:, self.outside], 0, atol=1e-6)
        across = ratio[100, :, 1]
        self.assertTrue((np.diff(across) <= 1e-5).all())

    def test_temperature_shifts_by_mired_within(self):
        sections = {"white_balance": {"temperature": 5000.0, "tint": 0.0, "on": True}}
        plain, warm = self.light({}, **sections), self.light({"white_balance.temperature": 50.0}, **sections)
        np.testing.assert_allclose(warm[:, self.outside], plain[:, self.outside], rtol=1e-5)
        # As if the whole picture had been balanced 50 mired away.
        there = 1e6 / (1e6 / 5000.0 + 50.0), 1e6 / (1e6 / 5000.0 - 50.0)
        moved = [self.light({}, white_balance={"temperature": t, "tint": 0.0, "on": True}) for t in there]
        off = [np.abs(np.log2(m / warm))[:, self.inside][self.rgb[:, self.inside] > 0.02].max() for m in moved]
        self.assertLess(min(off), 0.02)
        ratio = (warm / plain)[:, self.inside].mean((0, 1))
        self.assertGreater(abs(ratio[0] / ratio[2] - 1), 0.1)

    def test_contrast_steepens_within_about_the_tone_that_stays(self):
        tone = {"tone": {"contrast": 1.0, "pivot": MIDDLE_GREY}}
        bent = self.light({"tone.contrast": 1.5}, **tone)
        plain = self.light({}, **tone)
        weights = np.array([0.2627, 0.678, 0.0593])
        before, after = (np.log2(v[:, self.inside] @ weights) for v in (plain, bent))
        grey = MIDDLE_GREY
        middle = np.abs(before - grey) < 3
        np.testing.assert_allclose((after - grey)[middle], 1.5 * (before - grey)[middle], atol=0.02)
        np.testing.assert_allclose(bent[:, self.outside], plain[:, self.outside], rtol=1e-6)

    def test_relief_is_stretched_within(self):
        bent = self.light({"relief.fine": 2.0}, relief={"fine": 1.0})
        plain = self.light({}, relief={"fine": 1.0})
        np.testing.assert_allclose(bent[:, self.outside], plain[:, self.outside], rtol=1e-6)
        ground = np.s_[230:300, :130]
        self.assertGreater(np.log2(bent[ground]).std() / np.log2(plain[ground]).std(), 1.08)

    def test_two_areas_over_one_place_add_up(self):
        document = Treatment.neutral().model_dump() | {"exposure": {"on": True, "ev": 0.0}}
        document["areas"] = [{"parts": [LEFT], "bends": {"exposure.ev": ev}} for ev in (1.0, -0.25)]
        light = self.renderer.linear(parse_treatment(document), self.whole)
        np.testing.assert_allclose(np.log2(light / self.rgb)[:, self.inside], 0.75, atol=1e-4)

    def test_a_mask_lies_on_the_scene_whatever_the_frame(self):
        bends = {"exposure.ev": 2.0}
        document = Treatment.neutral().model_dump() | {"exposure": {"on": True, "ev": 0.0}}
        document["areas"] = [{"parts": [DISC], "bends": bends}]
        plain = self.renderer.linear(parse_treatment(document), self.whole)
        for geometry in (
            {"level": {"angle": 8.0}, "crop": {"on": False}},
            {"crop": {"ratio": "free", "centre": [0.4, 0.3], "width": 0.5, "height": 0.4}},
        ):
            treatment = parse_treatment(document | geometry)
            frame = self.renderer.frame(treatment)
            framed = self.renderer.linear(treatment, Window.whole(frame.size))
            # Places of the sky, where neighbours are alike: what the mask does there is the same.
            for place in ((0.33, 0.2), (0.4, 0.28), (0.45, 0.25)):
                x, y = frame.of_shares(np.array([place]))[0]
                there = framed[int(y), int(x), 1] / plain[int(place[1] * 480), int(place[0] * 480), 1]
                with self.subTest(**geometry, place=place):
                    self.assertAlmostEqual(float(there), 1.0, delta=0.03)
