"""Delivered files: the same picture in every format, with its profile and metadata."""

import io
from datetime import datetime
from pathlib import Path

import cv2
import numpy as np
import tifffile
from PIL import Image, ImageCms

from crenn.core.deliver.files import CaptureMetadata, deliver
from crenn.core.errors import Cancelled, CrennError
from crenn.core.progress import Progress
from crenn.core.radiance import RadianceMap, read_exr
from crenn.core.render.executor import Renderer
from crenn.core.render.pyramid import PreparedScene
from crenn.core.treatment import Treatment
from tests.support import FolderCase, night


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
