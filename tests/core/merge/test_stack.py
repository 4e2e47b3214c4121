"""Stacks: noise gained, passing light rejected, stars registered, calibration frames."""

import unittest
from datetime import datetime, timedelta

import cv2
import numpy as np

from crenn.camera.flaws import Flaws
from crenn.camera.optics import Pose
from crenn.camera.sensor import Exposure, Sensor
from crenn.camera.stars import StarField
from crenn.core.align.stars import find_stars, fit_sky, is_star_field
from crenn.core.frames.kinds import kind_of, look_at
from crenn.core.frames.raw import read_raw
from crenn.core.geometry.lens import Lens
from crenn.core.merge.instructions import Instructions, Stroke
from crenn.core.merge.merge import merge_frames
from tests.support import FolderCase, take

CLEAN = Sensor(prnu=0.0, dsnu=0.0, hot_share=0.0, dark_current=0.0)
DARK = Exposure(4.0, 2.8, 1600.0)
UNIT = 1.0 / DARK.relative


def even(value: float = 0.2, size=(160, 240)) -> np.ndarray:
    return np.full((*size, 3), value * UNIT, np.float32)


class Even(FolderCase):
    def test_noise_falls_with_the_root_of_the_count(self):
        one = merge_frames(take(self.folder / "one", even(), [DARK], CLEAN))
        single = one.rgb[20:-20, 20:-20].std((0, 1))
        for method, least in (("mean", 0.97), ("clipped", 0.95), ("median", 0.75)):
            with self.subTest(method=method):
                many = merge_frames(
                    take(self.folder / method, even(), [DARK] * 12, CLEAN), instructions=Instructions(method=method)
                )
                self.assertEqual(many.report["mode"], "stack")
                inner = many.rgb[20:-20, 20:-20]
                gain = single / inner.std((0, 1)) / np.sqrt(12)
                self.assertGreater(gain.min(), least)
                self.assertAlmostEqual(float(inner.mean()), 0.2, delta=0.001)
                spread = (inner - 0.2).std((0, 1)) / many.sigma[20:-20, 20:-20].mean((0, 1))
                np.testing.assert_allclose(spread, 1.0, atol=0.1)

    def test_what_only_passed_is_gone_or_kept_on_wish(self):
        scenes = []
        for k in range(10):
            rgb = even(0.05)
            if k == 3:
                rgb[70:73, 30:210] = 0.6 * UNIT
            scenes.append(rgb)
        paths = take(self.folder, scenes, [DARK] * 10, CLEAN)
        clean = merge_frames(paths)
        noise = float(clean.rgb[100:150, 30:210].std())
        self.assertLess(abs(float(clean.rgb[65:78, 40:200].mean() - 0.05)), 0.2 * noise)
        self.assertEqual(clean.report["stack"]["method"], "clipped")
        self.assertGreater(clean.report["stack"]["rejected"], 0.0005)
        trails = merge_frames(paths, instructions=Instructions(method="maximum"))
        self.assertAlmostEqual(float(trails.rgb[71, 40:200, 1].mean()), 0.6, delta=0.05)
        # What clips as it passes is light that was lost, though it clips in one frame alone.
        scenes[3] = even(0.05)
        scenes[3][70:73, 30:210] = 3.0 * UNIT
        paths = take(self.folder / "bright", scenes, [DARK] * 10, CLEAN)
        lost = merge_frames(paths, instructions=Instructions(method="maximum")).clipped
        self.assertTrue((lost[71, 40:200] > 0).all())
        self.assertEqual(int((lost[:60] > 0).sum()), 0)
        self.assertEqual(int((merge_frames(paths).clipped > 0).sum()), 0, "where it is left out, nothing is lost")

    def test_a_stack_of_brackets_merges_optimally(self):
        rgb = even(0.02)
        exposures = [Exposure(1.0), Exposure(4.0)] * 6
        rgb[:] = 0.02
        many = merge_frames(take(self.folder / "many", rgb, exposures, CLEAN))
        pair = merge_frames(take(self.folder / "pair", rgb, exposures[:2], CLEAN))
        inner = (slice(20, -20), slice(20, -20))
        gain = pair.rgb[inner].std() / many.rgb[inner].std() / np.sqrt(6)
        self.assertEqual(many.report["mode"], "bracket")
        self.assertGreater(gain, 0.94)
        np.testing.assert_allclose(((many.rgb - 0.02)[inner] / many.sigma[inner]).std(), 1.0, atol=0.1)

    def test_memory_does_not_hold_the_stack(self):
        from crenn.core.merge import mosaics

        kept = mosaics._IN_MEMORY
        self.addCleanup(setattr, mosaics, "_IN_MEMORY", kept)
        paths = take(self.folder, even(), [DARK] * 6, CLEAN)
        inside = merge_frames(paths).rgb
        mosaics._IN_MEMORY = 1000
        np.testing.assert_array_equal(merge_frames(paths).rgb, inside)


class Calibrating(FolderCase):
    sensor = Sensor(prnu=0.0, dsnu=4.0, hot_share=4e-3, dark_current=1.5)

    def shots(self, darks: int = 6, **changes):
        lights = take(self.folder, even(0.05), [DARK] * 6, self.sensor)
        exposure = Exposure(changes.pop("seconds", DARK.seconds), DARK.aperture, DARK.iso)
        black = np.zeros((*changes.pop("size", (160, 240)), 3), np.float32)
        return lights + take(
            self.folder,
            black,
            [exposure] * darks,
            self.sensor,
            seed=5,
            name="dark",
            taken=datetime(2026, 10, 17, 18, 1, 0),
            **changes,
        )

    def test_dark_frames_take_off_glow_and_hot_pixels(self):
        plain = merge_frames(self.shots(0))
        calibrated = merge_frames(self.shots())
        self.assertIn("Dark frames taken off", calibrated.report["calibration"][0])
        inner = (slice(10, -10), slice(10, -10), 1)
        self.assertGreater(float(np.median(plain.rgb[inner])), 0.0515)
        self.assertAlmostEqual(float(np.median(calibrated.rgb[inner])), 0.05, delta=0.001)
        self.assertLess(calibrated.rgb[inner].std(), 0.9 * plain.rgb[inner].std())
        self.assertGreater(calibrated.report["hot_pixels"], 50)

    def test_darks_of_another_exposure_or_size_are_named(self):
        report = merge_frames(self.shots(seconds=1.0)).report
        self.assertTrue(any("dark-1.dng" in t and "1 s" in t for t in report["calibration"]), report["calibration"])
        report = merge_frames(self.shots(size=(128, 240))).report
        self.assertTrue(any("dark-1.dng: this dark frame is 240×128" in t for t in report["calibration"]))
        self.assertEqual(len(report["frames"]), 6)

    def test_flat_frames_even_out_fall_off(self):
        x = np.linspace(-1, 1, 240, dtype=np.float32)
        fall = (1 - 0.5 * x**2)[None, :, None]
        lights = take(self.folder, even(0.05) * fall, [DARK] * 5, CLEAN)
        flats = take(
            self.folder,
            np.full((160, 240, 3), 0.5, np.float32) * fall,
            [Exposure(1.0)] * 3,
            CLEAN,
            name="flat",
            taken=datetime(2026, 10, 18, 9, 0, 0),
        )
        merged = merge_frames(lights + flats, kinds=[None] * 5 + ["flat"] * 3)
        columns = merged.rgb[10:-10, 10:-10, 1].mean(0)
        self.assertLess(columns.max() / columns.min(), 1.05)
        self.assertIn("Divided by flat frames", merged.report["calibration"][-1])

    def test_kinds_are_told_from_content(self):
        shapes = {
            "dark": (np.zeros((160, 240, 3), np.float32), DARK),
            "bias": (np.zeros((160, 240, 3), np.float32), Exposure(1 / 4000)),
            "flat": (np.full((160, 240, 3), 0.4, np.float32), Exposure(1.0)),
        }
        rng = np.random.default_rng(1)
        shapes["light"] = (
            np.kron(rng.uniform(0.01, 0.8, (16, 24, 3)), np.ones((10, 10, 1))).astype(np.float32),
            Exposure(1.0),
        )
        for kind, (rgb, exposure) in shapes.items():
            with self.subTest(kind=kind):
                frame = read_raw(take(self.folder / kind, rgb, [exposure], CLEAN)[0])
                content = look_at(frame.mosaic, frame.pattern, frame.black, frame.white)
                read_noise = float(np.sqrt(frame.noise.offset[1]))
                self.assertEqual(kind_of(content, exposure.seconds, lambda n=read_noise: n), kind)


class Stars(FolderCase):
    """A made-up sky turning over a still ground."""

    size = (720, 480)
    lens = Lens(0.8, size, -0.03)
    exposure = Exposure(8.0, 2.8, 1600.0)

    def sky(self, count: int = 8, gap: float = 90.0) -> list[np.ndarray]:
        field = StarField(pole=(-0.3, 0.9), count=9000, faintest=4e-7 / self.exposure.relative)
        rng = np.random.default_rng(2)
        texture = np.kron(rng.uniform(0.01, 0.25, (20, 60, 1)), np.ones((8, 12, 3))).astype(np.float32)
        y, x = np.mgrid[:480, :720]
        ground = y > 340 + 25 * np.sin(x / 60)
        out = []
        for k in range(count):
            rgb = np.full((480, 720, 3), 0.03, np.float32) / self.exposure.relative
            rgb[320:][ground[320:]] = (texture / self.exposure.relative)[ground[320:]]
            field.draw(rgb, (~ground).astype(np.float32), self.lens, (0, 0, 0, 0, 0.3), Pose(), k, k * gap, 0.5)
            out.append(rgb)
        self.ground = ground
        return out

    def shoot(self, scenes, gap: float = 90.0, sensor: Sensor = CLEAN):
        paths = []
        for k, rgb in enumerate(scenes):
            paths += take(
                self.folder,
                rgb,
                [self.exposure],
                sensor,
                seed=k + 1,
                name=f"sky{k}",
                taken=datetime(2026, 11, 12, 22, 0, 0) + timedelta(seconds=k * gap),
            )
        return paths

    def test_sky_and_ground_are_both_sharp(self):
        self.assert_sharp(CLEAN, 0.85, 0.03)

    def test_they_are_with_a_real_camera_s_flaws_as_well(self):
        # Coma, sway and glare take a quarter of the peaks in every frame already.
        self.assert_sharp(Sensor(hot_share=1e-4, flaws=Flaws.all(1.0)), 0.75, 0.045)

    def assert_sharp(self, sensor: Sensor, least: float, error: float):
        scenes = self.sky()
        merged = merge_frames(self.shoot(scenes, sensor=sensor), reference=3)
        report = merged.report
        self.assertTrue(report["stack"]["sky"], report["warnings"])
        self.assertGreater(max(f["shift"] for f in report["frames"]), 4)
        found = merged.ground > 127
        self.assertGreater((found == self.ground).mean(), 0.97)
        truth = scenes[3] * self.exposure.relative
        green, own = merged.rgb[..., 1], truth[..., 1]
        peaks = [
            (y, x)
            for y, x in np.argwhere(own > 0.25)
            if not self.ground[max(y - 9, 0) : y + 9, x].any()
            and 8 < y < 470
            and 8 < x < 710
            and own[y - 3 : y + 4, x - 3 : x + 4].max() == own[y, x]
        ]
        self.assertGreater(len(peaks), 15)
        height = np.median([green[y, x] / min(own[y, x], 1) for y, x in peaks if own[y, x] < 0.9])
        self.assertGreater(height, least, "stars stay points")
        inner = self.ground.copy()
        inner[:400] = False
        off = np.abs(np.log2(np.maximum(green[inner], 1e-4) / own[inner]))
        self.assertLess(np.median(off), error, "the ground does not smear")
        self.assertGreater(float(merged.rgb.min()), -0.05, "where sky and ground meet no colour goes below nothing")

    def test_the_fit_finds_lens_and_turn(self):
        scenes = self.sky(5)
        stars = []
        for rgb in scenes:
            luma = (rgb * self.exposure.relative).reshape(240, 2, 360, 2, 3).mean((1, 3)) @ np.array(
                [0.25, 0.5, 0.25], np.float32
            )
            stars.append(find_stars(luma.astype(np.float32), 1e-3, 2))
        self.assertTrue(is_star_field(stars[0]))
        fit = fit_sky(stars, np.arange(5) * 90.0, 2, self.size)
        self.assertTrue((fit.pairs > 20).all())
        self.assertLess(np.nanmax(fit.error), 0.35)
        turn = np.linalg.norm(fit.rotations[4])
        self.assertAlmostEqual(turn, 2 * 90 * 2 * np.pi / 86164, delta=0.05 * turn)

    def test_a_sky_that_turned_too_far_is_named(self):
        scenes = self.sky(6, 90.0) + self.sky(1, 90.0)
        field = StarField(pole=(-0.3, 0.9), count=9000, faintest=4e-7 / self.exposure.relative)
        late = np.full((480, 720, 3), 0.03, np.float32) / self.exposure.relative
        field.draw(late, (~self.ground).astype(np.float32), self.lens, (0, 0, 0, 0, 0.3), Pose(), 6, 15000.0, 0.5)
        scenes[6] = late
        report = merge_frames(self.shoot(scenes)).report
        self.assertEqual(len(report["frames"]), 6)
        self.assertIn("sky6-1.dng", report["set_aside"][0])

    def test_what_was_decided_is_told_and_can_be_turned_round(self):
        scenes = self.sky(5)
        report = merge_frames(self.shoot(scenes)).report
        self.assertTrue(report["stack"]["sky"])
        self.assertIn("turn evenly", report["stack"]["why"])
        # In another order the same frames turn as no sky does in the time between them.
        paths = self.shoot([scenes[k] for k in (3, 0, 4, 1, 2)])
        other = merge_frames(paths).report
        self.assertFalse(other["stack"]["sky"])
        self.assertIn("do not turn as stars would", other["stack"]["why"])
        self.assertTrue(merge_frames(paths, instructions=Instructions(follow="stars")).report["stack"]["sky"])

    def test_trails_have_no_gaps_over_still_ground(self):
        """Frames of 80 s every 130 s, beside one exposure of the same sky without a pause."""
        exposure, step, count = Exposure(80.0, 2.8, 160.0), 130.0, 6
        sky = StarField(pole=(-0.3, 0.9), count=9000, faintest=4e-6 / exposure.relative)
        self.sky(1)
        y = np.mgrid[:480, :720][0]
        ground = np.kron(np.random.default_rng(2).uniform(0.01, 0.25, (60, 90, 1)), np.ones((8, 8, 3)))
        scene = np.where(self.ground[..., None], ground, 0.03).astype(np.float32) / exposure.relative
        # A wire before the sky and a lamp on the ground.
        scene[250], scene[410:412, 300:302] = 0.002 / exposure.relative, 0.5 / exposure.relative
        open_sky = (~self.ground & (y != 250)).astype(np.float32)

        def shot(start: float, seconds: float) -> np.ndarray:
            rgb = scene.copy()
            sky.draw(rgb, open_sky, self.lens, (0, 0, 0, 0, 0.3), Pose(), 0, start, seconds)
            return rgb

        paths = []
        for k in range(count):
            taken = datetime(2026, 11, 12, 22, 0, 0) + timedelta(seconds=k * step)
            paths += take(self.folder, shot(k * step, 80.0), [exposure], CLEAN, k + 1, name=f"sky{k}", taken=taken)
        merged = merge_frames(paths, instructions=Instructions(method="maximum"))
        self.assertEqual(merged.report["stack"]["filled"], count - 1)
        green = merged.rgb[..., 1]
        long = shot(0, (count - 1) * step + 80)[..., 1] * exposure.relative
        dots = np.maximum.reduce([shot(k * step, 80.0)[..., 1] for k in range(count)]) * exposure.relative
        # Along the middles of trails, where single exposures left the sky dark.
        around = np.ones((5, 5), np.uint8)
        most = cv2.dilate(dots, around)
        gap = (
            (long >= 0.9 * cv2.dilate(long, around)) & (long > 0.06) & (dots < 0.6 * most) & (most > 0.1) & (most < 0.9)
        )
        gap[300:], gap[:10], gap[240:260], gap[:, :10], gap[:, -10:] = False, False, False, False, False
        self.assertGreater(gap.sum(), 300)
        self.assertGreater(np.median(green[gap] / most[gap]), 0.9)
        self.assertGreater(np.quantile(green[gap] / most[gap], 0.1), 0.7)
        self.assertLess(np.median(green[250]), 0.005, "the wire is whole where no star passes")
        inner = np.zeros_like(self.ground)
        inner[400:] = True
        self.assertLess(np.median(np.abs(np.log2(green[inner] / dots[inner]))), 0.05, "the ground stays")
        self.assertAlmostEqual(float(green[410:412, 300:302].mean()), 0.5, delta=0.05)

    def test_painted_ground_and_the_choice_to_follow(self):
        paths = self.shoot(self.sky(6))
        stroke = Stroke(kind="ground", points=[(0.2, 0.2), (0.4, 0.2)], radius=0.03)
        merged = merge_frames(paths, instructions=Instructions(strokes=[stroke]))
        self.assertTrue((merged.ground[96, 180:270] > 200).all())
        still = merge_frames(paths, instructions=Instructions(follow="ground"))
        self.assertIsNone(still.ground)


def town(size: tuple[int, int]) -> np.ndarray:
    """Lit windows in dark walls under a black sky."""
    rng = np.random.default_rng(4)
    height, width = size
    rgb = np.full((*size, 3), 0.003, np.float32)
    left = 0
    while left < width:
        right, top = left + int(rng.integers(20, 70)), int(rng.uniform(0.3, 0.7) * height)
        rgb[top:, left:right] = rng.uniform(0.004, 0.02)
        windows = np.zeros((len(range(top + 4, height - 4, 8)), len(range(left + 3, min(right, width) - 4, 8))), bool)
        windows[rng.random(windows.shape) < 0.4] = True
        for i, j in np.argwhere(windows):
            y, x = (np.array([top + 4 + 8 * i, left + 3 + 8 * j]) + rng.integers(0, 4, 2)).tolist()
            rgb[y : y + 2, x : x + 2] = np.array([0.9, 0.7, 0.4]) * rng.uniform(0.1, 1)
        left = right
    return rgb


class Whole(FolderCase):
    """Stacks that are no stars lie over each other as whole pictures, small ones too."""

    def merged(self, rgb: np.ndarray) -> tuple[dict, np.ndarray]:
        rgb = cv2.GaussianBlur(rgb, (0, 0), 0.8)
        scenes = [np.roll(rgb, shift, (0, 1)) for shift in ((0, 0), (3, -2), (-2, 1), (1, 4), (-4, -3))]
        result = merge_frames(take(self.folder, scenes, [Exposure(1.0)] * 5, CLEAN), reference=0)
        return result.report, np.abs(result.rgb / rgb - 1)[12:-12, 12:-12]

    def test_windows_of_a_town_are_no_stars(self):
        report, _ = self.merged(town((240, 360)))
        self.assertFalse(report["stack"]["sky"])
        self.assertIn("too few points of light", report["stack"]["why"])
        shifts = [f["shift"] for f in report["frames"]]
        np.testing.assert_allclose(shifts, [0, 13**0.5, 5**0.5, 17**0.5, 5], atol=0.1)

    def test_small_ones_are_aligned(self):
        rng = np.random.default_rng(3)
        rgb = np.kron(rng.uniform(0.05, 0.5, (20, 30, 3)), np.ones((8, 8, 1))).astype(np.float32)
        report, off = self.merged(rgb)
        np.testing.assert_allclose([f["shift"] for f in report["frames"]], [0, 13**0.5, 5**0.5, 17**0.5, 5], atol=0.1)
        self.assertLess(np.median(off), 0.05)

    def test_frames_without_any_detail_are_named(self):
        report = merge_frames(take(self.folder, even(0.2), [DARK] * 5, CLEAN)).report
        self.assertEqual([f["shift"] for f in report["frames"]], [0] * 5)
        self.assertTrue(any("too little detail" in w for w in report["warnings"]), report["warnings"])


class Unfit(unittest.TestCase):
    def test_a_few_lamps_are_no_stars(self):
        luma = np.full((200, 300), 0.02, np.float32)
        luma += np.random.default_rng(0).standard_normal(luma.shape).astype(np.float32) * 1e-3
        for x in (40, 120, 220):
            luma[90:110, x : x + 20] = 1.0
        self.assertFalse(is_star_field(find_stars(luma, 1e-3, 2)))
