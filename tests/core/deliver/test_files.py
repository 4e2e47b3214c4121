"""Delivered files: the same picture in every format, with its profile and metadata."""

import io
from datetime import datetime
from pathlib import Path

import cv2
import numpy as np
import tifffile
from PIL import Image, ImageCms
from pydantic import ValidationError

from crenn.core.colorimetry.spaces import srgb_decode, srgb_encode
from crenn.core.deliver.border import Border
from crenn.core.deliver.files import deliver
from crenn.core.deliver.letters import SANS
from crenn.core.deliver.metadata import CaptureMetadata
from crenn.core.deliver.output import Output, OutputSize
from crenn.core.errors import Cancelled, CrennError
from crenn.core.progress import Progress
from crenn.core.radiance import RadianceMap, read_exr
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.treatment import Treatment
from tests.support import FolderCase, night


class Delivery(FolderCase):
    def setUp(self):
        super().setUp()
        self.renderer = Renderer(PreparedScene.from_radiance(RadianceMap(night(), None)))
        self.metadata = CaptureMetadata(
            "Crenn", "T1", "24 mm", 1 / 15, 8.0, 100, 24.0, datetime(2026, 10, 17, 18, 0, 5)
        )

    def deliver(self, name: str, long_edge: int | None = None, progress: Progress | None = None, **more) -> Path:
        path = self.folder / name
        size = OutputSize() if long_edge is None else OutputSize(by="pixels", pixels=long_edge)
        output = Output(**{"format": path.suffix[1:], "size": size} | more)
        deliver(self.renderer, Treatment(), path, output, self.metadata, progress)
        return path

    def test_jpeg_has_size_profile_and_metadata(self):
        with Image.open(self.deliver("p.jpg", long_edge=240)) as picture:
            self.assertEqual(picture.size, (240, 160))
            profile = ImageCms.ImageCmsProfile(io.BytesIO(picture.info["icc_profile"]))
            self.assertIn("sRGB", ImageCms.getProfileDescription(profile))
            exif = picture.getexif()
            self.assertEqual(exif[272], "T1")
            self.assertAlmostEqual(float(exif.get_ifd(0x8769)[33434]), 1 / 15, places=4)

    def test_all_formats_show_the_same_picture(self):
        eight = np.asarray(Image.open(self.deliver("p.jpg", quality=100))).astype(float) / 255
        avif = np.asarray(Image.open(self.deliver("p.avif", quality=95))).astype(float) / 255
        tiff = tifffile.imread(self.deliver("p.tif"))
        self.assertEqual(tiff.dtype, np.uint16)
        png = cv2.imread(str(self.deliver("p.png")), cv2.IMREAD_UNCHANGED)[..., ::-1]
        np.testing.assert_array_equal(png, tiff)
        self.assertLess(np.abs(eight - tiff / 65535).mean(), 0.006)
        self.assertLess(np.abs(avif - tiff / 65535).mean(), 0.012)

    def test_a_border_goes_round_the_picture_with_its_caption(self):
        plain = tifffile.imread(self.deliver("p.tif"))
        border = Border(width=5, shade="black", caption="Tarrowick, at night")
        framed = tifffile.imread(self.deliver("b.tif", border=border))
        side = round(0.05 * 480)
        foot = framed.shape[0] - 320 - side
        self.assertEqual(framed.shape[1], 480 + 2 * side)
        self.assertGreaterEqual(foot, side)
        np.testing.assert_array_equal(framed[side : side + 320, side:-side], plain)
        self.assertEqual(framed[:side].max(), 0)
        self.assertEqual(framed[:, :side].max(), 0)
        lower = framed[-foot:, :, 0]
        # Other letters than plain Latin ones are told apart: none is drawn as a box for what is missing.
        drawn = [
            tifffile.imread(self.deliver(f"l{i}.tif", border=Border(caption=letter)))[-foot:]
            for i, letter in enumerate("äЖé")
        ]
        # Where the font is not installed there are boxes.
        if SANS.is_file():
            self.assertFalse(any((one == other).all() for one, other in ((drawn[0], drawn[1]), (drawn[1], drawn[2]))))
        # Letters stand in the middle of the lower border.
        self.assertGreater(lower.max(), 20000)
        columns = np.flatnonzero(lower.max(0) > 5000)
        self.assertAlmostEqual(columns.mean() / framed.shape[1], 0.5, delta=0.05)
        long = Border(width=0, shade="white", caption="A caption that is far too long for a picture so small. " * 3)
        narrow = tifffile.imread(self.deliver("c.tif", border=long))
        self.assertEqual(narrow.shape[1], 480)
        self.assertTrue((narrow[320:, :10] == 65535).all() and (narrow[320:, -10:] == 65535).all())
        with Image.open(self.deliver("b.jpg", border=border, long_edge=240)) as picture:
            self.assertEqual(picture.size[0], 240 + 2 * round(0.05 * 240))
        with self.assertRaisesRegex(CrennError, "border"):
            self.deliver("b.exr", border=border)

    def test_sizes_are_what_was_asked_for_and_never_more_than_there_is(self):
        for edge, size in ((None, (480, 320)), (9000, (480, 320)), (240, (240, 160)), (101, (101, 67)), (30, (30, 20))):
            for name in ("p.tif", "p.png", "p.jpg", "p.avif"):
                with self.subTest(edge=edge, name=name), Image.open(self.deliver(name, long_edge=edge)) as picture:
                    self.assertEqual(picture.size, size)
            light = read_exr(self.deliver("p.exr", long_edge=edge)).rgb
            self.assertEqual(light.shape, (size[1], size[0], 3))

    def test_a_smaller_picture_is_the_average_of_the_full_one(self):
        full, half = tifffile.imread(self.deliver("f.tif")), tifffile.imread(self.deliver("h.tif", long_edge=240))
        mean = srgb_decode(full / 65535).reshape(160, 2, 240, 2, 3).mean((1, 3))
        # Sixteen bits are not enough to tell the light of dark codes closer.
        np.testing.assert_allclose(half, srgb_encode(mean) * 65535, atol=3, rtol=1e-3)

    def test_the_same_treatment_gives_the_same_file_contents(self):
        for name in ("p.tif", "p.jpg", "p.exr"):
            one = cv2.imread(str(self.deliver(name)), cv2.IMREAD_UNCHANGED) if name != "p.exr" else None
            if one is None:
                np.testing.assert_array_equal(read_exr(self.deliver(name)).rgb, read_exr(self.deliver("q.exr")).rgb)
            else:
                again = cv2.imread(str(self.deliver("q" + name)), cv2.IMREAD_UNCHANGED)
                np.testing.assert_array_equal(one, again)

    def test_every_format_says_that_it_is_srgb(self):
        for name in ("p.jpg", "p.avif", "p.tif"):
            with Image.open(self.deliver(name)) as picture:
                profile = ImageCms.ImageCmsProfile(io.BytesIO(picture.info["icc_profile"]))
                self.assertIn("sRGB", ImageCms.getProfileDescription(profile), name)
        with Image.open(self.deliver("p.png")) as picture:
            picture.load()
            self.assertEqual(picture.info["srgb"], 0)

    def test_capture_metadata_of_every_kind(self):
        with Image.open(self.deliver("p.jpg")) as picture:
            exif = picture.getexif()
            detail = exif.get_ifd(0x8769)
        self.assertEqual((exif[271], exif[272], exif[305], exif[306]), ("Crenn", "T1", "Crenn", "2026:10:17 18:00:05"))
        self.assertEqual((detail[34855], float(detail[33437]), float(detail[37386])), (100, 8.0, 24.0))
        self.assertEqual((detail[42036], detail[36867]), ("24 mm", "2026:10:17 18:00:05"))
        with tifffile.TiffFile(self.deliver("p.tif")) as tiff:
            self.assertEqual(tiff.pages[0].tags["DateTime"].value, "2026:10:17 18:00:05")
            self.assertIn("T1", tiff.pages[0].description)

    def test_what_is_unknown_is_left_out(self):
        self.metadata = CaptureMetadata()
        with Image.open(self.deliver("p.jpg")) as picture:
            exif = picture.getexif()
        self.assertEqual(set(exif) - {34665}, {305})
        self.assertEqual(set(exif.get_ifd(0x8769)), {40961})

    def test_text_of_any_script_and_extreme_numbers_can_be_written(self):
        self.metadata = CaptureMetadata("Kamera für Nächte", "月光", "f/0,95 „Mond“", 1e-7, 0.95, 4e6, 1200.0, None)
        for name in ("p.jpg", "p.avif", "p.tif", "p.png"):
            self.assertGreater(self.deliver(name).stat().st_size, 1000)

    def test_exr_is_scene_linear(self):
        light = read_exr(self.deliver("p.exr")).rgb
        self.assertGreater(light.max(), 1.2)

    def test_cancelled_leaves_nothing(self):
        with self.assertRaises(Cancelled):
            self.deliver("p.jpg", progress=Progress(lambda share, text: share < 0.5))
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_unknown_format(self):
        with self.assertRaises(ValidationError):
            self.deliver("p.bmp")
