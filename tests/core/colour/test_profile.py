"""Tables of hues that a file brings along: what they make of colours, and whole frames that have one."""

import struct
import unittest

import numpy as np

from crenn.core.colorimetry.hue_saturation import _FROM_ROMM, HueSaturationMap
from crenn.core.colorimetry.oklab import apart, hue_of, to_oklab
from crenn.core.colorimetry.spaces import REC2020_TO_SRGB, luminance
from crenn.core.colour.profile import Profile
from crenn.core.frames.raw import read_raw
from crenn.core.merge.merge import merge_frames
from crenn.core.pipeline.scene import SceneLight
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment, parse_treatment
from tests.support import BRACKET, FolderCase, night, take


def table(shift: float = 0.0, saturation: float = 1.0, value: float = 1.0, shape=(1, 12, 4)) -> np.ndarray:
    """Nodes that say the same everywhere, but leave grey as it is."""
    nodes = np.ones((*shape, 3), np.float32) * [shift, saturation, value]
    nodes[:, :, 0] = [0, 1, 1]
    return nodes.astype(np.float32)


COLOURS = np.random.default_rng(1).uniform(0.02, 0.9, (200, 3))


class Table(unittest.TestCase):
    def test_one_that_says_nothing_changes_nothing(self):
        np.testing.assert_allclose(HueSaturationMap(table()).applied(COLOURS), COLOURS, atol=1e-12)
        coded = HueSaturationMap(table(shape=(3, 12, 4)), encoded=True)
        np.testing.assert_allclose(coded.applied(COLOURS), COLOURS, atol=1e-9)

    def test_a_third_of_a_turn_brings_each_colour_to_the_next(self):
        # Deep colours, where the table acts in full: red becomes green, green blue, in the table's own primaries.
        turned = HueSaturationMap(table(shift=120.0)).applied(_FROM_ROMM.T * 0.5)
        np.testing.assert_allclose(turned, np.roll(_FROM_ROMM.T, -1, 0) * 0.5, atol=1e-6)

    def test_level_has_no_say_without_values_and_grey_stays(self):
        nodes = table(shift=15.0, saturation=1.2)
        one, other = (HueSaturationMap(nodes).applied(COLOURS * level) / level for level in (1.0, 0.01))
        np.testing.assert_allclose(one, other, rtol=1e-9)
        grey = np.full((3, 3), 0.4)
        np.testing.assert_allclose(HueSaturationMap(nodes).applied(grey), grey, rtol=2e-3)

    def test_values_are_told_apart_between_nodes(self):
        nodes = table(shape=(2, 6, 2))
        nodes[1, ..., 2] = 2.0
        grey = np.full((1, 3), 0.5)
        self.assertAlmostEqual(float(HueSaturationMap(nodes).applied(grey)[0, 1]), 0.75, places=4)

    def test_written_into_a_report_and_read_again(self):
        nodes = np.random.default_rng(2).uniform(0, 2, (2, 9, 5, 3)).astype(np.float16).astype(np.float32)
        again = HueSaturationMap.from_text(HueSaturationMap(nodes, True).text())
        np.testing.assert_array_equal(again.nodes, nodes)
        self.assertTrue(again.encoded)

    def test_damaged_ones_are_refused(self):
        for text in ("", "1,2,3,0:", "1,12,4,0:!!!", "900000,900,900,0:eJw=", "0,1,1,0:eJw=", "1,1,2"):
            with self.assertRaises(ValueError, msg=text):
                HueSaturationMap.from_text(text)
        for nodes in (np.full((1, 6, 2, 3), np.nan), table(shift=400.0), table(value=-1.0), np.ones((1, 6, 1, 3))):
            with self.assertRaises(ValueError):
                HueSaturationMap(nodes.astype(np.float32))


class Files(FolderCase):
    def test_a_frame_that_has_one_is_shown_by_it_as_far_as_the_dial_says(self):
        paths = take(self.folder, night(), BRACKET, hues=table(shift=25.0, saturation=0.8))
        np.testing.assert_allclose(read_raw(paths[0]).profile[0].nodes, table(shift=25.0, saturation=0.8))
        scene = PreparedScene.from_radiance(merge_frames(paths))
        self.assertTrue(Profile().belongs(scene.light))
        shown = {}
        for amount in (0.0, 50.0, 100.0):
            document = Treatment.neutral().model_dump() | {"profile": {"amount": amount}}
            shown[amount] = Renderer(scene).linear(parse_treatment(document), Window.whole(scene.size))
        light = shown[0.0]
        expected = HueSaturationMap(table(shift=25.0, saturation=0.8)).applied(light)
        lab, true, half = to_oklab(shown[100.0]), to_oklab(expected), to_oklab(shown[50.0])
        plain = to_oklab(light)
        clear = (np.hypot(true[..., 1], true[..., 2]) > 0.1 * true[..., 0]) & ((light @ REC2020_TO_SRGB.T).min(-1) > 0)
        self.assertGreater(clear.mean(), 0.2)
        hues = [hue_of(v[..., 1], v[..., 2])[clear] for v in (plain, half, lab, true)]
        self.assertGreater(np.abs(np.median(apart(hues[3], hues[0]))), 8)
        self.assertLess(np.median(np.abs(apart(hues[2], hues[3]))), 1.0)
        self.assertLess(np.median(np.abs(apart(hues[1], hues[0]))), np.median(np.abs(apart(hues[3], hues[0]))))
        brighter = np.log2(luminance(shown[100.0]) / luminance(expected))[clear]
        self.assertLess(np.abs(np.median(brighter)), 0.03)

    def test_one_of_another_size_than_its_dimensions_is_left_out(self):
        path = take(self.folder, night(), BRACKET[:1], hues=table())[0]
        told, other = struct.pack("<III", 12, 4, 1), struct.pack("<III", 12, 5, 1)
        self.assertEqual(path.read_bytes().count(told), 1)
        path.write_bytes(path.read_bytes().replace(told, other))
        self.assertEqual(read_raw(path).profile, ())

    def test_files_without_one_have_no_such_step(self):
        light = SceneLight.from_report(merge_frames(take(self.folder, night(), BRACKET[:1])).report)
        self.assertFalse(Profile().belongs(light))
        self.assertIsNone(Profile().change(Profile.parameters(), light, False))


if __name__ == "__main__":
    unittest.main()
