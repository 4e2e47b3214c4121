"""Effects of Finish on light: energy, edges, noise, tones, and the same at every size, in every window."""

import unittest

import cv2
import numpy as np

from crenn.core.areas.brush import GRID
from crenn.core.basis import Basis
from crenn.core.colorimetry.spaces import luminance
from crenn.core.finish.grain import white_noise
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.views import paint_view
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment, parse_treatment

SIZE = (600, 900)
WHOLE = Window.whole(SIZE)
#: Each effect, strongly.
EFFECTS = {
    "sharpness": {"amount": 150, "radius": 1.5},
    "glow": {"amount": 80, "threshold": -2, "size": 0.8},
    "soft": {"amount": 80, "size": 0.6},
    "star_glow": {"amount": 80, "size": 2.0, "rays": 60, "length": 24},
    "vignette": {"amount": -2, "inside": 0.5, "haze": 20},
    "grain": {"amount": 60, "size": 2.0},
    "mist": {"amount": 80},
    "motion": {"amount": 80, "length": 1.5},
    "painted_glow": {"amount": 100, "strokes": [{"points": [3641, 5461, 4000, 0], "radius": 0.03}]},
}


def night() -> np.ndarray:
    """Lamps over a dark even ground with a wall of texture and a smooth sky, float32 (H, W, 3)."""
    rng = np.random.default_rng(2)
    y, x = np.mgrid[: SIZE[0], : SIZE[1]].astype(np.float32)
    light = 0.04 + 0.04 * y / SIZE[0]
    wall = (x > 500) & (y > 250)
    light = np.where(wall, 0.2 * np.exp2(cv2.GaussianBlur(rng.normal(0, 2, SIZE).astype(np.float32), (0, 0), 2)), light)
    rgb = np.repeat(light[..., None], 3, 2).astype(np.float32)
    for cx, cy in ((200, 300), (420, 120), (700, 400)):
        rgb[np.hypot(x - cx, y - cy) < 5] = [30.0, 18.0, 6.0]
    return rgb


def treated(**sections) -> Treatment:
    return parse_treatment(Treatment.neutral().model_dump() | sections)


class Finish(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.truth = night()
        cls.renderer = Renderer(PreparedScene.from_radiance(RadianceMap(cls.truth, 0.01 * cls.truth)))

    def light(self, window: Window = WHOLE, **sections) -> np.ndarray:
        return self.renderer.finished(treated(**sections), window)

    def test_windows_and_bands_show_what_the_whole_does(self):
        for name, dials in EFFECTS.items():
            with self.subTest(name=name):
                whole = self.light(**{name: dials})
                self.assertGreater(np.abs(np.log2(whole / self.truth)).max(), 0.1)
                for x, y, w, h in ((150, 240, 200, 150), (0, 200, 900, 64)):
                    part = self.light(Window(x, y, w, h, w, h), **{name: dials})
                    np.testing.assert_allclose(part, whole[y : y + h, x : x + w], rtol=2e-3, atol=1e-5)
        # All at once, in one picture of 8 bits and through a crop.
        everything = treated(**EFFECTS, crop={"ratio": "1:1"})
        size = self.renderer.frame(everything).size
        whole = self.renderer.picture(everything, Window.whole(size), 16)[0].astype(float)
        part = self.renderer.picture(everything, Window(100, 90, 120, 80, 120, 80), 16)[0]
        np.testing.assert_allclose(part, whole[90:170, 100:220], atol=160)

    def test_a_reduced_view_is_the_full_picture_reduced(self):
        small = Window(0, 0, 900, 600, 300, 200)
        for name, dials in EFFECTS.items():
            with self.subTest(name=name):
                full = cv2.resize(self.light(**{name: dials}), (300, 200), interpolation=cv2.INTER_AREA)
                plain = cv2.resize(self.truth, (300, 200), interpolation=cv2.INTER_AREA)
                view = self.light(small, **{name: dials})
                # Away from lamps, whose reduced pixels hold many stops.
                even = cv2.dilate(luminance(plain), np.ones((9, 9))) < 1
                off = np.abs(np.log2(view / full)).max(-1)[even]
                effect = np.abs(np.log2(full / plain)).max(-1)[even]
                self.assertLess(off.mean(), 0.02 + 0.15 * effect.mean())

    def test_nothing_happens_at_nothing_nor_switched_off(self):
        np.testing.assert_array_equal(self.light(), self.truth)
        for name, dials in EFFECTS.items():
            np.testing.assert_array_equal(self.light(**{name: dials | {"on": False}}), self.truth)
            np.testing.assert_array_equal(self.light(**{name: dials | {"opacity": 0}}), self.truth)

    def test_glow_keeps_energy_and_the_lamps_colour(self):
        glowing = self.light(glow=EFFECTS["glow"])
        np.testing.assert_allclose(glowing.sum((0, 1)), self.truth.sum((0, 1)), rtol=0.01)
        beside = np.s_[300, 209:213]
        added = glowing[beside] - self.truth[beside]
        self.assertGreater(np.log2(glowing[beside] / self.truth[beside]).min(), 0.5)
        np.testing.assert_allclose(added[:, 2] / added[:, 0], 6 / 30, atol=0.03)
        grey = self.light(glow=EFFECTS["glow"] | {"colour": 0})[beside] - self.truth[beside]
        np.testing.assert_allclose(grey[:, 2] / grey[:, 0], 1, atol=0.03)
        # Above all lamps nothing spills; what is faint does not.
        np.testing.assert_allclose(self.light(glow=EFFECTS["glow"] | {"threshold": 6}), self.truth, rtol=1e-3)
        # Farther away there is less, and a larger one reaches farther.
        along = luminance(glowing - self.truth)[300, 210:330:20]
        self.assertTrue((np.diff(along) < 0).all())
        large = luminance(self.light(glow=EFFECTS["glow"] | {"size": 2.5}) - self.truth)[300, 210:330:20]
        self.assertTrue(large[-1] > 3 * along[-1])

    def test_painted_light_has_the_lamps_colour_and_grows_along_its_stroke(self):
        def grid(*places: tuple[float, float]) -> list[int]:
            whole = np.round(np.array(places) / 900 * GRID).astype(int)
            return np.concatenate([whole[:1], np.diff(whole, axis=0)]).ravel().tolist()

        # From the lamp to the right.
        stroke = {"points": grid((200, 300), (440, 300)), "radius": 20 / 900}
        painted = {"strokes": [stroke], "grow": 200}
        added = self.light(painted_glow=painted) - self.truth
        begin, end = added[:, 240], added[:, 420]
        self.assertGreater(luminance(added[302, 300]), 0.05)
        np.testing.assert_allclose(begin[300] / begin[300].max(), np.array([30, 18, 6]) / 30, atol=0.05)

        def wide(line: np.ndarray) -> int:
            return int((luminance(line) > 0.5 * luminance(line).max()).sum())

        self.assertTrue(1.5 < wide(end) / wide(begin) < 2.6, (wide(begin), wide(end)))
        np.testing.assert_allclose(added[:170], 0, atol=1e-6)
        grey = (self.light(painted_glow=painted | {"colour": 0}) - self.truth)[300, 300]
        np.testing.assert_allclose(grey / grey.max(), 1, atol=0.01)
        twice = self.light(painted_glow=painted | {"amount": 200}) - self.truth
        np.testing.assert_allclose(twice[300, 300], 2 * added[300, 300], rtol=0.01)
        # Its places, and the vignette's, go with the scene into another basis.
        bases = [Basis(frame="a", size=[900, 600], offset=[x, 0]) for x in (0, 90)]
        treatment = treated(painted_glow=painted, vignette={"amount": -1, "centre": [0.5, 0.3]}).in_basis(bases[0], {})
        moved = treatment.in_basis(bases[1], {})
        self.assertNotEqual(moved.vignette.centre, [0.5, 0.3])
        by = np.array(moved.vignette.centre) - [0.5, 0.3]
        np.testing.assert_allclose(
            moved.painted_glow.strokes[0].places() - treatment.painted_glow.strokes[0].places(), [by, by], atol=1e-3
        )

    def test_motion_is_smoothed_along_the_drawing_where_an_area_says(self):
        rng = np.random.default_rng(7)
        y, x = np.mgrid[:300, :450].astype(np.float32)
        # Ripples along a slant, with noise, beside a post that stands.
        slant = np.radians(20)
        ripples = 0.1 * np.exp2(np.sin(0.5 * (y * np.cos(slant) - x * np.sin(slant))))
        truth = np.repeat(ripples[..., None], 3, 2).astype(np.float32)
        noisy = truth * (1 + 0.2 * rng.standard_normal(truth.shape, dtype=np.float32))
        noisy[:, 300:] = 2.0
        renderer = Renderer(PreparedScene.from_radiance(RadianceMap(noisy, 0.2 * noisy)))
        water = {"kind": "gradient", "start": [0.64, 0.3], "end": [0.66, 0.3]}
        areas = [{"parts": [water], "bends": {"motion.amount": 100}}]
        whole = Window.whole((300, 450))
        inner = np.s_[60:240, 60:240]

        def left(**motion) -> tuple[float, np.ndarray]:
            light = renderer.finished(treated(areas=areas, motion={"length": 4} | motion), whole)
            return float(np.std(light[inner] / truth[inner])), light

        own, light = left()
        self.assertLess(own, 0.5 * np.std(noisy[inner] / truth[inner]))
        np.testing.assert_allclose(light[inner].mean(), noisy[inner].mean(), rtol=0.02)
        # The post stays, and does not run into what moves.
        np.testing.assert_array_equal(light[:, 310:], noisy[:, 310:])
        self.assertLess(light[:, :285].max(), 0.5)
        # Along an angle that is the ripples' own it is as good, across them they are gone.
        self.assertAlmostEqual(left(along="angle", angle=20)[0], own, delta=0.03)
        across = luminance(left(along="angle", angle=110)[1][inner])
        self.assertLess(across.std(), 0.5 * luminance(truth[inner]).std())

    def test_mist_lies_before_the_sky_in_its_light(self):
        light = np.full((400, 600, 3), 0.01, np.float32)
        sky = np.array([0.2, 0.3, 0.6], np.float32)
        light[:200] = sky
        rng = np.random.default_rng(3)
        light[200:] *= np.exp2(rng.normal(0, 1.5, (200, 600, 1))).astype(np.float32)
        renderer = Renderer(PreparedScene.from_radiance(RadianceMap(light, 0.01 * light)))
        after = renderer.finished(treated(mist={"amount": 100, "where": "sky"}), Window.whole((400, 600)))
        rows = (after - light)[:, 100:500].mean((1, 2))
        self.assertGreater(rows[205], 0.05)
        # Thinner farther off, and nothing at the picture's ends.
        self.assertTrue(rows[205] > 2 * rows[225] > 4 * rows[250] >= 0, rows[200:260:10])
        np.testing.assert_allclose(after[390:], light[390:], atol=0.01)
        added = (after - light)[205, 100:500].mean(0)
        np.testing.assert_allclose(added / added.sum(), sky / sky.sum(), atol=0.05)

    def test_sharpness_made_for_a_medium_is_told_by_the_eye(self):
        rng = np.random.default_rng(5)
        texture = cv2.GaussianBlur(rng.standard_normal((800, 1200), dtype=np.float32), (0, 0), 1.5)
        light = np.repeat(0.1 * np.exp2(texture / texture.std())[..., None], 3, 2).astype(np.float32)
        half = cv2.resize(light, (600, 400), interpolation=cv2.INTER_AREA)

        def gained(of: np.ndarray, **dials) -> float:
            renderer = Renderer(PreparedScene.from_radiance(RadianceMap(of, None)))
            after = renderer.finished(
                treated(sharpness={"amount": 100, "smooth": 0} | dials), Window.whole(of.shape[:2])
            )
            return float(np.std(np.log2(luminance(after))) / np.std(np.log2(luminance(of))))

        screen, matt = (gained(light, made_for=name, distance=4) for name in ("screen", "matt"))
        self.assertTrue(1.02 < screen < matt, (screen, matt))
        # The same at half the size: the eye does not count pixels.
        self.assertAlmostEqual(gained(half, made_for="screen", distance=4), screen, delta=0.03)
        self.assertGreater(gained(light, made_for="screen", distance=4), gained(light, made_for="screen", distance=1.5))

    def test_sharpness_raises_edges_and_no_noise(self):
        rng = np.random.default_rng(4)
        x = np.arange(400, dtype=np.float32)
        edge = 0.1 * np.exp2(2 / (1 + np.exp(-np.clip((x - 200) / 1.5, -60, 60))))
        clean = np.broadcast_to(edge[None, :, None], (300, 400, 3)).astype(np.float32)
        noisy = clean * (1 + 0.03 * rng.standard_normal((300, 400, 1), dtype=np.float32))
        renderer = Renderer(PreparedScene.from_radiance(RadianceMap(noisy, 0.03 * noisy)))

        def sharpened(**dials) -> np.ndarray:
            treatment = treated(sharpness={"amount": 150, "radius": 1.5} | dials)
            return luminance(renderer.finished(treatment, Window.whole((300, 400))))

        def spread(light: np.ndarray) -> float:
            """Pixels over which the middle half of the edge lies."""
            stops = np.log2(light.mean(0))
            return float(
                np.interp(np.log2(0.1) + 1.5, stops[180:220], np.arange(40))
                - np.interp(np.log2(0.1) + 0.5, stops[180:220], np.arange(40))
            )

        before, after = luminance(noisy), sharpened()
        self.assertLess(spread(after), 0.92 * spread(before))
        # In the smooth the noise stays what it was; without that care it grows.
        grown = np.log2(after[:, :150]).std() / np.log2(before[:, :150]).std()
        careless = np.log2(sharpened(smooth=0)[:, :150]).std() / np.log2(before[:, :150]).std()
        self.assertLess(grown, 1.25)
        self.assertGreater(careless, 1.4)
        # Halos are held.
        over = np.log2(sharpened(halo=0).mean(0).max() / before[:, 300:].mean())
        self.assertLess(over, np.log2(sharpened(halo=100).mean(0).max() / before[:, 300:].mean()))
        codes, _ = paint_view(renderer, treated(sharpness={"amount": 100}), Window.whole((300, 400)), "sharp")
        self.assertGreater(codes[:, 196:204].mean(), codes[:, :150].mean() + 25)

    def test_a_vignette_has_its_centre_and_keeps_highlights(self):
        edges = np.log2(self.light(vignette={"amount": -2, "size": 60, "highlights": 0}) / self.truth)[..., 0]
        self.assertAlmostEqual(float(edges[0, 0]), -2, delta=0.2)
        self.assertAlmostEqual(float(edges[300, 450]), 0, delta=0.01)
        np.testing.assert_allclose(edges, edges[::-1, ::-1], atol=0.02)
        moved = np.log2(self.light(vignette={"amount": -2, "size": 60, "centre": [0.2, 0.2]}) / self.truth)[..., 0]
        self.assertAlmostEqual(float(moved[180, 180]), 0, delta=0.01)
        self.assertLess(float(moved[599, 899]), -1.9)
        kept = np.log2(self.light(vignette={"amount": -2, "size": 20, "highlights": 100}) / self.truth)[..., 0]
        self.assertAlmostEqual(float(kept[300, 200]), 0, delta=0.01)
        self.assertLess(float(kept[30, 30]), -1.5)

    def test_grain_is_as_strong_and_as_coarse_as_it_says(self):
        even = np.full((512, 512, 3), 0.18, np.float32)
        renderer = Renderer(PreparedScene.from_radiance(RadianceMap(even, None)))

        def grain(**dials) -> np.ndarray:
            treatment = treated(grain={"amount": 50, "tone": 0} | dials)
            return np.log2(renderer.finished(treatment, Window.whole((512, 512))) / even)

        fine, coarse = grain(size=1.0)[..., 0], grain(size=4.0)[..., 0]
        np.testing.assert_allclose([fine.std(), coarse.std()], 0.2, rtol=0.1)
        self.assertAlmostEqual(float(fine.mean()), 0, delta=0.01)
        beside = [np.corrcoef(g[:, :-2].ravel(), g[:, 2:].ravel())[0, 1] for g in (fine, coarse)]
        self.assertTrue(beside[0] < 0.1 and beside[1] > 0.7)
        # The same for all colours, or each its own.
        self.assertGreater(np.corrcoef(grain()[..., 0].ravel(), grain()[..., 2].ravel())[0, 1], 0.999)
        self.assertLess(abs(np.corrcoef(*(grain(colour="colour")[..., c].ravel() for c in (0, 2)))[0, 1]), 0.05)
        # Means of what lies in a reduced pixel, to the digit.
        at = np.arange(512) + 0.5
        noise = white_noise(at, at, 1.0, 0)
        self.assertAlmostEqual(float(noise.std()), 1, delta=0.01)
        for step in (2, 3, 4):
            few = (np.arange(512 // step) + 0.5) * step
            side = 512 // step * step
            means = noise[:side, :side].reshape(512 // step, step, 512 // step, step).mean((1, 3))
            np.testing.assert_allclose(white_noise(few, few, 1 / step, 0), means, atol=1e-5)

    def test_bright_stars_grow_in_their_colour_and_rays_follow_the_blades(self):
        rng = np.random.default_rng(8)
        sky = np.full((300, 450, 3), 0.01, np.float32)
        sky[240:] = 0.0005 + 0.001 * rng.random((60, 450, 1))
        bright, faint = np.array([0.9, 0.5, 0.25]), 0.014
        for y, x in ((60, 90), (120, 300), (180, 200)):
            sky[y - 1 : y + 2, x - 1 : x + 2] += (bright * 0.3).astype(np.float32)
            sky[y, x] += bright.astype(np.float32)
        for y, x in rng.integers((5, 5), (230, 445), (60, 2)):
            sky[y, x] += faint
        renderer = Renderer(PreparedScene.from_radiance(RadianceMap(sky, 0.02 * sky)))

        def finished(**dials) -> np.ndarray:
            return renderer.finished(treated(star_glow=dials), Window.whole((300, 450)))

        grown = finished(amount=100, size=2.0) - sky
        added = grown[120, 304]
        self.assertGreater(added.min(), 0.005)
        np.testing.assert_allclose(added / added[1], bright / bright[1], rtol=0.15)
        # Faint ones stay, and so does the ground.
        self.assertLess(np.abs(grown[250:]).max(), 1e-4)
        self.assertLess(np.median(np.abs(grown[:230])), 1e-4)
        between = finished(between=1.0)
        self.assertAlmostEqual(float(np.log2(between[20, 20] / sky[20, 20]).mean()), -1, delta=0.05)
        self.assertAlmostEqual(float(np.log2(between[270, 20] / sky[270, 20]).mean()), 0, delta=0.05)
        # Rays of a lamp: as many as blades that are even, twice as many as those that are odd.
        for blades, rays in ((4, 4), (5, 10)):
            out = self.light(star_glow={"rays": 100, "blades": blades, "length": 60})
            added = luminance(out - self.truth)
            angles = np.radians(np.arange(0, 360, 1.5))
            ring = np.array([added[round(120 + 30 * np.sin(a)), round(420 + 30 * np.cos(a))] for a in angles])
            high = ring > 0.3 * ring.max()
            self.assertEqual(int((np.diff(np.append(high, high[0]).astype(int)) == 1).sum()), rays)

    def test_areas_bend_amounts_and_ways_act_on_lightness_or_colour(self):
        half = {"parts": [{"kind": "gradient", "start": [0.49, 0.3], "end": [0.51, 0.3]}]}
        area = treated(areas=[half | {"bends": {"exposure.ev": 1}}]).areas[0]
        inside = self.renderer.mask(area, self.renderer.view(treated(), WHOLE)) / 65535
        for name, dials in EFFECTS.items():
            with self.subTest(name=name):
                full, none = self.light(**{name: dials}), self.light(**{name: dials | {"amount": 0}})
                bent = self.light(
                    **{name: dials}, areas=[half | {"bends": {f"{name}.amount": -float(dials["amount"])}}]
                )
                for side, wanted in ((inside > 0.999, none), (inside < 0.001, full)):
                    self.assertGreater(side.sum(), 1000)
                    np.testing.assert_allclose(bent[side], wanted[side], rtol=1e-3, atol=1e-5)
                # Where the whole picture has none an area may have it.
                own = self.light(
                    **{name: dials | {"amount": 0}},
                    areas=[half | {"bends": {f"{name}.amount": float(dials["amount"])}}],
                )
                np.testing.assert_allclose(own[inside > 0.999], full[inside > 0.999], rtol=1e-3, atol=1e-5)
        full = self.light(glow=EFFECTS["glow"])
        lightness = self.light(glow=EFFECTS["glow"] | {"way": "lightness"})
        colour = self.light(glow=EFFECTS["glow"] | {"way": "colour"})
        np.testing.assert_allclose(luminance(lightness), luminance(full), rtol=1e-3)
        np.testing.assert_allclose(luminance(colour), luminance(self.truth), rtol=1e-3)
        ratio = lightness[..., 2] / lightness[..., 0], self.truth[..., 2] / self.truth[..., 0]
        np.testing.assert_allclose(*ratio, rtol=1e-3)


if __name__ == "__main__":
    unittest.main()
