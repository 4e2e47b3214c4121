"""The scale on which noise is even, and the way back."""

import unittest

import numpy as np

from crenn.core.noise.stabilise import Stabiliser


def variance(light: np.ndarray) -> np.ndarray:
    """Of a sensor: photon and read noise."""
    return 2e-3 * np.maximum(light, 0) + 4e-6


def of_sensor() -> Stabiliser:
    light = np.random.default_rng(1).exponential(0.1, 60000)
    return Stabiliser(light, variance(light))


class Evenness(unittest.TestCase):
    def test_noise_has_a_deviation_of_one_at_every_level(self):
        scale, rng = of_sensor(), np.random.default_rng(2)
        # In the dark, where the deviation changes much within itself, only nearly so.
        for mean, within in ((0.0, 0.15), (0.003, 0.13), (0.02, 0.08), (0.1, 0.08), (0.5, 0.08)):
            noisy = mean + np.sqrt(variance(np.float64(mean))) * rng.standard_normal(40000)
            self.assertAlmostEqual(
                float(scale.stable(noisy.astype(np.float32)).std()), 1.0, delta=within, msg=f"{mean}"
            )

    def test_it_grows_by_one_over_the_deviation(self):
        scale = of_sensor()
        for light in (0.01, 0.1, 0.4):
            self.assertAlmostEqual(float(scale.rate(light) * np.sqrt(variance(np.float64(light)))), 1.0, delta=0.06)

    def test_the_way_back_is_unbiased(self):
        """The mean of noisy light on the scale comes back as the mean of the light, also where noise rules."""
        scale, rng = of_sensor(), np.random.default_rng(3)
        for mean in (0.0, 0.001, 0.004, 0.05, 0.3):
            deviation = np.sqrt(variance(np.float64(mean)))
            noisy = (mean + deviation * rng.standard_normal(200000)).astype(np.float32)
            back = scale.light(np.float32([scale.stable(noisy).mean()]))[0]
            self.assertAlmostEqual(float(back), mean, delta=0.06 * deviation, msg=f"{mean}")

    def test_it_goes_on_far_beyond_what_was_sampled(self):
        scale = of_sensor()
        light = np.float32([-0.05, 0.0, 1.0, 1.4])
        np.testing.assert_allclose(scale.light(scale.stable(light)), light, atol=3e-3)
        self.assertTrue((np.diff(scale.stable(np.linspace(-1, 3, 1000, dtype=np.float32))) >= 0).all())

    def test_other_colours_may_be_far_brighter(self):
        """A red lamp has much less green, by which the scale was found."""
        light = np.float32([0.3, 2.0, 40.0, 900.0])
        known = np.linspace(0, 0.1, 500)
        for scale in (Stabiliser(known, variance(known), 40.0), Stabiliser(known, variance(known))):
            found = scale.stable(light)
            self.assertTrue((np.diff(found) > 1).all())
        scale = Stabiliser(known, variance(known), 40.0)
        np.testing.assert_allclose(scale.light(scale.stable(light[:3])), light[:3], rtol=0.01)

    def test_one_level_of_light_is_enough(self):
        scale = Stabiliser(np.full(10, 0.2), np.full(10, 1e-4))
        self.assertAlmostEqual(float(scale.rate(0.2)), 100.0, delta=1.0)


class BadInput(unittest.TestCase):
    def test_no_samples_tell_no_noise(self):
        for light, var in ((np.empty(0), np.empty(0)), (np.ones(3), np.ones(2))):
            with self.assertRaisesRegex(ValueError, "samples"):
                Stabiliser(light, var)
