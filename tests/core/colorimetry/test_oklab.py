"""Oklab: published values, the way back, and what does not depend on the level of light."""

import unittest

import numpy as np

from crenn.core.colorimetry.oklab import apart, from_oklab, hue_and_saturation, hue_of, to_oklab
from crenn.core.colorimetry.spaces import REC2020_TO_SRGB, XYZ_TO_REC2020

RGB = np.random.default_rng(4).uniform(0.001, 3, (500, 3))


class Oklab(unittest.TestCase):
    def test_published_pairs(self):
        # Ottosson 2020, table of XYZ and Oklab.
        pairs = {
            (0.950, 1.000, 1.089): (1.000, 0.000, 0.000),
            (1.000, 0.000, 0.000): (0.450, 1.236, -0.019),
            (0.000, 1.000, 0.000): (0.922, -0.671, 0.263),
            (0.000, 0.000, 1.000): (0.153, -1.415, -0.449),
        }
        for xyz, lab in pairs.items():
            with self.subTest(xyz=xyz):
                np.testing.assert_allclose(to_oklab(XYZ_TO_REC2020 @ np.array(xyz)), lab, atol=2e-3)

    def test_primaries_of_srgb_have_the_hues_they_are_known_by(self):
        lights = np.linalg.inv(REC2020_TO_SRGB).T
        lab = to_oklab(lights)
        np.testing.assert_allclose(hue_of(lab[:, 1], lab[:, 2]), [29.23, 142.5, 264.05], atol=0.05)
        np.testing.assert_allclose(lab[:, 0], [0.628, 0.8664, 0.452], atol=1e-3)

    def test_the_way_back(self):
        np.testing.assert_allclose(from_oklab(to_oklab(RGB)), RGB, rtol=1e-9, atol=1e-12)

    def test_grey_has_no_chroma_at_all(self):
        lab = to_oklab(np.geomspace(1e-6, 100, 50)[:, None] * np.ones(3))
        self.assertLess(np.abs(lab[:, 1:]).max(), 1e-12)

    def test_hue_and_saturation_do_not_depend_on_the_level(self):
        hue, saturation = hue_and_saturation(RGB)
        for ev in (-9, -2, 5):
            again = hue_and_saturation(RGB * 2.0**ev)
            np.testing.assert_allclose(again[0], hue, atol=1e-9)
            np.testing.assert_allclose(again[1], saturation, atol=1e-9)

    def test_hues_beyond_one_another(self):
        np.testing.assert_allclose(apart(np.array([10.0, 350.0, 190.0]), np.array([350.0, 10.0, 20.0])), [20, -20, 170])


if __name__ == "__main__":
    unittest.main()
