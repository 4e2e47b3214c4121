"""A picture delivered in bands is the same, bit for bit, as in one."""

import unittest
from unittest import mock

import numpy as np

from crenn.bench.treatments import IN_USE
from crenn.core.deliver import bands
from crenn.core.deliver.bands import code_bands, light_bands
from crenn.core.errors import Cancelled
from crenn.core.progress import Progress
from crenn.core.radiance import RadianceMap
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.treatment import parse_treatment
from tests.support import night


class Seams(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.renderer = Renderer(PreparedScene.from_radiance(RadianceMap(night(400, 600), None)))

    def delivered(self, make, document: dict, rows: int, long_edge: int | None = None) -> np.ndarray:
        treatment = parse_treatment(document)
        height, width = self.renderer.frame(treatment).size
        factor = 1 if long_edge is None else long_edge / max(height, width)
        size = round(width * factor), round(height * factor)
        # However far planes look, no more rows.
        few = mock.patch.multiple(bands, _PIXELS=rows * width, _ROWS=1, _MARGINS=0)
        with few:
            return np.concatenate(list(make(self.renderer, treatment, size, Progress())))

    def test_however_many_rows_a_band_has(self):
        for name in (
            "automatic",
            "fine relief",
            "relief of colour",
            "faint colour",
            "lens",
            "level",
            "areas",
            "all together",
        ):
            document = IN_USE[name]
            for make in (code_bands, light_bands):
                one = self.delivered(make, document, 10_000)
                for rows in (23, 133):
                    with self.subTest(step=name, make=make.__name__, rows=rows):
                        np.testing.assert_array_equal(self.delivered(make, document, rows), one)

    def test_reduced_too(self):
        one = self.delivered(code_bands, IN_USE["all together"], 10_000, 237)
        self.assertEqual(max(one.shape), 237)
        for rows in (31, 90):
            off = np.abs(self.delivered(code_bands, IN_USE["all together"], rows, 237).astype(int) - one)
            self.assertLessEqual(off.max(), 1)

    def test_it_can_be_called_off_between_bands(self):
        def stop(share: float, what: str) -> None:
            if share > 0.3:
                raise Cancelled

        with self.assertRaises(Cancelled):
            treatment = parse_treatment({})
            with mock.patch.object(bands, "_PIXELS", 30 * 600), mock.patch.object(bands, "_ROWS", 1):
                list(code_bands(self.renderer, treatment, (600, 400), Progress(stop)))
