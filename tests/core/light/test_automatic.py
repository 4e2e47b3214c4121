"""Automatic light: night stays night, by the luminance that the frames tell."""

import unittest
from dataclasses import replace

import cv2
import numpy as np
import tifffile

from crenn.core.colorimetry.spaces import lightness, luminance, srgb_decode
from crenn.core.errors import CrennError
from crenn.core.light.automatic import automatic_light, key_of, night_ev
from crenn.core.merge.merge import merge_frames
from crenn.core.pipeline.scene import Capture, SceneLight
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.report.merging import light_statistics
from crenn.core.starts.starts import STARTS, start_values
from crenn.core.treatment import Treatment, parse_treatment
from tests.support import FolderCase, night


def scene(seconds: float | None, light: np.ndarray | None = None) -> PreparedScene:
    """A night, shot with such an exposure: the longer, the darker it was."""
    rgb = night() if light is None else light
    report = {} if seconds is None else {"capture": {"seconds": seconds, "aperture": 8.0, "iso": 100.0}}
    return PreparedScene.from_radiance(RadianceMap(rgb, rgb * 0.01 + 1e-5, report=report))


def shown(prepared: PreparedScene, treatment: Treatment | None = None) -> tuple[np.ndarray, np.ndarray]:
    """L* of the picture, and its limits."""
    codes, limits = Renderer(prepared).picture(treatment or Treatment(), Window.whole(prepared.size))
    return lightness(luminance(srgb_decode(codes / 255.0))), limits


class Luminance(unittest.TestCase):
    def test_saturation_by_the_standard(self):
        # 78 / (0.65 × 100) lx s at f/8 and a second: ISO 12232.
        self.assertAlmostEqual(Capture(aperture=8.0, seconds=1.0, iso=100.0).saturation, 76.8)
        self.assertAlmostEqual(Capture(aperture=2.8, seconds=15.0, iso=3200.0).saturation, 0.0196)
        for missing in ({"aperture": None}, {"seconds": None}, {"iso": None}):
            self.assertIsNone(replace(Capture(aperture=8.0, seconds=1.0, iso=100.0), **missing).saturation)

    def test_a_grey_card_in_sunlight(self):
        # By "sunny 16", 1/100 s at f/16 and ISO 100 puts a grey card of about 4000 cd/m² an eighth below saturation.
        saturation = Capture(aperture=16.0, seconds=0.01, iso=100.0).saturation
        self.assertAlmostEqual(saturation * 0.128, 4000, delta=200)

    def test_the_key_is_the_published_one(self):
        for luminance_, key in ((0.0, 0.03), (9.0, 1.03 - 2 / 3), (99.0, 0.53), (9999.0, 1.03 - 2 / 6)):
            self.assertAlmostEqual(key_of(luminance_), key)

    def test_nothing_is_darkened_that_is_bright_or_unknown(self):
        self.assertEqual(night_ev(None), 0.0)
        self.assertEqual(night_ev(10.0), 0.0)
        self.assertEqual(night_ev(5000.0), 0.8)
        falls = [night_ev(10.0**-k) for k in range(6)]
        self.assertEqual(falls, sorted(falls, reverse=True))
        self.assertGreater(falls[-1], -4)


class Nights(unittest.TestCase):
    def test_the_darker_it_was_the_darker_it_is_shown(self):
        bulks, medians, clipped = [], [], []
        for seconds in (1, 8, 64, 512):
            tone, limits = shown(scene(seconds))
            bulks.append(float(tone.mean()))
            medians.append(float(np.median(tone)))
            clipped.append(limits & 7 > 0)
        for values in (bulks, medians):
            self.assertEqual(values, sorted(values, reverse=True))
            self.assertGreater(values[0] - values[-1], 8)
            # Gently: never by more than a fifth of the scale for an eighth of the light, and never to nothing.
            self.assertLess(-min(np.diff(values)), 20)
            self.assertGreater(values[-1], 4)
        for darker in clipped[1:]:
            self.assertFalse((darker & ~clipped[0]).any())

    def test_without_metadata_it_is_as_bright_as_a_city(self):
        bulk = scene(None).light.bulk()
        # An exposure that makes the bulk of it 10 cd/m².
        street = scene(76.8 * 2**bulk / 10)
        self.assertEqual(automatic_light(scene(None).light), automatic_light(street.light))

    def test_what_is_in_the_dark_can_still_be_seen(self):
        tone, _ = shown(scene(512))
        self.assertGreater(np.percentile(tone, 90) - np.percentile(tone, 10), 5)

    def test_highlights_are_held_gently(self):
        lit = night()
        lit[250:300, 100:200] = 30.0
        found = automatic_light(scene(8, lit).light)
        self.assertGreaterEqual(found.highlights, -4.0)


def _light_of(rgb: np.ndarray, noise: np.ndarray | None = None) -> SceneLight:
    return SceneLight.from_report(light_statistics(rgb, noise, None))


class Kinds(FolderCase):
    """Scenes of other kinds: nothing but a disc, noise, deep colours, finished pictures."""

    def test_a_bright_disc_before_nothing_stays_below_white(self):
        rng = np.random.default_rng(1)
        y, x = np.mgrid[:400, :600]
        disc = (y - 180) ** 2 + (x - 300) ** 2 < 60**2
        grain = cv2.GaussianBlur(rng.standard_normal(disc.shape).astype(np.float32), (0, 0), 2)
        for sky in (-10.0, -8.0):
            with self.subTest(sky=sky):
                stops = np.where(disc, 0.4 * grain / grain.std() - 2.0, sky)
                rgb = np.repeat(np.exp2(stops)[..., None], 3, -1).astype(np.float32)
                noise = np.full_like(rgb, 2.0**-9)
                rgb += noise * rng.standard_normal(rgb.shape).astype(np.float32)
                scene = PreparedScene.from_radiance(RadianceMap(rgb, noise))
                codes, _ = Renderer(scene).picture(parse_treatment({"noise": {"on": False}}), Window.whole(disc.shape))
                tones = lightness(luminance(srgb_decode(codes / 255.0)))
                self.assertLess(float(np.quantile(tones[disc], 0.95)), 95)
                self.assertGreater(float(np.median(tones[disc])), 40)
                self.assertGreater(float(np.ptp(np.quantile(tones[disc], (0.1, 0.9)))), 8)

    def test_what_is_noise_alone_says_nothing(self):
        rng = np.random.default_rng(2)
        rgb = night()
        noise = np.full_like(rgb, 0.02)
        rgb[200:] = 0.0
        rgb += noise * rng.standard_normal(rgb.shape).astype(np.float32)
        light = _light_of(rgb, noise)
        above = _light_of(rgb[:190], noise[:190])
        self.assertLess(light.seen, 0.75)
        self.assertAlmostEqual(light.bulk(), above.bulk(), delta=0.5)

    def test_deep_colours_are_not_lifted_until_they_pale(self):
        grey = night()
        blue = grey * np.array([0.05, 0.02, 1.0], np.float32)
        blue *= (luminance(grey) / luminance(blue))[..., None]
        plain, deep = automatic_light(_light_of(grey)), automatic_light(_light_of(blue))
        self.assertLess(deep.exposure, plain.exposure - 1.0)

    def test_a_finished_picture_goes_out_as_it_came_in(self):
        rng = np.random.default_rng(3)
        codes = cv2.resize(rng.integers(0, 256, (40, 60, 3), np.uint8), (240, 160), interpolation=cv2.INTER_CUBIC)
        path = self.folder / "finished.tif"
        tifffile.imwrite(path, codes.astype(np.uint16) * 257, photometric="rgb")
        scene = PreparedScene.from_radiance(merge_frames([path]))
        found, _ = Renderer(scene).picture(parse_treatment({"noise": {"on": False}}), Window.whole(scene.size))
        off = np.abs(found.astype(int) - codes)[4:-4, 4:-4]
        self.assertLess(float(off.mean()), 0.6)


class Starts(unittest.TestCase):
    def test_even_does_not_know_the_night(self):
        dark, bright = scene(512), scene(1 / 2)
        self.assertEqual(start_values(dark.light, "even"), start_values(bright.light, "even"))

    def test_the_first_is_what_is_automatic(self):
        prepared = scene(8)
        first = start_values(prepared.light, next(iter(STARTS)))
        one, _ = shown(prepared)
        other, _ = shown(prepared, Treatment().started(first))
        np.testing.assert_allclose(one, other, atol=0.6)

    def test_dramatic_keeps_the_dark_black(self):
        prepared = scene(8)
        quiet, _ = shown(prepared)
        dramatic, _ = shown(prepared, Treatment().started(start_values(prepared.light, "dramatic")))
        self.assertLess(np.percentile(dramatic, 5), np.percentile(quiet, 5))

    def test_what_was_set_by_hand_stays(self):
        treatment = parse_treatment({"exposure": {"ev": 1.25}})
        started = treatment.started(start_values(scene(8).light, "even"))
        self.assertEqual(started.exposure.ev, 1.25)
        self.assertIsNotNone(started.ends.white)

    def test_one_that_is_not_there(self):
        with self.assertRaisesRegex(CrennError, "no starting point “noon”"):
            start_values(scene(1).light, "noon")


class Reports(unittest.TestCase):
    def test_of_earlier_versions_tell_nothing(self):
        light = SceneLight.from_report(
            {"histogram": [1.0], "histogram_start": -4, "histogram_bin": 0.125, "noise_horizon": -9}
        )
        self.assertIsNone(light.luminance)
