"""Signal to noise in the picture as large as it will be: as predicted before, as measured after noise is taken out."""

import unittest
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np

from crenn.camera.sensor import Exposure
from crenn.core.colorimetry.spaces import MIDDLE_GREY, luminance
from crenn.core.merge.merge import merge_frames
from crenn.core.noise.averaging import left_when_averaged
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.signal import Signal, left_by, reach_of, signal
from crenn.core.render.views import paint_view
from crenn.core.render.window import Window
from crenn.core.report.coverage import MEASURED, SHOWS, lowest_stop
from crenn.core.treatment import Treatment, parse_treatment
from tests.support import take

SIZE = (256, 512)
EVENLY = {"noise": {"lifted": False, "stars": False}}


def steps(folder: Path) -> RadianceMap:
    """Eight even grounds, each two stops darker, as one frame of a sensor recorded them."""
    stops = -np.repeat(np.arange(8) * 2.0, SIZE[1] // 8) - 1
    truth = np.broadcast_to(np.exp2(stops)[None, :, None], (*SIZE, 3)).astype(np.float32)
    return merge_frames(take(folder, truth, [Exposure(1 / 8, 8.0, 800.0)]))


class OfAScene(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        with TemporaryDirectory() as folder:
            cls.map = steps(Path(folder))
        cls.light = cls.map.rgb
        cls.scene = PreparedScene.from_radiance(cls.map)
        cls.scene.split_noise()
        cls.renderer = Renderer(cls.scene)

    def signal(self, document: dict, long_edge: int | None = None) -> Signal:
        return signal(self.renderer, parse_treatment(document), long_edge)

    @staticmethod
    def at(stops: np.ndarray, values: np.ndarray, stop: float) -> float:
        return float(values[np.abs(stops - stop).argmin()])

    def ground(self, number: int) -> np.ndarray:
        width = SIZE[1] // 8
        return np.s_[32:-32, number * width + 12 : (number + 1) * width - 12]

    def test_before_it_is_what_the_noise_is(self):
        found = self.signal({})
        for number in (0, 2, 4):
            light = luminance(self.light)[self.ground(number)]
            truth = 20 * np.log10(light.mean() / light.std())
            self.assertAlmostEqual(self.at(found.stops, found.before, -1 - 2 * number), truth, delta=0.7)

    def test_after_it_is_what_the_filter_leaves(self):
        """Predicted on noise alone, it is what is left on even ground to 4 dB, of the 20 and more that are gained."""
        found = self.signal(EVENLY)
        document = Treatment.neutral().model_dump() | {"noise": {"on": True} | EVENLY["noise"]}
        clean = self.renderer.linear(parse_treatment(document), Window.whole(SIZE, SIZE[1]))
        for number in (1, 3, 5):
            light = luminance(clean)[self.ground(number)]
            truth = 20 * np.log10(light.mean() / light.std())
            predicted = self.at(found.stops, found.after, -1 - 2 * number)
            self.assertAlmostEqual(predicted, truth, delta=4.0, msg=f"ground {number}")
            self.assertGreater(predicted - self.at(found.stops, found.before, -1 - 2 * number), 15)

    def test_dials_move_it(self):
        def gain(noise: dict) -> float:
            found = self.signal({"noise": EVENLY["noise"] | noise})
            return self.at(found.stops, found.after - found.before, -7)

        whole, half, nothing = gain({}), gain({"luminance": 0.5}), gain({"luminance": 0.0})
        self.assertAlmostEqual(half, 20 * np.log10(2), delta=0.4)
        self.assertEqual(nothing, 0.0)
        self.assertGreater(gain({"luminance": 2.0}), whole)
        self.assertGreater(gain({"fine": 0}), 0.1)
        self.assertLess(gain({"fine": 0}), 0.3 * whole)
        self.assertEqual(gain({"on": False}), 0.0)

    def test_by_lift_what_stays_dark_keeps_its_noise_until_it_is_lifted(self):
        def gain(document: dict) -> float:
            found = self.signal(document)
            return self.at(found.stops, found.after - found.before, -11)

        dark, lifted = gain({"exposure": {"ev": -4}}), gain({"exposure": {"ev": 4}})
        self.assertLess(dark, lifted - 3)

    def test_a_smaller_picture_reaches_further(self):
        full, small = self.signal({}), self.signal({}, 128)
        factor = left_when_averaged(self.scene.light.capture, 4)
        gained = (small.before - full.before)[np.isfinite(full.before)]
        np.testing.assert_allclose(gained, -20 * np.log10(factor), atol=1e-6)
        ends = self.scene.report["low_stop"], self.scene.report["high_stop"]
        self.assertLess(reach_of(small, small.before, ends).lifted, reach_of(full, full.before, ends).lifted)
        np.testing.assert_array_equal(self.signal({}, 4000).before, full.before, "enlarging gains nothing")

    def test_before_noise_is_split_off_there_is_no_after(self):
        renderer = Renderer(PreparedScene.from_radiance(self.map))
        self.assertIsNone(signal(renderer, Treatment()).after)

    def test_the_view_shows_more_signal_once_noise_is_out(self):
        window = Window.whole(SIZE, SIZE[1])
        before, after = (
            paint_view(self.renderer, parse_treatment(EVENLY), window, view)[0] for view in ("noise", "left")
        )
        self.assertGreater(np.abs(before.astype(int) - after).mean(), 4)
        plain = parse_treatment({"noise": {"on": False}})
        np.testing.assert_array_equal(
            paint_view(self.renderer, plain, window, "noise")[0], paint_view(self.renderer, plain, window, "left")[0]
        )

    def test_what_is_left_lies_between_nothing_and_all(self):
        shares = np.linspace(0, 1, 11)
        left = left_by(Treatment(), self.scene.noise, self.scene.light.capture, shares)
        self.assertEqual(left[0], 1.0)
        self.assertTrue((np.diff(left[:-1]) < 0).all())
        self.assertTrue((left > 0).all())
        self.assertAlmostEqual(-20 * np.log10(left[-1]), self.scene.noise.gains_db[0][0], delta=0.01)


class Reaching(unittest.TestCase):
    def test_the_lowest_stop_is_above_the_last_that_is_not_enough(self):
        stops = np.arange(-10, 0) + 0.5
        snr = np.array([np.nan, 5, 11, 13, 11, 19, 21, 30, 40, 50.0])
        self.assertEqual(lowest_stop(stops, snr, MEASURED, (-10, 0)), -5.0)
        self.assertEqual(lowest_stop(stops, snr, SHOWS, (-10, 0)), -4.0)
        self.assertEqual(lowest_stop(stops, snr + 100, SHOWS, (-10, 0)), -9.0)
        self.assertEqual(lowest_stop(stops, np.full(10, np.nan), SHOWS, (-10, 0)), -10)
        self.assertEqual(lowest_stop(stops, snr - 100, SHOWS, (-10, -2.0)), -2.0)

    def test_what_just_shows_no_noise_may_stand_on_middle_grey(self):
        stops = np.array([-8.0, -8.0, -8.0])
        lifted = Signal.liftable(stops, np.array([SHOWS, SHOWS + 6.0206, -60.0]))
        np.testing.assert_allclose(lifted, [MIDDLE_GREY + 8, MIDDLE_GREY + 11, 0.0], atol=1e-3)
