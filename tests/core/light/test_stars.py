"""Stars in the picture: held, they differ in brightness and colour; the sky and lamps stay."""

import unittest

import numpy as np

from crenn.core.colorimetry.oklab import to_oklab
from crenn.core.colorimetry.spaces import REC2020_TO_SRGB, lightness, luminance, srgb_decode
from crenn.core.light.stars import Stars
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment, parse_treatment

SIZE = (160, 240)
#: Rows, columns and peaks of stars, over a sky of 2⁻⁴.
STARS = [(30, 40, 0.5), (40, 150, 2.0), (90, 60, 8.0), (120, 200, 32.0)]
ORANGE = np.array([1.4, 0.95, 0.5], np.float32)


def night() -> tuple[np.ndarray, np.ndarray]:
    """A sky with orange stars as a lens draws them, and a lamp; float32 (H, W, 3), and the noise."""
    y, x = np.mgrid[: SIZE[0], : SIZE[1]].astype(np.float32)
    rgb = np.full((*SIZE, 3), 2.0**-4, np.float32)
    for row, column, peak in STARS:
        rgb += (peak * np.exp(-((y - row) ** 2 + (x - column) ** 2) / (2 * 0.8**2)))[..., None] * ORANGE
    rgb[(y - 60) ** 2 + (x - 200) ** 2 < 12**2] = 6.0
    noise = np.full_like(rgb, 0.002)
    return rgb + noise * np.random.default_rng(1).standard_normal(rgb.shape).astype(np.float32), noise


class Held(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.light, noise = night()
        cls.renderer = Renderer(PreparedScene.from_radiance(RadianceMap(cls.light, noise)))

    def linear(self, contrast: float) -> np.ndarray:
        document = Treatment.neutral().model_dump() | {"stars": {"contrast": contrast}}
        return self.renderer.linear(parse_treatment(document), Window.whole(SIZE))

    def test_at_one_nothing_changes(self):
        np.testing.assert_array_equal(self.linear(1.0), self.light)

    def test_they_stand_out_less_and_keep_their_order(self):
        full, held = (
            np.array([luminance(v)[row, column] for row, column, _ in STARS]) for v in (self.light, self.linear(0.5))
        )
        self.assertTrue((np.diff(held) > 0).all())
        over = np.log2(full / 2.0**-4), np.log2(held / 2.0**-4)
        np.testing.assert_allclose(over[1], 1 + (over[0] - 1) / 2, atol=0.25)

    def test_the_sky_and_lamps_stay(self):
        held = self.linear(0.5)
        stars = np.zeros(SIZE, bool)
        for row, column, _ in STARS:
            stars[row - 8 : row + 9, column - 8 : column + 9] = True
        np.testing.assert_allclose(held[~stars], self.light[~stars], rtol=1e-5)

    def test_held_they_show_their_colour_and_differ(self):
        shown = []
        for contrast in (1.0, 0.5):
            document = Treatment.neutral().model_dump() | {"stars": {"contrast": contrast}}
            codes, _ = self.renderer.picture(parse_treatment(document), Window.whole(SIZE))
            shown.append(srgb_decode(np.array([codes[row, column] for row, column, _ in STARS]) / 255.0))
        tones = [lightness(v @ np.linalg.inv(REC2020_TO_SRGB).T @ [0.2627, 0.678, 0.0593]) for v in shown]
        self.assertGreater(np.ptp(tones[1][1:]), np.ptp(tones[0][1:]) + 3)
        chroma = [np.hypot(*to_oklab(v[1:])[..., 1:].T).mean() for v in shown]
        self.assertGreater(chroma[1], chroma[0] * 1.3)

    def test_by_itself_where_frames_were_laid_on_stars_or_it_is_too_dark_for_lamps(self):
        starlight = {"seconds": 20.0, "aperture": 2.0, "iso": 12800.0}
        for stack, seconds, contrast in (
            (None, None, 1.0),
            ({"sky": False}, None, 1.0),
            ({"sky": True}, None, 0.5),
            (None, 20.0, 0.5),
            (None, 1 / 30, 1.0),
        ):
            report = self.renderer.scene.report | {"stack": stack}
            if seconds is not None:
                report["capture"] = starlight | {"seconds": seconds}
            scene = PreparedScene.from_radiance(RadianceMap(self.light, None, report=report))
            found = Stars().automatic(scene.light)
            self.assertEqual(found["contrast"], contrast)


if __name__ == "__main__":
    unittest.main()
