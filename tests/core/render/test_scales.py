"""Every step shows the same picture at every size: reduced, and in windows at full size."""

import unittest

import cv2
import numpy as np

from crenn.bench.scale import corners_and_centre
from crenn.bench.treatments import IN_USE
from crenn.core.colorimetry.spaces import delta_e2000, srgb_to_lab
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import parse_treatment
from tests.support import night

SIZE = (1200, 1800)


def scene() -> np.ndarray:
    """A night without detail below three pixels, as no lens draws any."""
    return cv2.GaussianBlur(
        cv2.resize(night(600, 900), SIZE[::-1], interpolation=cv2.INTER_CUBIC).clip(1e-4), (0, 0), 1.2
    )


class Sizes(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.renderer = Renderer(PreparedScene.from_radiance(RadianceMap(scene(), None)))
        cls.full = {}
        for name, document in IN_USE.items():
            treatment = parse_treatment(document)
            whole = Window.whole(cls.renderer.frame(treatment).size)
            cls.full[name] = treatment, cls.renderer.picture(treatment, whole, 16)[0]

    def test_a_reduced_view_is_the_full_picture_reduced(self):
        for name, (treatment, full) in self.full.items():
            for edge in (600, 1200):
                height, width = full.shape[:2]
                window = Window.whole((height, width), edge)
                reduced = cv2.resize(full, (window.out_width, window.out_height), interpolation=cv2.INTER_AREA)
                shown, _ = self.renderer.picture(treatment, window, 16, oversample=2)
                # Every ninth pixel tells as much, and colour differences take their time.
                parts = (v[::3, ::3] / 65535 for v in (reduced, shown))
                off = delta_e2000(*map(srgb_to_lab, parts))
                with self.subTest(step=name, edge=edge):
                    self.assertLess(off.mean(), 0.5)
                    self.assertLess(np.percentile(off, 99), 2.0)

    def test_a_window_at_full_size_is_its_part_of_the_full_picture(self):
        for name, (treatment, full) in self.full.items():
            for window in corners_and_centre(full.shape[:2], 200):
                x, y, size = int(window.x), int(window.y), window.out_width
                part, _ = self.renderer.picture(treatment, window, 16)
                off = np.abs(part.astype(int) - full[y : y + size, x : x + size])
                with self.subTest(step=name, x=x, y=y):
                    # A grid is read a thousandth of a cell apart; all else is the same to the bit.
                    self.assertLess(np.percentile(off, 99), 40)
                    self.assertLess(off.mean(), 6)
