"""Series: which scenes are one, their light over time, treatments between keys, and films."""

import subprocess
import unittest
from datetime import datetime, timedelta
from unittest import mock

import cv2
import numpy as np

from crenn.core.colorimetry.spaces import lightness, luminance
from crenn.core.errors import CrennError
from crenn.core.frames.intervals import LEAST, Moment, find_series
from crenn.core.progress import Progress
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.series.film import Film, film_at
from crenn.core.series.light import light_curve, smoothed
from crenn.core.series.treating import SeriesLight, picture_of, write_film
from crenn.core.treatment import Treatment, parse_treatment
from tests.support import FolderCase, night

START = datetime(2026, 10, 18, 5, 30)


def moments(count: int, every: float = 20.0, **changes) -> list[Moment]:
    """Brackets of three at even intervals."""
    about = {"camera": "T1", "frames": (-4.0, 0.0, 4.0), "view": (480, 320, 24.0)} | changes
    return [Moment(START + timedelta(seconds=every * i), **about) for i in range(count)]


class Intervals(unittest.TestCase):
    def test_brackets_at_even_intervals_are_one_series(self):
        jittered = [
            Moment(m.taken + timedelta(seconds=2 * (i % 3)), m.camera, m.frames, m.view)
            for i, m in enumerate(moments(30))
        ]
        (found,) = find_series(jittered)
        self.assertEqual(found.members, tuple(range(30)))
        self.assertAlmostEqual(found.interval, 20, delta=2)
        self.assertEqual((found.missing, found.set_back), ((), ()))

    def test_what_differs_ends_a_series_and_few_are_none(self):
        self.assertEqual(find_series(moments(LEAST - 1)), [])
        later = [Moment(m.taken + timedelta(hours=1), "T1", (-2.0, 0.0), (480, 320, 50.0)) for m in moments(10)]
        unknown = Moment(None, "T1", (-4.0, 0.0, 4.0), (480, 320, 24.0))
        found = find_series([*moments(12), unknown, *later])
        self.assertEqual([len(s.members) for s in found], [12, 10])
        # Scenes taken one by one at no interval are no series.
        rng = np.random.default_rng(1)
        uneven = np.cumsum(rng.uniform(15, 600, 20))
        self.assertEqual(find_series([Moment(START + timedelta(seconds=float(s)), "T1", (), ()) for s in uneven]), [])

    def test_missing_scenes_and_a_clock_set_back_are_told(self):
        all_of_them = moments(30)
        (found,) = find_series(all_of_them[:10] + all_of_them[12:])
        self.assertEqual(found.missing, ((9, 2),))
        self.assertAlmostEqual(found.times[10] - found.times[9], 60)
        # The clock goes back by an hour in the midst.
        back = [Moment(m.taken - timedelta(hours=1), m.camera, m.frames, m.view) for m in all_of_them[15:]]
        (found,) = find_series(all_of_them[:15] + back)
        self.assertEqual((len(found.members), found.set_back), (30, (14,)))
        np.testing.assert_allclose(np.diff(found.times), 20)


class Night(FolderCase):
    """A sunrise of four stops, whose camera is set anew on the way, and whose exposures flicker."""

    COUNT = 28

    @classmethod
    def setUpClass(cls):
        rng = np.random.default_rng(4)
        cls.times = np.arange(cls.COUNT) * 20.0
        cls.true = 4 / (1 + np.exp(-(cls.times - 270) / 100))
        cls.flicker = rng.normal(0, 0.12, cls.COUNT)
        seconds = np.where(np.arange(cls.COUNT) < 14, 1.0, 1 / 8)
        light = night(176, 264)
        cls.scenes = []
        for ev, off, t in zip(cls.true, cls.flicker, seconds):
            noise = rng.normal(1, 0.02, light.shape).astype(np.float32)
            report = {"capture": {"aperture": 4.0, "iso": 100.0, "seconds": float(t)}}
            rgb = light * noise * np.float32(2.0 ** (ev + off) * t)
            cls.scenes.append(PreparedScene.from_radiance(RadianceMap(rgb, None, report=report)))
        cls.light = SeriesLight.of(cls.scenes, cls.times, Progress())

    def shown(self, treatments) -> np.ndarray:
        """Mean L* of each picture."""
        window = Window(0, 0, 264, 176, 132, 88)
        pictures = (Renderer(s).shown(t, window)[0] for s, t in zip(self.scenes, treatments))
        return np.array([lightness(np.clip(luminance(p), 0, 1).astype(np.float64)).mean() for p in pictures])

    def test_the_curve_of_light_is_what_it_was_and_flicker_is_told(self):
        np.testing.assert_allclose(
            self.light.curve, self.true + self.flicker - self.true[0] - self.flicker[0], atol=0.02
        )
        off = self.light.flicker - self.flicker
        self.assertLess(np.std(off), 0.4 * np.std(self.flicker))

    def test_pictures_follow_the_sunrise_without_flicker(self):
        alone = self.shown([Treatment()] * self.COUNT)
        together = self.shown(self.light.treatments({}))
        flickers = [np.std(np.diff(one, 2)) for one in (alone, together)]
        held = self.shown(
            [
                parse_treatment({"exposure": {"ev": self.light.automatic[0]["exposure.ev"] + float(np.log2(s))}})
                for s in np.where(np.arange(self.COUNT) < 14, 1.0, 8.0)
            ]
        )
        self.assertLess(flickers[1], 0.35 * np.std(np.diff(held, 2)))
        self.assertLess(flickers[1], flickers[0] + 0.05)
        # By day it is brighter than at night, and gets so little by little.
        self.assertGreater(together[-1], together[0] + 3)
        self.assertGreater(np.diff(together).min(), -0.3)

    def test_dials_and_areas_run_from_key_to_key(self):
        first = {
            "exposure": {"ev": None},
            "saturation": {"saturation": 1.0},
            "areas": [self.area(0.2), self.area(0.5, "B")],
        }
        last = {"exposure": {"ev": 1.5}, "saturation": {"saturation": 1.6}, "areas": [self.area(0.6)]}
        made = self.light.treatments({2: parse_treatment(first), 12: parse_treatment(last)})
        got = [t.saturation.saturation for t in made]
        np.testing.assert_allclose([got[0], got[2], got[7], got[12], got[-1]], [1, 1, 1.3, 1.6, 1.6], atol=1e-6)
        self.assertTrue((np.diff(got) >= 0).all())
        where = [t.areas[0].parts[0].start[1] for t in made]
        np.testing.assert_allclose([where[2], where[7], where[12]], [0.2, 0.4, 0.6], atol=1e-6)
        # An area of one key alone goes little by little.
        self.assertEqual([len(made[i].areas) for i in (2, 7, 12)], [2, 2, 1])
        self.assertAlmostEqual(made[7].areas[1].opacity, 50, delta=1)
        # Exposure follows the light, and what was added to that by hand.
        auto = [values["exposure.ev"] for values in self.light.automatic]
        by_hand = [t.exposure.ev - a for t, a in zip(made, auto)]
        self.assertAlmostEqual(by_hand[2], 0, places=6)
        self.assertAlmostEqual(made[12].exposure.ev, 1.5, places=6)
        self.assertAlmostEqual(by_hand[7], by_hand[12] / 2, places=6)
        # Done again by what came out, nothing changes.
        again = self.light.treatments({2: made[2], 12: made[12]})
        self.assertAlmostEqual(again[9].exposure.ev, made[9].exposure.ev, places=6)

    def test_hues_go_round_the_shorter_way_and_choices_stay(self):
        ends = [{"wash": {"hue": hue, "amount": 20.0}, "mend": []} for hue in (350.0, 30.0)]
        keys = {0: parse_treatment(ends[0]), 10: parse_treatment(ends[1] | {"grain": {"on": False}})}
        made = self.light.treatments(keys)
        self.assertAlmostEqual(made[5].wash.hue, 10, places=6)
        self.assertEqual([made[i].grain.on for i in (5, 10)], [True, False])

    @staticmethod
    def area(y: float, name: str = "A") -> dict:
        part = {"kind": "gradient", "start": [0.5, y], "end": [0.5, y + 0.2]}
        return {"name": name, "parts": [part], "bends": {"exposure.ev": 1.0}}

    def test_a_film_has_each_picture_in_its_colours(self):
        made = self.light.treatments({})[:6]
        for codec in ("h264", "av1", "vc3"):
            film = Film(codec=codec, rate=12, pixels=256, quality=95)
            path = self.folder / f"f.{film.ending}"
            count = write_film(path, film, 6, lambda i: (self.scenes[i], made[i]), Progress())
            told = subprocess.run(
                ["ffprobe", "-v", "error", "-count_frames", "-select_streams", "v:0", "-of", "csv=p=0", "-show_entries"]
                + ["stream=width,height,color_primaries,r_frame_rate,nb_read_frames", str(path)],
                capture_output=True,
                text=True,
                check=True,
            ).stdout.strip()
            self.assertEqual((count, told), (6, "256,170,bt709,12/1,6"), codec)
            raw = subprocess.run(
                ["ffmpeg", "-v", "error", "-i", str(path), "-vf", "scale=in_color_matrix=bt709:in_range=tv"]
                + ["-f", "rawvideo", "-pix_fmt", "rgb24", "-"],
                capture_output=True,
                check=True,
            ).stdout
            read = np.frombuffer(raw, np.uint8).reshape(6, 170, 256, 3)
            for i in (0, 5):
                true = picture_of(self.scenes[i], made[i], (256, 170)) / 257
                off = cv2.blur(read[i].astype(np.float32), (8, 8)) - cv2.blur(true.astype(np.float32), (8, 8))
                self.assertLess(np.abs(off).mean(), 3, codec)

    def test_films_that_cannot_be_say_why(self):
        film, path = Film(pixels=64), self.folder / "f.mp4"
        no_ffmpeg = mock.patch("shutil.which", return_value=None)
        with no_ffmpeg, self.assertRaisesRegex(CrennError, "ffmpeg"), film_at(path, film, (64, 32)):
            pass
        with self.assertRaisesRegex(CrennError, "could not write the film"), film_at(path, film, (63, 32)) as writer:
            for _ in range(50):
                writer.add(np.zeros((32, 63, 3), np.uint16))
        self.assertFalse(path.exists())


class Curves(unittest.TestCase):
    def test_a_straight_rise_stays_and_what_departs_is_left_out(self):
        times = np.sort(np.random.default_rng(2).uniform(0, 100, 40))
        line = 0.05 * times - 2
        np.testing.assert_allclose(smoothed(line, times), line, atol=1e-6)
        with_one_off = line.copy()
        with_one_off[20] += 3
        np.testing.assert_allclose(smoothed(with_one_off, times)[15:26], line[15:26], atol=0.15)
        np.testing.assert_array_equal(smoothed(line[:2], times[:2]), line[:2])

    def test_what_passes_does_not_move_the_curve(self):
        sky = np.random.default_rng(3).normal(-4, 1, (40, 60)).astype(np.float32)
        lit = sky.copy()
        lit[:12] += 6
        np.testing.assert_allclose(light_curve([sky, lit + 0.2, sky], [None] * 3), [0, 0.2, 0], atol=1e-6)
        # The same light on a camera that was set to half of it.
        np.testing.assert_allclose(light_curve([sky, sky - 1], [10.0, 20.0]), [0, 0], atol=1e-6)
        self.assertEqual(light_curve([sky, np.full_like(sky, np.nan)], [1.0, 1.0])[1], 0)
