"""Treatment documents, radiance files, delivered files, grouping, layers."""

import ast
import json
import unittest
from datetime import datetime, timedelta
from pathlib import Path

import numpy as np
import OpenEXR
import tifffile
from PIL import Image, ImageCms

from crenn.core.deliver.files import CaptureMetadata, deliver
from crenn.core.errors import Cancelled, CrennError, InvalidTreatment
from crenn.core.frames.grouping import GroupingKey, group_frames
from crenn.core.progress import Progress
from crenn.core.radiance import RadianceMap, read_exr, write_exr
from crenn.core.render.executor import Renderer, Window
from crenn.core.render.pyramid import PreparedScene
from crenn.core.report.merging import MergeReport, light_statistics
from crenn.core.treatment import STEPS, Treatment, parse_treatment, read_treatment
from tests.support import ROOT, FolderCase, night


class Treatments(FolderCase):
    def test_json_and_back(self):
        document = {"exposure": {"ev": 0.5}, "placement": {"rungs": [{"stop": -4, "ev": 0.8}]}}
        treatment = parse_treatment(document)
        self.assertEqual(parse_treatment(json.loads(treatment.model_dump_json())), treatment)

    def test_faults_name_the_value(self):
        for document, words in (
            ({"exposure": {"ev": 99}}, "exposure.ev"),
            ({"sparkle": {}}, "sparkle"),
            ({"tone": {"contrast": "much"}}, "tone.contrast"),
            ({"version": 7}, "version"),
            ({"placement": {"rungs": [{"stop": 1, "ev": 1}, {"stop": 1, "ev": 2}]}}, "same stop"),
            ({"exposure": {"ev": float("nan")}}, "exposure.ev"),
            ([], "JSON object"),
        ):
            with self.subTest(words=words), self.assertRaisesRegex(InvalidTreatment, words):
                parse_treatment(document)

    def test_files_that_are_no_treatment(self):
        path = self.folder / "t.json"
        path.write_text("{broken")
        with self.assertRaisesRegex(InvalidTreatment, "t.json: is no JSON"):
            read_treatment(path)
        with self.assertRaisesRegex(InvalidTreatment, "absent.json"):
            read_treatment(self.folder / "absent.json")

    def test_every_dial_states_unit_range_and_help(self):
        for step in STEPS:
            for name, info in step.parameters.model_fields.items():
                extra = info.json_schema_extra
                if isinstance(extra, dict) and "unit" in extra:
                    self.assertTrue(info.title and info.description and extra["unit"], f"{step.name}.{name}")
                    self.assertLess(extra["low"], extra["high"])


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


class Delivery(FolderCase):
    def setUp(self):
        super().setUp()
        self.renderer = Renderer(PreparedScene.from_radiance(RadianceMap(night(), None)))
        self.metadata = CaptureMetadata(
            "Crenn", "T1", "24 mm", 1 / 15, 8.0, 100, 24.0, datetime(2026, 10, 17, 18, 0, 5)
        )

    def deliver(self, name: str, **more) -> Path:
        path = self.folder / name
        deliver(self.renderer, Treatment(), path, path.suffix[1:], metadata=self.metadata, **more)
        return path

    def test_jpeg_has_size_profile_and_metadata(self):
        with Image.open(self.deliver("p.jpg", long_edge=240)) as picture:
            self.assertEqual(picture.size, (240, 160))
            profile = ImageCms.ImageCmsProfile(__import__("io").BytesIO(picture.info["icc_profile"]))
            self.assertIn("sRGB", ImageCms.getProfileDescription(profile))
            exif = picture.getexif()
            self.assertEqual(exif[272], "T1")
            self.assertAlmostEqual(float(exif.get_ifd(0x8769)[33434]), 1 / 15, places=4)

    def test_all_formats_show_the_same_picture(self):
        eight = np.asarray(Image.open(self.deliver("p.jpg", quality=100))).astype(float) / 255
        avif = np.asarray(Image.open(self.deliver("p.avif", quality=95))).astype(float) / 255
        tiff = tifffile.imread(self.deliver("p.tif"))
        self.assertEqual(tiff.dtype, np.uint16)
        import cv2

        png = cv2.imread(str(self.deliver("p.png")), cv2.IMREAD_UNCHANGED)[..., ::-1]
        np.testing.assert_array_equal(png, tiff)
        self.assertLess(np.abs(eight - tiff / 65535).mean(), 0.006)
        self.assertLess(np.abs(avif - tiff / 65535).mean(), 0.012)

    def test_exr_is_scene_linear(self):
        light = read_exr(self.deliver("p.exr")).rgb
        self.assertGreater(light.max(), 1.2)

    def test_cancelled_leaves_nothing(self):
        with self.assertRaises(Cancelled):
            self.deliver("p.jpg", progress=Progress(lambda share, text: share < 0.5))
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_unknown_format(self):
        with self.assertRaisesRegex(CrennError, "bmp"):
            self.deliver("p.bmp")


class Grouping(unittest.TestCase):
    def keys(self, *shots):
        """(seconds after start, exposure) to keys."""
        start = datetime(2026, 10, 17, 18, 0)
        return [GroupingKey(start + timedelta(seconds=at), s, s, "T1", 600, 400, 24.0) for at, s in shots]

    def test_two_brackets_in_a_row(self):
        shots = [(0, 0.25), (1, 1), (3, 4), (8, 0.25), (9, 1), (11, 4)]
        self.assertEqual(group_frames(self.keys(*shots)), [[0, 1, 2], [3, 4, 5]])

    def test_a_pause_parts_scenes(self):
        self.assertEqual(group_frames(self.keys((0, 0.25), (1, 1), (60, 4))), [[0, 1], [2]])

    def test_a_long_exposure_is_no_pause(self):
        self.assertEqual(group_frames(self.keys((0, 1), (2, 4), (7, 30), (38, 120))), [[0, 1, 2, 3]])

    def test_equal_frames_stay_together(self):
        self.assertEqual(group_frames(self.keys(*[(i * 11, 10) for i in range(8)])), [list(range(8))])

    def test_another_camera(self):
        keys = self.keys((0, 1), (1, 4))
        keys[1] = GroupingKey(keys[1].taken, 4, 4, "T2", 600, 400, 24.0)
        self.assertEqual(group_frames(keys), [[0], [1]])


class Layers(unittest.TestCase):
    ALLOWED = {
        "core": {"core"},
        "camera": {"camera", "core"},
        "store": {"store", "core"},
        "jobs": {"jobs", "store", "core", "camera", "log"},
        "api": {"api", "jobs", "store", "core", "camera", "log"},
    }
    FOREIGN = {
        "core": {"fastapi", "sqlalchemy", "procrastinate", "starlette", "uvicorn", "psycopg"},
        "camera": {"fastapi", "sqlalchemy", "procrastinate"},
    }

    def test_imports_only_go_downwards(self):
        for layer, allowed in self.ALLOWED.items():
            for path in (ROOT / "src" / "crenn" / layer).rglob("*.py"):
                for node in ast.walk(ast.parse(path.read_text())):
                    names = (
                        [a.name for a in node.names]
                        if isinstance(node, ast.Import)
                        else [node.module or ""]
                        if isinstance(node, ast.ImportFrom)
                        else []
                    )
                    for name in names:
                        parts = name.split(".")
                        if parts[0] == "crenn" and len(parts) > 1:
                            self.assertIn(parts[1], allowed, f"{path.name} imports {name}")
                        self.assertNotIn(parts[0], self.FOREIGN.get(layer, ()), f"{path.name} imports {name}")
