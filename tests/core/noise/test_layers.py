"""What is split off and kept: written whole or not at all, mixed by strength, scale and colour; stars left alone."""

import itertools
import unittest
from unittest import mock

import cv2
import numpy as np

from crenn.core.colorimetry.spaces import luminance
from crenn.core.errors import Cancelled, CrennError
from crenn.core.noise.layers import CHANNELS, FURTHER, STARS, TAKEN, NoiseLayers, parts_of, split
from crenn.core.noise.mixing import Strengths, mixed
from crenn.core.noise.stars import stars_in
from crenn.core.pipeline.planes import PlaneContext
from crenn.core.progress import Progress
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene, noise_folder
from tests.support import SCENE_LIGHT, FolderCase

AROUND = PlaneContext(1.0, 600, 1e-4)


def noisy(height: int = 96, width: int = 128, deviation: float = 0.02) -> tuple[np.ndarray, np.ndarray]:
    """Even light with noise, and its sigma."""
    rng = np.random.default_rng(4)
    light = 0.2 + deviation * rng.standard_normal((height, width, 3))
    return light.astype(np.float32), np.full((height, width, 3), deviation, np.float32)


def some_layers(seed: int = 3, shape: tuple[int, int] = (60, 80)) -> np.ndarray:
    out = np.random.default_rng(seed).standard_normal((*shape, CHANNELS)).astype(np.float32)
    out[..., STARS] = 0
    return out


class Splitting(FolderCase):
    def test_what_is_left_and_what_is_taken_are_the_light(self):
        light, sigma = noisy()
        layers = split(light, sigma, SCENE_LIGHT)
        clean = light - layers.levels[0][..., TAKEN]
        self.assertLess(float(clean.std()), 0.3 * float(light.std()))
        self.assertGreater(layers.gains_db[0][0], 6.0)
        self.assertGreaterEqual(layers.gains_db[1][0], layers.gains_db[0][0])

    def test_levels_are_halved_until_small(self):
        light, sigma = noisy(700, 64)
        levels = split(light, sigma, SCENE_LIGHT).levels
        self.assertEqual([level.shape for level in levels], [(700, 64, CHANNELS), (350, 32, CHANNELS)])
        mean = levels[0].astype(np.float32).reshape(350, 2, 32, 2, CHANNELS).mean((1, 3))
        np.testing.assert_allclose(levels[1].astype(np.float32), mean, atol=1e-4)

    def test_levels_of_odd_sizes_and_of_one_row_are_means_too(self):
        for size in ((1, 1100), (531, 40), (1026, 33)):
            light, sigma = noisy(*size)
            levels = split(light, sigma, SCENE_LIGHT).levels
            self.assertEqual(levels[1].shape, (max(size[0] // 2, 1), size[1] // 2, CHANNELS))
            for channel in (0, CHANNELS - 1):
                mean = cv2.resize(
                    levels[0][..., channel].astype(np.float32), levels[1].shape[1::-1], interpolation=cv2.INTER_AREA
                )
                np.testing.assert_allclose(levels[1][..., channel].astype(np.float32), mean, atol=1e-4)

    def test_parts_cover_the_scene_once(self):
        for size in ((4000, 6000), (100, 90), (1, 1), (12000, 300)):
            rows = np.zeros(size[0], int)
            for top, left, height, width in parts_of(size):
                self.assertEqual((left, width), (0, size[1]))
                rows[top : top + height] += 1
            self.assertTrue((rows == 1).all(), size)

    def test_it_can_be_cancelled(self):
        light, sigma = noisy()
        with self.assertRaises(Cancelled):
            split(light, sigma, SCENE_LIGHT, Progress(lambda share, text: False))

    def test_progress_grows_within_each_part_and_it_can_be_cancelled_there(self):
        light, sigma = noisy(192, 192)
        told: list[float] = []
        split(light, sigma, SCENE_LIGHT, Progress(lambda share, text: told.append(share) or True))
        parts = len(list(parts_of((192, 192))))
        self.assertGreaterEqual(len(told), 4 * parts)
        self.assertEqual(told, sorted(told))
        self.assertLessEqual(max(np.diff([0.0, *told, 1.0])), 0.25)
        with self.assertRaises(Cancelled):
            split(light, sigma, SCENE_LIGHT, Progress(lambda share, text: share < 0.2))


class Keeping(FolderCase):
    def scene(self) -> PreparedScene:
        light, sigma = noisy()
        prepared = PreparedScene.from_radiance(RadianceMap(light, sigma))
        prepared.save(self.folder / "scene")
        return PreparedScene.open(self.folder / "scene")

    def test_it_is_found_beside_the_scene(self):
        scene = self.scene()
        self.assertIsNone(scene.noise)
        made = scene.split_noise()
        found = PreparedScene.open(self.folder / "scene").noise
        np.testing.assert_array_equal(found.levels[0], made.levels[0])
        self.assertEqual(found.gains_db, made.gains_db)

    def test_a_scene_that_is_open_finds_it_too(self):
        """As a server does when a worker has split the noise off."""
        served, worked = self.scene(), PreparedScene.open(self.folder / "scene")
        with mock.patch("crenn.core.render.pyramid._PATIENCE", 0.0):
            self.assertIsNone(served.noise)
            worked.split_noise()
            self.assertIsNotNone(served.noise)

    def test_what_is_damaged_counts_as_nothing(self):
        for name, data in (("noise.json", b"{"), ("noise.json", b"{}"), ("level0.npy", b"no array")):
            scene = self.scene()
            scene.split_noise()
            (noise_folder(self.folder / "scene") / name).write_bytes(data)
            with self.subTest(name):
                self.assertIsNone(PreparedScene.open(self.folder / "scene").noise)

    def test_what_belongs_to_another_size_counts_as_nothing(self):
        self.scene()
        NoiseLayers([np.zeros((4, 4, CHANNELS), np.float16)]).save(noise_folder(self.folder / "scene"))
        self.assertIsNone(PreparedScene.open(self.folder / "scene").noise)

    def test_without_room_nothing_is_left_behind(self):
        scene = self.scene()
        full = mock.patch("numpy.save", side_effect=OSError(28, "No space left on device"))
        with full, self.assertRaisesRegex(CrennError, "the disk is full.*Free some space"):
            scene.split_noise()
        self.assertEqual([p.name for p in (self.folder / "scene").iterdir() if p.is_dir()], [])

    def test_what_is_missing_of_a_view_is_told_in_cells(self):
        layers = NoiseLayers.nothing((1000, 1500))
        self.assertEqual(layers.missing((100, 40, 300, 500)), [(96, 32, 320, 512)])
        layers.put((96, 32, 320, 512), np.zeros((320, 512, CHANNELS), np.float16))
        self.assertEqual(layers.missing((100, 40, 300, 500)), [])
        # Moved to the right and down, what has come into view is missing alone, as the rectangle around it.
        self.assertEqual(layers.missing((100, 140, 300, 500)), [(96, 544, 320, 96)])
        # At the scene's edge cells are cut.
        self.assertEqual(layers.missing((900, 1400, 100, 100)), [(896, 1376, 104, 124)])
        layers.put((896, 1376, 104, 124), np.zeros((104, 124, CHANNELS), np.float16))
        self.assertEqual(layers.missing((900, 1400, 100, 100)), [])

    def test_what_is_large_is_cleaned_in_strips(self):
        strips = NoiseLayers.nothing((3000, 4000)).missing((0, 0, 3000, 4000))
        self.assertGreater(len(strips), 5)
        self.assertEqual([strips[0][0], strips[-1][0] + strips[-1][2]], [0, 3000])
        for one, other in itertools.pairwise(strips):
            self.assertEqual(one[0] + one[2], other[0])
        self.assertLessEqual(max(high * wide for _, _, high, wide in strips), 1_700_000)

    def test_parts_in_view_come_first(self):
        scene = self.scene()
        scene.clean_part((10, 20, 40, 50))
        part, whole = scene.noise, split(scene.read(0), scene.plane("sigma"), scene.light)
        self.assertFalse(part.whole)
        departs = np.abs(part.levels[0][10:50, 20:70].astype(np.float32) - whole.levels[0][10:50, 20:70])
        self.assertLess(float(departs.mean()), 1e-4)
        self.assertFalse(part.levels[0][60:].any())
        before = part.key
        scene.clean_part((0, 0, 10, 10))
        self.assertNotEqual(part.key, before, "pictures made of it are made anew")
        scene.split_noise()
        self.assertTrue(scene.noise.whole)


class Mixing(unittest.TestCase):
    def mix(self, layers: np.ndarray, **strengths) -> np.ndarray:
        light = np.full((*layers.shape[:2], 3), 0.3, np.float32)
        return mixed(layers, light, Strengths(**strengths), AROUND).transpose(1, 2, 0)

    def test_strength_is_in_multiples_of_the_noise(self):
        layers = some_layers()
        taken, further = layers[..., TAKEN], layers[..., FURTHER]
        for strength, wanted in ((0, 0 * taken), (0.5, 0.5 * taken), (1, taken), (1.5, taken + 0.5 * further)):
            found = self.mix(layers, luminance=strength, colour=strength)
            np.testing.assert_allclose(found, wanted, atol=2e-6)

    def test_luminance_and_colour_are_taken_apart(self):
        layers = some_layers()
        grey = self.mix(layers, luminance=1.0, colour=0.0)
        colour = self.mix(layers, luminance=0.0, colour=1.0)
        np.testing.assert_allclose(grey + colour, layers[..., TAKEN], atol=2e-6)
        np.testing.assert_allclose(luminance(colour), 0, atol=2e-6)
        np.testing.assert_allclose(grey[..., 0], grey[..., 2], atol=2e-6)

    def test_bands_are_of_their_scale_and_sum_up(self):
        layers = some_layers(shape=(120, 160))
        bands = {
            n: self.mix(layers, **{"fine": 0, "medium": 0, "coarse": 0, n: 1}) for n in ("fine", "medium", "coarse")
        }
        np.testing.assert_allclose(sum(bands.values()), layers[..., TAKEN], atol=1e-5)
        # White noise is mostly fine; smoothed, that of each band falls the less the wider it is.
        falls = [cv2.blur(b, (9, 9)).std() / b.std() for b in bands.values()]
        self.assertLess(falls[0], 0.1)
        self.assertLess(falls[0], falls[1])
        self.assertLess(falls[1], falls[2])

    def test_stars_keep_what_is_theirs(self):
        layers = some_layers()
        layers[20:30, 20:30, STARS] = 1
        self.assertFalse(self.mix(layers)[20:30, 20:30].any())
        self.assertTrue(self.mix(layers, stars=False)[20:30, 20:30].any())

    def test_texture_keeps_its_grain(self):
        layers = 0.01 * some_layers()
        light = np.full((60, 80, 3), 0.3, np.float32)
        light[:, 40:] += 0.1 * np.sign(np.sin(np.arange(40) * 1.5))[None, :, None]
        found = mixed(layers, light + layers[..., TAKEN], Strengths(detail=0.9), AROUND).transpose(1, 2, 0)
        share = [
            luminance(found[p]).std() / luminance(layers[p][..., TAKEN]).std()
            for p in (np.s_[:, 8:30], np.s_[:, 50:72])
        ]
        self.assertGreater(share[0], 0.85)
        self.assertLess(share[1], 0.3)


class Stars(unittest.TestCase):
    def sky(self) -> tuple[np.ndarray, list[tuple[int, int, float]]]:
        rng = np.random.default_rng(8)
        sky = 0.05 + 0.004 * rng.standard_normal((200, 300, 3))
        y, x = np.mgrid[:200, :300]
        stars = [(30, 40, 0.2), (150, 260, 1.5), (90, 120, 0.08), (170, 60, 0.4)]
        for row, column, bright in stars:
            sky += (bright * np.exp(-((x - column) ** 2 + (y - row) ** 2) / 2.2))[..., None] * [0.8, 0.9, 1.0]
        return sky.astype(np.float32), stars

    def found(self, rgb: np.ndarray) -> np.ndarray:
        return stars_in(rgb, np.full_like(rgb, 0.004), (0, 0, *rgb.shape[:2]))

    def test_stars_are_found_and_little_else(self):
        sky, stars = self.sky()
        found = self.found(sky)
        for row, column, _ in stars:
            self.assertGreater(found[row, column], 0.5)
        self.assertLess(float((found > 0.1).mean()), 0.01)

    def test_noise_texture_and_edges_are_none(self):
        rng = np.random.default_rng(9)
        rgb = np.full((160, 200, 3), 0.05, np.float32)
        rgb[:, 100:] += 0.5
        rgb[80:, :100] *= rng.uniform(0.5, 1.5, (80, 100, 1)).astype(np.float32)
        rgb += (0.004 * rng.standard_normal(rgb.shape)).astype(np.float32)
        self.assertLess(float((self.found(rgb) > 0.1).mean()), 0.02)

    def test_a_part_finds_what_the_whole_does(self):
        sky, _ = self.sky()
        part = stars_in(sky, np.full_like(sky, 0.004), (20, 30, 100, 120))
        np.testing.assert_allclose(part[24:-24, 24:-24], self.found(sky)[20:120, 30:150][24:-24, 24:-24], atol=0.02)
