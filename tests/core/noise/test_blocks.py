"""Collaborative filtering: noise goes, what is there stays, and a part comes out as the whole does."""

import unittest

import numpy as np

from crenn.core.noise.blocks import LEAST, STEP, collaborate, energies, spectrum_of


def told(shape: tuple[int, int] = (128, 160), spectrum: np.ndarray | float = 1.0) -> np.ndarray:
    return np.zeros((3, shape[0] // 8 + 1, shape[1] // 8 + 1, 64), np.float32) + np.float32(spectrum)


def white(shape: tuple[int, int] = (128, 160), seed: int = 1) -> np.ndarray:
    return np.random.default_rng(seed).standard_normal((3, *shape)).astype(np.float32)


class Transform(unittest.TestCase):
    def test_energy_is_kept(self):
        planes = white()
        own = energies(planes)
        self.assertAlmostEqual(float(own[0, 0, 0].sum()), float((planes[0, :8, :8] ** 2).sum()), places=2)
        self.assertAlmostEqual(
            float(own[2, 3, 4].sum()),
            float((planes[2, 3 * STEP : 3 * STEP + 8, 4 * STEP : 4 * STEP + 8] ** 2).sum()),
            places=2,
        )

    def test_coefficients_are_those_of_the_cosine_transform(self):
        """Against the definition, on a block of one wave: all energy is in its coefficient."""
        x = np.arange(64) % 8 + 0.5
        plane = np.broadcast_to(np.cos(np.pi * 3 * x / 8), (64, 64)).astype(np.float32)
        own = energies(np.stack([plane] * 3))[0, 0, 0]
        self.assertEqual(int(own.argmax()) // 8, 3, "rows of the result run along columns of the picture")
        self.assertGreater(own.max(), 0.9999 * own.sum())

    def test_white_noise_has_an_even_spectrum(self):
        spectrum = spectrum_of(white((512, 512)))
        self.assertAlmostEqual(float(spectrum.mean()), 1.0, delta=0.02)
        self.assertLess(float(spectrum.std()), 0.05)


class Filtering(unittest.TestCase):
    def test_noise_alone_goes(self):
        clean, stronger = collaborate(white(), told())
        self.assertLess(float(clean.std()), 0.12)
        self.assertLess(float(stronger.std()), float(clean.std()))

    def test_an_edge_stays_sharp(self):
        step = np.zeros((3, 128, 160), np.float32)
        step[:, :, 80:] = 12.0
        clean, _ = collaborate(step + white(), told())
        self.assertLess(float(np.abs(clean - step)[:, 20:-20, 76:84].mean()), 0.25)

    def test_a_texture_stronger_than_noise_stays(self):
        y, x = np.mgrid[:128, :160].astype(np.float32)
        texture = np.stack([4 * np.sin(x / 1.7) * np.cos(y / 2.3)] * 3)
        clean, _ = collaborate(texture + white(), told())
        self.assertGreater(float((clean * texture).sum() / (texture**2).sum()), 0.93)

    def test_the_level_tells_how_much_goes(self):
        planes = white()
        less, _ = collaborate(planes, told(spectrum=0.05))
        self.assertGreater(float(less.std()), 0.5)

    def test_the_spectrum_tells_what_goes(self):
        """Noise told to be in coarse waves only: what is fine is taken for detail and stays."""
        spectrum = np.full((8, 8), 1e-4, np.float32)
        spectrum[:2, :2] = 1.0
        clean, _ = collaborate(white(), told(spectrum=spectrum.ravel()))
        self.assertGreater(float(clean.std()), 0.7)

    def test_without_noise_nothing_changes(self):
        planes = np.cumsum(white(), axis=2)
        clean, stronger = collaborate(planes, told(spectrum=1e-9))
        for found in (clean, stronger):
            np.testing.assert_allclose(found, planes, atol=2e-3)

    def test_a_part_comes_out_as_the_whole(self):
        planes = np.cumsum(white((192, 256)), axis=1) + white((192, 256), 2)
        whole, _ = collaborate(planes, told((192, 256)))
        part, _ = collaborate(np.ascontiguousarray(planes[:, 16:, 40:]), told((176, 216)), (16, 40))
        inside = np.s_[:, 56:-56, 56:-56]
        self.assertLess(float(np.abs(part[inside] - whole[:, 16:, 40:][inside]).max()), 1e-3)


class BadInput(unittest.TestCase):
    def test_what_does_not_fit_is_named(self):
        for planes, variance, word in (
            (white((LEAST - 1, 64)), told((64, 64)), "pixels"),
            (white()[:2], told(), "planes"),
            (white(), told((64, 64)), "cover"),
            (white(), told()[..., :60], "variances"),
        ):
            with self.subTest(word), self.assertRaisesRegex(ValueError, word):
                collaborate(planes, variance)
