"""Dials that areas bend besides those that all light goes through: placement, ends, tones, softness."""

import unittest

import cv2
import numpy as np

from crenn.core.colorimetry.oklab import apart, from_oklab, hue_of, to_oklab
from crenn.core.colorimetry.spaces import luminance
from crenn.core.errors import InvalidTreatment
from crenn.core.light.curve import TONES, tones_ev
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import STEPS, Treatment, parse_treatment
from tests.support import night

EVERYWHERE = {"kind": "light"}
LEFT = {"kind": "gradient", "start": [0.3, 0.0], "end": [0.5, 0.0]}


class Bends(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.rgb = night()
        cls.renderer = Renderer(PreparedScene.from_radiance(RadianceMap(cls.rgb, None)))
        cls.whole = Window.whole(cls.rgb.shape[:2])

    def treatment(self, bends: dict | None = None, part: dict | None = None, **sections) -> Treatment:
        document = Treatment.neutral().model_dump() | {n: v | {"on": True} for n, v in sections.items()}
        document["areas"] = [{"parts": [part or EVERYWHERE], "bends": bends}] if bends else []
        return parse_treatment(document)

    def light(self, *args, **more) -> np.ndarray:
        return self.renderer.linear(self.treatment(*args, **more), self.whole)

    @classmethod
    def grey_codes(cls, treatment: Treatment) -> np.ndarray:
        """What a ramp of grey becomes."""
        ramp = np.repeat(np.exp2(np.linspace(-14, 3, 600))[None, :, None], 3, 2).repeat(20, 0).astype(np.float32)
        renderer = Renderer(PreparedScene.from_radiance(RadianceMap(ramp, None)))
        return renderer.picture(treatment, Window.whole(ramp.shape[:2]), 16)[0][10].astype(np.float64) / 65535

    def test_a_bend_of_everything_is_the_dial_itself(self):
        """Where a mask is full everywhere, what is bent is as if the whole picture had been set so."""
        placement = {"shadows": 0.0, "highlights": 0.0, "local": 1.0}
        for dial, by in (("shadows", 2.0), ("highlights", -1.5), ("midtones", 1.0), ("balance", 1.5)):
            bent = self.light({f"placement.{dial}": by}, placement=placement)
            whole = self.light(placement=placement | {dial: by})
            with self.subTest(dial=dial):
                np.testing.assert_allclose(np.log2(bent / whole), 0, atol=0.02)
        # What departs from its neighbourhood is stretched as much as if the whole picture's were.
        bent, whole = (
            self.light({"placement.local": 1.4}, placement=placement),
            self.light(placement=placement | {"local": 1.4}),
        )
        self.assertGreater(np.abs(np.log2(whole / self.light(placement=placement))).max(), 0.1)
        np.testing.assert_allclose(np.log2(bent / whole), 0, atol=0.02)
        for name in TONES:
            bent, whole = self.light({f"curve.{name}": 0.8}, curve={}), self.light(curve={name: 0.8})
            with self.subTest(tone=name):
                np.testing.assert_allclose(np.log2(bent / whole), 0, atol=0.02)
        bent, whole = self.light({"sharpening.softness": 60}, sharpening={}), self.light(sharpening={"softness": 60})
        np.testing.assert_allclose(np.log2(bent / whole), 0, atol=1e-3)

    def test_an_area_acts_on_lightness_or_on_colour_alone(self):
        bends = {
            "exposure.ev": 0.7,
            "white_balance.temperature": -60.0,
            "saturation.saturation": 1.6,
            "tone.contrast": 1.3,
        }
        sections = {
            "exposure": {"ev": 0.0},
            "white_balance": {},
            "saturation": {},
            "tone": {"contrast": 1.0, "pivot": -3.0},
        }
        shown = {}
        for acts in ("light", "lightness", "colour"):
            treatment = self.treatment(bends, **sections)
            area = treatment.areas[0].changed(acts=acts)
            shown[acts] = to_oklab(
                self.renderer.linear(treatment.with_sections(areas=[area]), self.whole).astype(np.float64)
            )
        before = to_oklab(self.rgb.astype(np.float64))
        hue = {name: hue_of(v[..., 1], v[..., 2]) for name, v in (shown | {"before": before}).items()}
        coloured = np.hypot(before[..., 1], before[..., 2]) > 0.05 * before[..., 0]
        # Lightness alone: brighter, in the colours that there were.
        self.assertGreater(np.median(shown["lightness"][..., 0] / before[..., 0]), 1.05)
        turned = {name: np.quantile(np.abs(apart(v, hue["before"]))[coloured], 0.9) for name, v in hue.items()}
        self.assertLess(turned["lightness"], 0.5)
        self.assertGreater(turned["light"], 3)
        # Colour alone: in other colours, as light as it was.
        ratio = luminance(from_oklab(shown["colour"])) / luminance(self.rgb)
        self.assertLess(np.median(np.abs(np.log2(ratio))), 0.15)
        self.assertGreater(turned["colour"], 3)

    def area(self, treatment: Treatment, **changes) -> np.ndarray:
        area = treatment.areas[0].changed(**changes)
        return self.renderer.linear(treatment.with_sections(areas=[area]), self.whole)

    def test_a_step_left_out_in_an_area(self):
        sections = {"exposure": {"ev": 1.0}, "placement": {"shadows": 2.0}, "tone": {"contrast": 1.2}}
        treatment = self.treatment({"saturation.saturation": 1.5}, LEFT, saturation={}, **sections)
        out = self.area(treatment, without=["exposure", "placement"])
        rest = {name: own for name, own in sections.items() if name == "tone"}
        left = self.light(saturation={"saturation": 1.5}, **rest)
        # Within, as if it had never been turned, with what the area itself changes; beyond, as everywhere.
        edge = out.shape[1] // 4
        np.testing.assert_allclose(out[:, :edge], left[:, :edge], rtol=2e-3, atol=1e-6)
        whole = self.light(saturation={}, **sections)
        np.testing.assert_allclose(out[:, -edge:], whole[:, -edge:], rtol=2e-3, atol=1e-6)
        self.assertGreater(np.abs(np.log2(luminance(whole) / luminance(out)))[:, :edge].mean(), 0.8)
        # What shows light is not left out: it shows the whole picture.
        for name in ("ends", "crop", "nothing"):
            document = treatment.model_dump(mode="json")
            document["areas"][0]["without"] = [name]
            with self.assertRaisesRegex(InvalidTreatment, name):
                parse_treatment(document)

    def test_light_is_added_in_an_area(self):
        treatment = self.treatment({"exposure.ev": -1.0}, exposure={"ev": 0.5})
        before = self.light(exposure={"ev": 0.5})
        np.testing.assert_allclose(self.area(treatment, acts="added") / before, 1.5, rtol=2e-3)
        np.testing.assert_allclose(self.area(treatment, acts="added", opacity=50.0) / before, 1.25, rtol=2e-3)
        # Of itself alone it is as much light again, as light added is at once.
        np.testing.assert_allclose(self.area(treatment, acts="added", bends={}) / before, 2.0, rtol=2e-3)
        # What is not dark by any of it stays where it is not.
        one = treatment.areas[0].changed(acts="added")
        two = one.changed(bends={"exposure.ev": -2.0}, id="a2")
        both = self.renderer.linear(treatment.with_sections(areas=[one, two]), self.whole)
        np.testing.assert_allclose(both / before, 1.75, rtol=2e-3)

    def test_another_take_is_shown_in_an_area(self):
        own = {"exposure": {"ev": 2.0}, "saturation": {"saturation": 0.5}}
        other = Treatment.neutral().model_dump(mode="json") | own | {"crop": {"ratio": "1:1"}}
        treatment = self.treatment({"exposure.ev": 0.0}, LEFT, exposure={"ev": 0.5}, saturation={})
        here, there = self.light(exposure={"ev": 0.5}, saturation={}), self.light(**own)
        out = self.area(treatment, take=other)
        # All of it within, nothing of it beyond; the picture lies as this one does.
        edge = out.shape[1] // 4
        np.testing.assert_allclose(out[:, :edge], there[:, :edge], rtol=2e-3, atol=1e-6)
        np.testing.assert_allclose(out[:, -edge:], here[:, -edge:], rtol=2e-3, atol=1e-6)
        # A dial mixes the two, and what the area bends comes on top.
        mixed = self.area(treatment, take=other, opacity=25.0)
        np.testing.assert_allclose(mixed[:, :edge], (0.75 * here + 0.25 * there)[:, :edge], rtol=5e-3, atol=1e-5)
        darker = self.area(treatment, take=other, bends={"exposure.ev": -1.0})
        np.testing.assert_allclose(darker[:, :edge], 0.5 * there[:, :edge], rtol=5e-3, atol=1e-5)
        for wrong, says in (({"exposure": {"ev": 99}}, "no treatment"), ({"areas": [{"parts": [LEFT]}]}, None)):
            area = {"parts": [LEFT], "take": wrong if says else {"areas": [{"parts": [LEFT], "take": other}]}}
            with self.assertRaisesRegex(InvalidTreatment, says or "shows others"):
                parse_treatment({"areas": [area]})

    def test_ends_within_an_area_show_light_as_ends_of_the_picture_would(self):
        ends = {"white": 0.0, "black": -8.0}
        for change in ({"white": 1.5}, {"white": -1.0}, {"black": 3.0}, {"black": -3.0}):
            bends = {f"ends.{name}": by for name, by in change.items()}
            moved = ends | {name: ends[name] + by for name, by in change.items()}
            with self.subTest(**change):
                bent, whole = (
                    self.grey_codes(t) for t in (self.treatment(bends, ends=ends), self.treatment(ends=moved))
                )
                np.testing.assert_allclose(bent, whole, atol=0.004)
                self.assertGreater(float(np.abs(bent - self.grey_codes(self.treatment(ends=ends))).max()), 0.02)

    def test_they_do_not_reach_beyond_their_mask(self):
        outside = np.arange(480) / 480 > 0.51
        sections = {"placement": {"shadows": 0.0, "highlights": 0.0, "local": 1.0}, "curve": {}, "sharpening": {}}
        bends = {"placement.shadows": 3.0, "curve.dark": 1.0, "sharpening.softness": 80}
        plain, bent = self.light(**sections), self.light(bends, LEFT, **sections)
        np.testing.assert_allclose(bent[:, outside], plain[:, outside], rtol=1e-5)
        self.assertGreater(float(np.abs(np.log2(bent / plain))[:, ~outside].max()), 1.0)

    def test_softness_evens_light_out_in_stops_and_keeps_colour(self):
        soft = self.light(sharpening={"softness": 100, "soft_radius": 3.0})
        stops = np.log2(luminance(self.rgb))
        wanted = cv2.GaussianBlur(stops, (0, 0), 3.0, borderType=cv2.BORDER_REPLICATE)
        bright = luminance(self.rgb) > 0.01
        np.testing.assert_allclose(np.log2(luminance(soft))[bright], wanted[bright], atol=0.02)
        np.testing.assert_allclose((soft / self.rgb)[..., 0], (soft / self.rgb)[..., 2], rtol=1e-3)


class Tones(unittest.TestCase):
    STOPS = np.linspace(-14, 4, 400)

    def test_each_moves_its_own_light_by_its_ev_and_leaves_the_others_own(self):
        for name, stop in TONES.items():
            added = tones_ev(self.STOPS, {name: 0.7})
            with self.subTest(tone=name):
                self.assertAlmostEqual(float(np.interp(stop, self.STOPS, added)), 0.7, delta=0.01)
                others = [float(np.interp(s, self.STOPS, added)) for n, s in TONES.items() if n != name]
                np.testing.assert_allclose(others, 0, atol=0.02)

    def test_brighter_light_stays_brighter_whatever_they_are_set_to(self):
        rng = np.random.default_rng(0)
        for _ in range(30):
            moved = dict(zip(TONES, rng.uniform(-2, 2, len(TONES))))
            self.assertGreaterEqual(float(np.diff(self.STOPS + tones_ev(self.STOPS, moved)).min()), -1e-9)


class Ends(unittest.TestCase):
    """Whatever a document may hold can be rendered: every dial that areas bend, bent as far as it may be."""

    def test_every_bend_at_its_ends_gives_a_picture(self):
        rgb = night(60, 90)
        scene = PreparedScene.from_radiance(RadianceMap(rgb, 0.05 * rgb))
        scene.split_noise()
        renderer, window = Renderer(scene), Window.whole((60, 90))
        items = {
            "hues": {"ranges": [{"name": "A", "hue": 60}]},
            "tints": {"points": [{"name": "A", "stop": -3, "hue": 9}]},
        }
        for step in STEPS:
            names = [(name, step.bend_of(name)) for name in step.parameters.model_fields]
            for model in step.items.values():
                names += [(f"A.{name}", step.bend_of(f"A.{name}")) for name in model.model_fields]
            for end in ("low", "high"):
                bends = {f"{step.name}.{name}": getattr(bend, end) for name, bend in names if bend is not None}
                if not bends:
                    continue
                treatment = parse_treatment(items | {"areas": [{"parts": [EVERYWHERE], "bends": bends}]})
                with self.subTest(step=step.name, end=end):
                    self.assertTrue(np.isfinite(renderer.linear(treatment, window)).all())
                    renderer.picture(treatment, window)

    def test_warmth_ends_where_white_light_does(self):
        renderer = Renderer(PreparedScene.from_radiance(RadianceMap(night(60, 90), None)))
        window = Window.whole((60, 90))
        for temperature, by in ((20000, 200), (20000, 120), (1800, -200)):
            bent = {"parts": [EVERYWHERE], "bends": {"white_balance.temperature": by}}
            document = {"white_balance": {"temperature": temperature}, "areas": [bent]}
            light = renderer.linear(parse_treatment(document), window)
            self.assertTrue(np.isfinite(light).all())
            plain = renderer.linear(parse_treatment(document | {"areas": []}), window)
            # Warmer by mired: more red for its blue, or less.
            ratio = np.log2((light[..., 0] / light[..., 2]) / (plain[..., 0] / plain[..., 2])).mean()
            self.assertGreater(ratio * np.sign(by), 0)
