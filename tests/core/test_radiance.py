"""Radiance maps as OpenEXR files."""

import numpy as np
import OpenEXR

from crenn.core.errors import CrennError
from crenn.core.radiance import RadianceMap, read_exr, write_exr
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.report.merging import MergeReport, light_statistics
from crenn.core.treatment import Treatment
from tests.support import FolderCase, night


class RadianceFiles(FolderCase):
    def test_exr_and_back(self):
        rgb = night(40, 60)
        source = np.arange(2400, dtype=np.uint8).reshape(40, 60) % 5
        path = self.folder / "m.exr"
        report = MergeReport(
            reference=1,
            width=60,
            height=40,
            frames=[],
            source_indices=[],
            as_shot=[5000, 0],
            clipped_share=[0, 0, 0],
            **light_statistics(rgb, rgb * 0.1, None),
        ).model_dump()
        write_exr(path, rgb, RadianceMap(rgb, rgb * 0.1, source, source % 2, report=report))
        back = read_exr(path)
        np.testing.assert_array_equal(back.rgb, rgb)
        np.testing.assert_array_equal(back.source, source)
        np.testing.assert_allclose(back.sigma, rgb * 0.1)
        self.assertEqual(back.report, report)

    def test_a_report_that_cannot_be_is_left_out_and_light_is_held_to_numbers(self):
        rgb = night(40, 60)
        wild = rgb.copy()
        wild[0, 0], wild[1, 1], wild[2, 2] = np.nan, np.inf, -np.inf
        report = {"reference": 1, "histogram": [1.0], "histogram_start": 1e300, "noise_horizon": float("nan")}
        path = self.folder / "m.exr"
        write_exr(path, wild, RadianceMap(wild, wild, report=report))
        back = read_exr(path)
        self.assertEqual(back.report, {})
        self.assertTrue(np.isfinite(back.rgb).all() and np.isfinite(back.sigma).all())
        np.testing.assert_array_equal(back.rgb[5:], rgb[5:])
        codes, _ = Renderer(PreparedScene.from_radiance(back)).picture(Treatment(), Window.whole((40, 60)))
        self.assertGreater(codes.std(), 5)

    def test_contract_of_the_merged_file(self):
        rgb = night(40, 60)
        path = self.folder / "m.exr"
        write_exr(path, rgb, RadianceMap(rgb, rgb, np.zeros((40, 60), np.uint8)))
        with OpenEXR.File(str(path), separate_channels=True) as file:
            self.assertLessEqual({"R", "G", "B", "sigma.R", "sigma.G", "sigma.B", "source"}, set(file.channels()))
            np.testing.assert_allclose(
                file.header()["chromaticities"], (0.708, 0.292, 0.170, 0.797, 0.131, 0.046, 0.3127, 0.3290), atol=1e-6
            )

    def test_broken_and_absent(self):
        (self.folder / "b.exr").write_bytes(b"v/1\x01broken")
        with self.assertRaisesRegex(CrennError, "b.exr: is no OpenEXR"):
            read_exr(self.folder / "b.exr")
        with self.assertRaisesRegex(CrennError, "a.exr: does not exist"):
            read_exr(self.folder / "a.exr")

    def test_a_folder_that_is_not_there(self):
        with self.assertRaisesRegex(CrennError, "folder does not exist"):
            write_exr(self.folder / "no" / "m.exr", night(20, 20))

    def test_primaries_that_cannot_be_are_refused_in_words(self):
        nan = float("nan")
        good = (0.64, 0.33, 0.30, 0.60, 0.15, 0.06, 0.3127, 0.3290)
        for bad in ((nan, *good[1:]), (*good[:7], 0.0), (0.3, 0.3, 0.3, 0.3, 0.3, 0.3, *good[6:])):
            path = self.folder / "p.exr"
            header = {"chromaticities": bad, "compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
            OpenEXR.File(header, {name: night(20, 20)[..., k].copy() for k, name in enumerate("RGB")}).write(str(path))
            with self.subTest(bad=bad), self.assertRaisesRegex(CrennError, "p.exr: has primaries that cannot be"):
                read_exr(path)
