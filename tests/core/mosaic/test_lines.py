"""Patterns of rows and columns: gone from lifted shadows where there are any; nothing touched where there are none."""

import unittest

import numpy as np

from crenn.camera.sensor import Exposure, Sensor
from crenn.core.colorimetry.spaces import luminance
from crenn.core.merge.merge import merge_frames
from crenn.core.mosaic.lines import line_offsets, take_lines
from tests.support import FolderCase, take

SIZE = (480, 640)


def dark(rows: float = 0.0, columns: float = 0.0) -> tuple[np.ndarray, np.ndarray]:
    """Shadows with a slope, an edge and striped texture, noise of deviation 1 and patterns; and the truth."""
    rng = np.random.default_rng(4)
    y, x = np.mgrid[: SIZE[0], : SIZE[1]].astype(np.float32)
    truth = 2 + 0.003 * y + np.where(y > 250, 1.0, 0.0) + np.where((x > 500) & (y // 7 % 2 > 0), 2.0, 0.0)
    lines = rows * rng.standard_normal((SIZE[0], 1)) + columns * rng.standard_normal((1, SIZE[1]))
    return (truth + lines + rng.standard_normal(SIZE)).astype(np.float32), truth.astype(np.float32)


def uneven(light: np.ndarray, axis: int) -> float:
    """Deviation of the means of lines from those around them."""
    means = light.mean(axis)
    return float((means - np.convolve(np.pad(means, 8, "edge"), np.full(17, 1 / 17), "valid")).std())


class Taken(unittest.TestCase):
    def test_without_a_pattern_nothing_is_touched(self):
        light, _ = dark()
        before = light.copy()
        self.assertEqual(take_lines(light, np.ones_like(light)), 0.0)
        np.testing.assert_array_equal(light, before)

    def test_most_of_a_pattern_is_taken(self):
        for rows, columns in ((0.2, 0.0), (0.0, 0.3), (0.25, 0.25)):
            light, truth = dark(rows, columns)
            before = [uneven(light - truth, axis) for axis in (1, 0)]
            told = take_lines(light, np.ones_like(light))
            after = [uneven(light - truth, axis) for axis in (1, 0)]
            for strength, was, now in zip((rows, columns), before, after):
                if strength:
                    self.assertLess(now, 0.5 * was)
                else:
                    self.assertLess(now, was + 0.02)
            self.assertAlmostEqual(told, np.hypot(rows, columns), delta=0.12)

    def test_what_is_bright_keeps_its_light(self):
        light, _ = dark(0.3)
        variance = np.ones_like(light)
        variance[:, 400:] = 9.0
        before = light.copy()
        take_lines(light, variance)
        np.testing.assert_array_equal(light[:, 400:], before[:, 400:])
        self.assertFalse(np.array_equal(light[:, :400], before[:, :400]))

    def test_a_level_edge_of_the_scene_stays(self):
        light, truth = dark(0.2)
        take_lines(light, np.ones_like(light))
        step = light[254:262, :480].mean() - light[240:248, :480].mean()
        self.assertAlmostEqual(step, truth[254:262, :480].mean() - truth[240:248, :480].mean(), delta=0.25)

    def test_noise_that_goes_by_its_own_light_is_no_pattern(self):
        """A field at twice the least variance beside a darker one: sites that noise made darker count as dark."""
        rng = np.random.default_rng(6)
        truth = np.tile(np.float32([[2.0, 4.5], [4.5, 3.2]]), (200, 300))
        truth[:100] /= 12
        light = (rng.poisson(truth) + 2.2 * rng.standard_normal(truth.shape)).astype(np.float32)
        self.assertEqual(take_lines(light, 4.84 + np.maximum(light, 0)), 0.0)

    def test_small_and_bright_mosaics_tell_nothing(self):
        self.assertFalse(line_offsets(np.ones((16, 300), np.float32), np.ones((16, 300), np.float32)).any())
        self.assertFalse(line_offsets(np.ones((300, 20), np.float32), np.ones((300, 20), np.float32)).any())


class InAMerge(FolderCase):
    def test_lifted_shadows_show_no_banding(self):
        light = np.full((*SIZE, 3), 2e-4, np.float32)
        exposures = [Exposure(1 / 64, 8.0, 1600.0), Exposure(1 / 16, 8.0, 1600.0)]
        found = []
        for strength in (0.0, 1.2):
            sensor = Sensor(prnu=0, dsnu=0, hot_share=0, dark_current=0, row_noise=strength, column_pattern=strength)
            merged = merge_frames(take(self.folder / str(strength), light, exposures, sensor))
            told = any("pattern of rows" in w for w in merged.report["warnings"])
            grey = luminance(merged.rgb)
            found.append((told, max(uneven(grey, axis) for axis in (0, 1))))
        self.assertEqual([told for told, _ in found], [False, True])
        # As it was recorded it is ten times as uneven as noise alone.
        self.assertLess(found[1][1], 3 * found[0][1])
