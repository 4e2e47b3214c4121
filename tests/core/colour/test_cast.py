"""Casts: a known one is found by both methods, and taken out by as much as is asked."""

import unittest

import numpy as np

from crenn.core.colorimetry.spaces import luminance
from crenn.core.colour.cast import cast_matrix
from crenn.core.colour.found_cast import asked, find_cast
from crenn.core.errors import CrennError, InvalidTreatment
from crenn.core.render.colour_analysis import cast_of
from crenn.core.render.renderer import Renderer
from crenn.core.treatment import parse_treatment
from tests.core.colour.charts import document, scene_of, treated

EVERYWHERE = np.ones((240, 360), bool)


def village(seed: int = 5) -> np.ndarray:
    """Walls in dull colours of every hue, with texture, a few of them strong, float32 (240, 360, 3)."""
    random = np.random.default_rng(seed)
    base = random.uniform(0.05, 0.5, (12, 18, 1)) * (1 + 0.25 * random.standard_normal((12, 18, 3)))
    base[::5, ::4] *= (1.6, 0.8, 0.3)
    rgb = np.repeat(np.repeat(base, 20, 0), 20, 1) * (1 + 0.08 * random.standard_normal((240, 360, 1)))
    return np.clip(rgb, 0.002, None).astype(np.float32)


def cast_on(rgb: np.ndarray, red: float, blue: float) -> np.ndarray:
    return (rgb * np.exp2([red, 0.0, blue])).astype(np.float32)


class Found(unittest.TestCase):
    def test_both_methods_find_what_a_cast_has_added(self):
        rgb = village()
        for by in ("edges", "dull"):
            before = np.array(find_cast(rgb, EVERYWHERE, by))
            self.assertLess(np.abs(before).max(), 0.1 if by == "dull" else 0.3, by)
            for cast in ((0.5, -0.6), (-0.3, 0.4), (0.8, -1.2)):
                found = np.array(find_cast(cast_on(rgb, *cast), EVERYWHERE, by))
                with self.subTest(by=by, cast=cast):
                    np.testing.assert_allclose(found - before, cast, atol=0.12)

    def test_a_large_coloured_thing_has_no_say_among_dull_colours(self):
        rgb = village()
        rgb[:, :150] = rgb[:, :150].mean(-1, keepdims=True) * (0.2, 0.5, 1.6)
        found = np.array(find_cast(cast_on(rgb, 0.3, -0.3), EVERYWHERE, "dull"))
        np.testing.assert_allclose(found, (0.3, -0.3), atol=0.15)

    def test_methods_differ_where_they_should(self):
        """A smooth strong sky has no edges: they are asked of the rest alone."""
        rgb = village()
        rgb[:140] = np.linspace(0.2, 0.4, 140)[:, None, None] * np.array([0.8, 0.9, 1.15])
        edges = np.array(find_cast(rgb, EVERYWHERE, "edges"))
        np.testing.assert_allclose(edges, find_cast(village()[140:], EVERYWHERE[140:], "edges"), atol=0.1)

    def test_what_says_nothing_is_said(self):
        with self.assertRaises(ValueError):
            find_cast(village(), np.zeros((240, 360), bool), "dull")
        with self.assertRaises(ValueError) as caught:
            find_cast(np.full((60, 60, 3), 0.2, np.float32), np.ones((60, 60), bool), "edges")
        self.assertIn("edges", str(caught.exception))

    def test_tones_are_asked_by_themselves(self):
        rgb = village()
        inside = asked(rgb, -4.0, -2.0)
        stops = np.log2(luminance(rgb))
        self.assertTrue(inside[(stops > -3.9) & (stops < -2.1)].all())
        self.assertFalse(inside[(stops < -5.6) | (stops > -0.4)].any())


class TakenOut(unittest.TestCase):
    def test_all_of_it_half_and_more(self):
        rgb = village()
        seen = cast_on(rgb, 0.4, -0.5)
        for amount in (50, 100, 150):
            after = treated(seen, cast={"red": 0.4, "blue": -0.5, "amount": amount})
            left = np.log2(after / rgb)
            share = 1 - amount / 100
            np.testing.assert_allclose((left[..., 0] - left[..., 1]), 0.4 * share, atol=1e-4)
            np.testing.assert_allclose((left[..., 2] - left[..., 1]), -0.5 * share, atol=1e-4)

    def test_luminance_of_white_stays(self):
        for cast in ((0.5, -0.8), (-1, 1)):
            white = (cast_matrix(*cast, 1.0) @ np.ones(3)).astype(np.float32)
            self.assertAlmostEqual(float(luminance(white)), 1.0, delta=1e-5)

    def test_of_some_tones_alone(self):
        greys = np.broadcast_to(np.geomspace(2**-12, 1, 80)[None, :, None], (2, 80, 3)).astype(np.float32)
        seen = cast_on(greys, 0.4, -0.4)
        after = treated(seen, cast={"red": 0.4, "blue": -0.4, "high": -5.0})
        ratio = np.log2(after[0, :, 0] / after[0, :, 1])
        stops = np.log2(greys[0, :, 0])
        self.assertLess(np.abs(ratio[stops < -5.4]).max(), 0.03)
        np.testing.assert_allclose(ratio[stops > -3], 0.4, atol=0.02)

    def test_tones_that_end_before_they_begin(self):
        with self.assertRaises(InvalidTreatment):
            parse_treatment(document(cast={"low": -2, "high": -6}))


class InAScene(unittest.TestCase):
    def setUp(self):
        rgb = village()
        rgb[:, 180:] = cast_on(rgb[:, 180:], 0.7, -0.7)
        self.renderer = Renderer(scene_of(rgb, 0.01))
        self.treatment = parse_treatment(document())

    def test_a_box_is_asked_alone(self):
        left = cast_of(self.renderer, self.treatment, "dull", (0.0, 0.0, 0.5, 0.6))
        right = cast_of(self.renderer, self.treatment, "dull", (0.5, 0.0, 0.5, 0.6))
        self.assertLess(abs(left[0]), 0.15)
        self.assertAlmostEqual(right[0] - left[0], 0.7, delta=0.2)

    def test_it_is_asked_of_what_enters_not_of_what_was_taken_out(self):
        taken = parse_treatment(document(cast={"red": 0.7, "blue": -0.7}))
        for by in ("edges", "dull"):
            self.assertEqual(cast_of(self.renderer, taken, by), cast_of(self.renderer, self.treatment, by))

    def test_a_box_beyond_the_picture_is_refused(self):
        for box in ((2.0, 0.0, 0.5, 0.5), (0.1, 0.1, 0.001, 0.001)):
            with self.assertRaises(CrennError):
                cast_of(self.renderer, self.treatment, "edges", box)


if __name__ == "__main__":
    unittest.main()
