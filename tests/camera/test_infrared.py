"""The infrared filter: what it passes, and what exchanging red and blue makes of it."""

import unittest

import numpy as np

from crenn.camera.infrared import recorded, through_filter
from crenn.camera.shoot import scene_named, shoot
from crenn.core.colorimetry.oklab import apart, hue_and_saturation
from crenn.core.colorimetry.spaces import luminance
from crenn.core.errors import CrennError
from crenn.core.radiance import RadianceMap, read_exr
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import parse_treatment
from tests.core.colour.charts import document
from tests.support import FolderCase


class Filtered(unittest.TestCase):
    def test_leaves_become_bright_and_stone_stays(self):
        before, after = scene_named("dam-crest"), through_filter(scene_named("dam-crest"))
        old, new = (np.array(s.solids.looks)[:, 1:4] for s in (before, after))
        leaves = old[:, 1] > 1.08 * np.maximum(old[:, 0], old[:, 2])
        self.assertGreater(leaves.sum(), 40)
        self.assertGreater(new[leaves, 1].min(), 5 * old[leaves].max())
        np.testing.assert_allclose(new[~leaves, 0], old[~leaves, 0])
        self.assertEqual(len(before.solids.planes), len(after.solids.planes))

    def test_sites_beyond_red_get_much_the_same(self):
        sites = recorded(np.array([[[0.0, 1.0, 1.0], [1.0, 0.0, 0.0]]], np.float32))[0]
        self.assertLess(np.ptp(sites[0, 1:]) / sites[0, 1], 0.1)
        self.assertGreater(sites[1, 0], 5 * sites[1, 1])


class Shot(FolderCase):
    def test_the_sky_is_red_beside_grey_leaves_and_blue_once_exchanged(self):
        shot = shoot("dam-crest", self.folder, (240, 160), infrared=True)
        truth = read_exr(shot.truth).rgb
        sky, hill = (slice(5, 30), slice(20, 80)), (slice(74, 86), slice(5, 30))
        hue, saturation = hue_and_saturation(truth[sky].reshape(-1, 3).astype(float).mean(0))
        self.assertLess(abs(float(apart(hue, 30))), 40)
        self.assertLess(hue_and_saturation(truth[hill].reshape(-1, 3).astype(float).mean(0))[1], 0.4 * saturation)
        plain = read_exr(shoot("dam-crest", self.folder / "plain", (240, 160)).truth).rgb
        brighter = luminance(truth[hill]).mean() / luminance(truth[sky]).mean()
        self.assertGreater(brighter, 3 * luminance(plain[hill]).mean() / luminance(plain[sky]).mean())
        renderer = Renderer(PreparedScene.from_radiance(RadianceMap(truth, None)))
        exchanged = renderer.linear(
            parse_treatment(document(channels={"exchange": True})), Window.whole(truth.shape[:2])
        )
        found, _ = hue_and_saturation(exchanged[sky].reshape(-1, 3).astype(float).mean(0))
        self.assertLess(abs(float(apart(found, 264))), 40)

    def test_an_unknown_scene(self):
        with self.assertRaises(CrennError):
            shoot("harbour", self.folder, (64, 64), infrared=True)


if __name__ == "__main__":
    unittest.main()
