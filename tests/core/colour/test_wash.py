"""A wash: colours come nearer to one, and lightness stays."""

import unittest

import numpy as np

from crenn.core.colorimetry.oklab import from_oklab, hue_of, to_oklab
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment, parse_treatment


class Washed(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        rng = np.random.default_rng(1)
        lab = np.stack([rng.uniform(0.2, 0.9, (40, 60)), *rng.uniform(-0.08, 0.08, (2, 40, 60))], -1)
        lab[..., 1:] *= lab[..., :1]
        cls.light = from_oklab(lab).astype(np.float32)
        cls.renderer = Renderer(PreparedScene.from_radiance(RadianceMap(cls.light, None)))

    def lab(self, areas=(), **wash) -> np.ndarray:
        document = Treatment.neutral().model_dump() | {"wash": wash} | {"areas": list(areas)}
        return to_oklab(self.renderer.linear(parse_treatment(document), Window.whole((40, 60))).astype(np.float64))

    def test_at_full_all_colours_are_the_one_and_lightness_stays(self):
        before, after = to_oklab(self.light.astype(np.float64)), self.lab(amount=100, hue=70)
        np.testing.assert_allclose(after[..., 0], before[..., 0], rtol=2e-3)
        np.testing.assert_allclose(hue_of(after[..., 1], after[..., 2]), 70, atol=2)
        self.assertLess(np.ptp(np.hypot(after[..., 1], after[..., 2]) / after[..., 0]), 0.02)

    def test_half_way_lies_in_the_middle(self):
        none, half, full = (self.lab(amount=v, hue=250) for v in (0, 50, 100))
        np.testing.assert_allclose(half, (none + full) / 2, atol=5e-3)

    def test_an_area_alone_is_washed_in_a_colour_of_its_own(self):
        left = {"kind": "gradient", "start": [0.45, 0.3], "end": [0.55, 0.3]}
        area = {"parts": [left], "bends": {"wash.amount": 100, "wash.hue": 130}}
        before, after = to_oklab(self.light.astype(np.float64)), self.lab([area])
        np.testing.assert_allclose(hue_of(after[:, :20, 1], after[:, :20, 2]), 200, atol=3)
        np.testing.assert_allclose(after[:, 45:], before[:, 45:], atol=1e-3)


if __name__ == "__main__":
    unittest.main()
