"""The noise model: told by the file, or estimated from one frame of known noise."""

import unittest

import numpy as np

from crenn.core.mosaic.noise import NoiseModel, estimate_noise

PATTERN = np.array([[0, 1], [1, 2]], np.uint8)
BLACK, WHITE = np.full(3, 512, np.float32), 16383.0
SPAN = WHITE - 512


def shot(light: np.ndarray, slope: float, offset: float, seed: int = 1) -> np.ndarray:
    """Raw numbers of light (H, W), saturation at 1, of a sensor of that noise."""
    rng = np.random.default_rng(seed)
    noisy = light + np.sqrt(slope * np.maximum(light, 0) + offset) * rng.standard_normal(light.shape)
    return np.clip(np.round(512 + noisy * SPAN), 0, WHITE).astype(np.uint16)


def slopes(height: int = 800, width: int = 1200) -> np.ndarray:
    """Smooth light over ten stops."""
    x = np.linspace(-10.5, -0.5, width)
    return np.exp2(np.broadcast_to(x, (height, width)))


class Told(unittest.TestCase):
    def test_variance_is_a_line_in_light(self):
        model = NoiseModel.from_profile([(1e-4, 1e-7), (2e-4, 2e-7), (3e-4, 3e-7)])
        for colour, (slope, offset) in enumerate(((1e-4, 1e-7), (2e-4, 2e-7), (3e-4, 3e-7))):
            np.testing.assert_allclose(
                model.variance(np.array([0.0, 0.5, 1.0]), colour),
                [offset, slope / 2 + offset, slope + offset],
                rtol=1e-5,
            )

    def test_below_black_there_is_read_noise_alone(self):
        model = NoiseModel.from_profile([(1e-4, 1e-7)] * 3)
        self.assertAlmostEqual(float(model.variance(-0.01)), 1e-7, places=12)


class Estimated(unittest.TestCase):
    def close(self, model: NoiseModel, slope: float, offset: float, within: float) -> None:
        """Deviations at all levels of light are right to a share."""
        light = np.exp2(np.linspace(-10, -0.5, 20))
        ratio = np.sqrt(model.variance(light) / (slope * light + offset))
        self.assertLess(np.abs(ratio - 1).max(), within, (float(model.slope[1]), float(model.offset[1])))

    def test_of_smooth_light_over_four_sensors(self):
        for slope, offset in ((4e-5, 1e-7), (2e-4, 1e-6), (1e-3, 1e-5), (2e-5, 2e-8)):
            with self.subTest(slope=slope, offset=offset):
                self.close(estimate_noise(shot(slopes(), slope, offset), PATTERN, BLACK, WHITE), slope, offset, 0.08)

    def test_texture_in_half_of_the_picture_is_not_taken_for_noise(self):
        rng = np.random.default_rng(4)
        light = slopes().copy()
        light[:400] *= np.exp2(0.3 * rng.standard_normal((400, 1200)))
        self.close(estimate_noise(shot(light, 2e-4, 1e-6), PATTERN, BLACK, WHITE), 2e-4, 1e-6, 0.25)

    def test_edges_and_lamps_are_not_taken_for_noise(self):
        light = slopes().copy()
        light[:, ::97] = 0.6
        light[::61] = 0.001
        self.close(estimate_noise(shot(light, 2e-4, 1e-6), PATTERN, BLACK, WHITE), 2e-4, 1e-6, 0.25)

    def test_every_colour_has_the_one_amplifiers_noise(self):
        model = estimate_noise(shot(slopes(), 2e-4, 1e-6), PATTERN, BLACK, WHITE)
        self.assertEqual(len({float(v) for v in model.slope}), 1)
        self.assertEqual(len({float(v) for v in model.offset}), 1)

    def test_without_anything_to_go_by_the_noise_is_a_number(self):
        for mosaic in (
            np.full((64, 64), 512, np.uint16),
            np.full((64, 64), 16383, np.uint16),
            np.zeros((16, 16), np.uint16),
            np.full((400, 400), 4000, np.uint16),
        ):
            model = estimate_noise(mosaic, PATTERN, BLACK, WHITE)
            self.assertTrue(np.isfinite(model.slope).all() and (model.slope > 0).all())
            # Rounding to whole numbers is noise, too.
            self.assertTrue((model.offset >= 0.99 / SPAN**2 / 12).all())
