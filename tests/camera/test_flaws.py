"""A camera that is not ideal: each flaw against its truth, and none of them where there is none."""

import dataclasses
import unittest

import numpy as np

from crenn.camera.flaws import FLAWS, Flaws
from crenn.camera.sensor import Exposure, Sensor

SIZE = (240, 360)
EVEN = np.full((*SIZE, 3), 0.2, np.float32)
ONE = Exposure(1.0)


def numbers(flaws: Flaws, exposure: Exposure = ONE, seed: int = 1, light: np.ndarray = EVEN) -> np.ndarray:
    return Sensor(flaws=flaws).expose(light, exposure, seed).astype(np.float64)


class OneByOne(unittest.TestCase):
    def test_names_are_those_of_the_flaws(self):
        self.assertEqual(FLAWS, tuple(f.name for f in dataclasses.fields(Flaws)))

    def test_each_changes_what_it_is_for_and_none_nothing(self):
        long = Exposure(8.0, iso=100 / 8)
        lit = EVEN.copy()
        lit[100:104, 60:64] = 0.9
        for field in dataclasses.fields(Flaws):
            with self.subTest(flaw=field.name):
                # Lamps on the mains are steady in long exposures.
                exposure = Exposure(1 / 250, iso=25000) if field.name == "flicker" else long
                frames = [
                    [numbers(Flaws(**{field.name: s}), exposure, seed, lit) for s in (0.0, 1e-6, 4.0)]
                    for seed in (1, 2, 3, 4)
                ]
                self.assertTrue(any((strong != none).any() for none, _, strong in frames))
                self.assertLess(max(np.abs(faint - none).mean() for none, faint, _ in frames), 0.5)

    def test_sites_that_jump_do_so_from_frame_to_frame(self):
        flaws, dark = Flaws(telegraph=20.0), np.zeros((*SIZE, 3), np.float32)
        jumps = flaws.jumps(SIZE, Sensor().serial)
        self.assertAlmostEqual((jumps > 0).mean(), 0.02, delta=0.004)
        frames = np.stack([numbers(flaws, seed=s, light=dark) for s in range(12)])
        loud = jumps > 30
        self.assertGreater(np.median(frames[:, loud].std(0)), 2 * np.median(frames[:, jumps == 0].std(0)))

    def test_weak_sites_answer_by_their_response(self):
        flaws = Flaws(weak=40.0)
        response = flaws.response(SIZE, Sensor().serial)
        weak = (response > 0) & (response < 0.9)
        self.assertGreater(weak.sum(), 50)
        clean, found = numbers(Flaws()) - 512, numbers(flaws) - 512
        np.testing.assert_allclose(found[weak] / clean[weak], response[weak], atol=0.08)
        self.assertLess(np.abs(found[response == 0]).max(), 40)

    def test_black_drifts_slowly_along_rows_and_anew_in_each_frame(self):
        flaws, dark = Flaws(drift=10.0), np.zeros((*SIZE, 3), np.float32)
        rows = [numbers(flaws, seed=s, light=dark).mean(1) for s in (1, 2)]
        self.assertLess(np.abs(np.diff(rows[0])).mean(), 0.3 * rows[0].std() + 0.3)
        self.assertGreater(np.abs(rows[0] - rows[1]).max(), 1.0)

    def test_a_corner_glows_with_time(self):
        flaws, dark = Flaws(glow=1.0), np.zeros((*SIZE, 3), np.float32)
        corner = [numbers(flaws, Exposure(s), light=dark)[-12:, -12:].mean() for s in (1.0, 60.0)]
        self.assertGreater(corner[1] - corner[0], 2.0)

    def test_coding_keeps_light_and_has_fewer_steps(self):
        ramp = np.linspace(0.01, 0.9, SIZE[1], dtype=np.float32)[None, :, None] * np.ones((SIZE[0], 1, 3), np.float32)
        plain, coded = numbers(Flaws(), light=ramp), numbers(Flaws(coding=1.0), light=ramp)
        self.assertLess(len(np.unique(coded)), 0.5 * len(np.unique(plain)))
        self.assertLess(np.abs(coded - plain).max() / 16383, 0.01)
        self.assertAlmostEqual(float(coded.mean() / plain.mean()), 1.0, delta=1e-3)

    def test_glare_is_light_taken_from_lamps(self):
        lamp = np.full((*SIZE, 3), 1e-4, np.float32)
        lamp[100:104, 60:64] = 50.0
        seen = Flaws(glare=1.0).before_sensor(lamp, 0.1, 8.0, 1.0, 7, 1)
        self.assertAlmostEqual(float(seen.sum() / lamp.sum()), 1.0, delta=2e-3)
        # The ghost lies beyond the middle.
        ghost = seen[132:144, 292:304].mean()
        self.assertGreater(ghost, 1.2 * seen[100:112, 292:304].mean())
        # Spikes lie along the blades.
        self.assertGreater(seen[102, 67].mean(), 2 * seen[107, 67].mean())

    def test_coma_draws_points_away_from_the_middle(self):
        points = np.full((*SIZE, 3), 1e-3, np.float32)
        points[119:121, 179:181] = points[20:22, 30:32] = 5.0
        seen = Flaws(coma=5.0).before_sensor(points, 0.1, 1.4, 1.0, 7, 1)[..., 1]
        self.assertAlmostEqual(float(seen.sum() / points[..., 1].sum()), 1.0, delta=0.02)
        corner = seen[10:32, 20:42]
        y, x = (float((corner * grid).sum() / corner.sum()) for grid in np.mgrid[10:32, 20:42])
        self.assertLess(y, 20.4)
        self.assertLess(x, 30.4)

    def test_lamps_on_the_mains_flicker_in_short_exposures(self):
        flaws, lit = Flaws(flicker=1.0), np.full((*SIZE, 3), 0.01, np.float32)
        lit[100:140, 60:100] = 0.5

        def lamp_and_dark(seconds: float) -> tuple[np.ndarray, np.ndarray]:
            seen = np.stack([flaws.before_sensor(lit, seconds, 8.0, 1.0, 7, s) for s in range(8)])
            return seen[:, 120, 80, 1] / 0.5, seen[:, 20, 20, 1] / 0.01

        lamp, dark = lamp_and_dark(1 / 500)
        self.assertGreater(float(np.ptp(lamp)), 0.3)
        self.assertLess(float(np.ptp(dark)), 0.3 * float(np.ptp(lamp)))
        np.testing.assert_allclose(lamp, [flaws.flicker_of(1 / 500, s) for s in range(8)], atol=0.12)
        self.assertLess(float(np.ptp(lamp_and_dark(1.0)[0])), 0.005)

    def test_dust_lies_in_the_same_places(self):
        flaws = Flaws(dust=2.0)
        clear = flaws.transmission(SIZE, 8.0, 7)
        self.assertLess(clear.min(), 0.96)
        self.assertEqual(clear.max(), 1.0)
        spotted = clear < 0.96
        for seed in (1, 2):
            ratio = (numbers(flaws, seed=seed) - 512) / (numbers(Flaws(), seed=seed) - 512)
            self.assertAlmostEqual(float(ratio[spotted].mean()), float(clear[spotted].mean()), delta=0.01)
        self.assertLess(flaws.transmission(SIZE, 16.0, 7).min(), clear.min())

    def test_long_exposures_sway_and_are_crossed(self):
        star = np.zeros((*SIZE, 3), np.float32)
        star[120, 180] = 1.0
        swayed = Flaws(shake=10.0).before_sensor(star, 10.0, 8.0, 1.0, 7, 1)
        self.assertAlmostEqual(float(swayed.sum()), 3.0, delta=1e-3)
        self.assertLess(swayed.max(), 0.7)
        np.testing.assert_array_equal(Flaws(shake=10.0).before_sensor(star, 0.1, 8.0, 1.0, 7, 1), star)
        crossed = [Flaws(aircraft=2.0).before_sensor(star, 10.0, 8.0, 1.0, 7, s).sum() > 4 for s in range(12)]
        self.assertTrue(1 < sum(crossed) < 11)
