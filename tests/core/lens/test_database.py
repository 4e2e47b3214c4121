"""The lens database: what is found, what is not, and that its models are followed."""

import unittest

import lensfunpy
import numpy as np

from crenn.camera.glass import Glass
from crenn.core.errors import CrennError
from crenn.core.lens.database import lens_of, profile_of, search
from crenn.core.lens.profile import radii
from crenn.core.pipeline.scene import Capture

SIZE = (2000, 3000)
HALF = float(np.hypot(1500, 1000))


def told(lens: str = Glass.name, focal_length: float | None = 29.0, aperture: float | None = 8.0) -> Capture:
    return Capture("Crenn", "Simulated camera T1", lens, focal_length, aperture)


class Found(unittest.TestCase):
    def test_by_what_the_frames_tell(self):
        found = lens_of(None, told())
        self.assertEqual(found.name, "Crenn " + Glass.name)
        self.assertEqual(found.focal_lengths, (20.0, 35.0))
        self.assertTrue(found.distortion and found.fringes and found.falloff)

    def test_a_lens_of_other_numbers_is_another_lens(self):
        for name in ("Simulated 24 mm f/2.8", "Simulated 20-35 mm f/4 W", "", "no lens at all"):
            self.assertIsNone(lens_of(None, told(name)), name)
        self.assertIsNone(lens_of(None, Capture()))
        self.assertIsNone(lens_of("", told()))

    def test_a_camera_with_one_lens_of_its_own_needs_no_name(self):
        cameras = [c for c in lensfunpy.Database(load_common=False).cameras if c.mount and c.mount[0].islower()]
        found = [lens_of(None, Capture(camera.maker, camera.model)) for camera in cameras]
        self.assertGreater(sum(lens is not None for lens in found), len(cameras) / 2)
        # One whose lens can be taken off does need one.
        others = [c for c in lensfunpy.Database(load_common=False).cameras if c.mount and c.mount[0].isupper()]
        self.assertTrue(all(lens_of(None, Capture(c.maker, c.model)) is None for c in others[:40]))

    def test_by_words_in_any_order_and_case(self):
        names = [lens.name for lens in search("W simulated 20-35", Capture())]
        self.assertEqual(names, ["Crenn " + Glass.name])
        self.assertEqual(search("no such lens 3-4 mm", Capture()), [])

    def test_lenses_that_fit_come_first(self):
        found = search("", told())
        self.assertEqual(found[0].name, "Crenn " + Glass.name)
        self.assertTrue(found[0].fits and not found[1].fits)
        self.assertEqual(len(found), 40)

    def test_every_lens_has_a_profile_that_can_be_used(self):
        # A third of the list, those that know most: none may fail or say what no lens does.
        for lens in search("f/2.8", Capture(), 400)[::3]:
            profile = profile_of(lens.name, lens.focal_lengths[0], 5.6, Capture(), SIZE)
            with self.subTest(lens=lens.name):
                within = radii() <= 1
                self.assertTrue(np.isfinite(profile.drawn).all() and np.isfinite(profile.falloff[within]).all())
                self.assertLess(np.abs(profile.drawn[:, within] - 1).max(), 0.5)
                self.assertLess(np.abs(profile.falloff[within]).max(), 6)


class Followed(unittest.TestCase):
    """The simulated zoom is computed from its definition in the camera: the profile must say the same."""

    def test_distortion_and_lateral_colour_at_any_focal_length(self):
        middle = np.array([SIZE[1] - 1, SIZE[0] - 1]) / 2
        way = middle / np.hypot(*middle)
        within = radii() <= 1
        for focal_length in (20.0, 23.3, 29.0, 35.0):
            profile = profile_of(None, focal_length, 8.0, told(), SIZE)
            places = middle + radii()[:, None] * HALF * way
            for channel in range(3):
                drawn = np.hypot(*(Glass(focal_length, SIZE[::-1]).drawn(places, channel) - middle).T)
                off = np.abs(drawn - radii() * HALF * profile.drawn[channel])[within].max()
                with self.subTest(focal_length=focal_length, channel=channel):
                    self.assertLess(off, 0.01)

    def test_falloff_at_any_aperture(self):
        y, x = np.mgrid[: SIZE[0], : SIZE[1]]
        radius = np.hypot(x - 1499.5, y - 999.5)[::40, ::40] / HALF
        for aperture, most in ((2.8, 0.02), (3.4, 0.04), (8.0, 0.005), (16.0, 0.005)):
            profile = profile_of(None, 29.0, aperture, told(), SIZE)
            truth = -np.log2(Glass(29.0, SIZE[::-1]).transmission(aperture))[::40, ::40]
            off = np.abs(profile.falloff_at(radius.ravel()) - truth.ravel()).max()
            with self.subTest(aperture=aperture):
                self.assertLess(off, most)

    def test_a_part_of_the_sensor_is_no_smaller_sensor(self):
        whole = profile_of(None, 29.0, 8.0, told(), SIZE)
        cut = Capture("Crenn", "Simulated camera T1", Glass.name, 29.0, 8.0, part=(0.1, 0.0, 0.5, 1.0))
        np.testing.assert_array_equal(profile_of(None, 29.0, 8.0, cut, (2000, 1500)).drawn, whole.drawn)

    def test_without_an_aperture_nothing_is_said_of_the_falloff(self):
        profile = profile_of(None, 29.0, None, told(), SIZE)
        self.assertTrue(profile.moves)
        self.assertFalse(profile.falloff.any())


class Refused(unittest.TestCase):
    def test_a_lens_that_is_not_there(self):
        with self.assertRaisesRegex(CrennError, "no lens “Nobody's 12 mm”"):
            profile_of("Nobody's 12 mm", 12.0, 4.0, told(), SIZE)

    def test_a_zoom_whose_focal_length_nobody_knows(self):
        with self.assertRaisesRegex(CrennError, "focal length"):
            profile_of("Crenn " + Glass.name, None, 4.0, told(), SIZE)
        # Nobody chose the one that was found: it is left alone.
        self.assertFalse(profile_of(None, None, 4.0, told(), SIZE).moves)
