"""Turn: quarter turns and the mirror, which move pixels and change none."""

import unittest

import numpy as np

from crenn.core.geometry.crop import Crop, CropParameters
from crenn.core.geometry.turn import Turn, TurnParameters
from crenn.core.pipeline.picture_geometry import PictureGeometry
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment, parse_treatment
from tests.support import SCENE_LIGHT, night


class Turning(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.rgb = night()
        cls.renderer = Renderer(PreparedScene.from_radiance(RadianceMap(cls.rgb, None)))

    def light(self, **turn) -> np.ndarray:
        treatment = parse_treatment(Treatment.neutral().model_dump() | {"turn": {"on": True} | turn})
        return self.renderer.linear(treatment, Window.whole(self.renderer.frame(treatment).size))

    def test_pixels_are_moved_and_not_changed(self):
        turns = {"0": 0, "1": -1, "2": 2, "3": 1}
        for quarters, k in turns.items():
            for mirror in (False, True):
                wanted = np.rot90(self.rgb[:, ::-1] if mirror else self.rgb, k)
                with self.subTest(quarters=quarters, mirror=mirror):
                    np.testing.assert_allclose(
                        self.light(quarters=quarters, mirror=mirror), wanted, rtol=2e-5, atol=1e-7
                    )

    def test_as_shot_turns_with_the_picture(self):
        frame = Turn().frame(PictureGeometry.whole((320, 480)), TurnParameters(quarters="1"), SCENE_LIGHT)
        self.assertEqual(frame.size, (480, 320))
        self.assertEqual(Crop().box(frame, CropParameters()), (0, 0, 320, 480))
