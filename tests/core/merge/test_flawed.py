"""What a real sensor does to frames stays out of the picture: brackets, stacks, stars and noise with every flaw."""

import shutil
import tempfile
import unittest
from pathlib import Path

import numpy as np

from crenn.camera.flaws import Flaws
from crenn.camera.sensor import Exposure, Sensor
from crenn.core.merge.merge import merge_frames
from crenn.core.render.pyramid import PreparedScene
from tests.support import night, take

#: Flaws of the sites; what the lens and the air do changes the light itself.
SITES = ("telegraph", "weak", "drift", "glow", "coding")
SKY = np.s_[10:150, 10:-10]


def shot(radiance, exposures, sensor: Sensor, **options):
    """The merge of frames that are deleted at once."""
    folder = Path(tempfile.mkdtemp(prefix="crenn-test-"))
    try:
        return merge_frames(take(folder, radiance, exposures, sensor), **options)
    finally:
        shutil.rmtree(folder, ignore_errors=True)


class Bracket(unittest.TestCase):
    """A night at ISO 3200, whose shortest frame holds a dozen electrons of sky, on a black that drifts by one."""

    @classmethod
    def setUpClass(cls):
        cls.truth = night()
        exposures = [Exposure(s / 32, 8.0, 3200.0) for s in (1 / 16, 1 / 4, 1.0, 4.0)]
        cls.map = shot(cls.truth, exposures, Sensor(flaws=Flaws.some(1.0, SITES)), reference=2)
        cls.error = (cls.map.rgb - cls.truth)[SKY] / cls.map.sigma[SKY]

    def test_exposures_are_measured_though_black_drifts(self):
        found = [f["ev"] for f in self.map.report["frames"]]
        np.testing.assert_allclose(found, [-4, -2, 0, 2], atol=0.04)
        self.assertEqual(self.map.report["warnings"], [])

    def test_light_is_true_and_sigma_predicts_the_error(self):
        ratio = self.map.rgb[SKY].mean((0, 1)) / self.truth[SKY].mean((0, 1))
        np.testing.assert_allclose(ratio, 1.0, atol=0.01)
        np.testing.assert_allclose(self.error.std((0, 1)), 1.0, atol=0.05)

    def test_lone_sites_are_gone(self):
        self.assertLess(float((np.abs(self.error) > 4).mean()), 5e-4)

    def test_noise_reduction_leaves_no_site_standing(self):
        scene = PreparedScene.from_radiance(self.map)
        scene.split_noise()
        clean = self.map.rgb - scene.noise.levels[0][..., :3].astype(np.float32)
        left = ((clean - self.truth)[SKY]) / self.map.sigma[SKY]
        self.assertLess(float(left.std()), 0.25)
        self.assertLess(float((np.abs(left) > 2).mean()), 5e-4)


class HotSites(unittest.TestCase):
    def test_without_darks_they_are_mended_among_the_other_flaws(self):
        lit = np.full((240, 320, 3), 0.02, np.float32)
        sensor = Sensor(hot_share=1e-3, flaws=Flaws.some(1.0, SITES))
        found = shot(lit, [Exposure(20.0, 8.0, 100.0 / 2)], sensor)
        stops = np.abs(np.log2(np.maximum(found.rgb[8:-8, 8:-8, 1], 1e-6) / (0.02 * 10)))
        self.assertLess(float((stops > 0.3).mean()), 5e-4)


if __name__ == "__main__":
    unittest.main()
