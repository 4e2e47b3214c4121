"""What a delivered file can be like: its size, space, sharpness, bytes, what it tells of itself, and its name."""

import base64
import io
import json
import re
import zlib
from pathlib import Path
from unittest import mock

import cv2
import imagecodecs
import numpy as np
import rawpy
import tifffile
from PIL import Image, ImageCms

from crenn.core.colorimetry.spaces import SRGB_TO_XYZ, XYZ_TO_REC2020, delta_e2000, srgb_decode, srgb_to_lab
from crenn.core.deliver import enlarge
from crenn.core.deliver.enlarge import enlarged
from crenn.core.deliver.files import deliver
from crenn.core.deliver.hdr import delta_itp, nits_of
from crenn.core.deliver.metadata import CaptureMetadata
from crenn.core.deliver.naming import apart, named
from crenn.core.deliver.output import About, Output, OutputSize
from crenn.core.deliver.sharpen import Sharpening, noise_of
from crenn.core.deliver.sheet import Cell, write_sheet
from crenn.core.deliver.spaces import SPACES
from crenn.core.deliver.xmp import treatment_in
from crenn.core.errors import CrennError
from crenn.core.frames.pictures import picture_metadata
from crenn.core.frames.position import Position
from crenn.core.radiance import RadianceMap, read_exr
from crenn.core.render.pyramid import PreparedScene
from crenn.core.render.renderer import Renderer
from crenn.core.render.window import Window
from crenn.core.treatment import Treatment, parse_treatment
from tests.support import FolderCase, night


class Spaces(FolderCase):
    def test_profiles_are_read_by_a_colour_engine_as_they_are_meant(self):
        wanted = np.random.default_rng(2).integers(16, 240, (1, 300, 3)).astype(np.uint8)
        light = srgb_decode(wanted / 255) @ (XYZ_TO_REC2020 @ SRGB_TO_XYZ).T
        for name, space in SPACES.items():
            codes = space.encoded((light @ space.shown[0].T).astype(np.float32))
            np.testing.assert_allclose(space.decoded(codes / 65535), light @ space.shown[0].T, atol=3e-5)
            profile = ImageCms.ImageCmsProfile(io.BytesIO(space.profile))
            self.assertEqual(ImageCms.getProfileName(profile).strip(), space.title)
            to_srgb = ImageCms.buildTransform(profile, ImageCms.createProfile("sRGB"), "RGB", "RGB", 1)
            got = np.asarray(ImageCms.applyTransform(Image.fromarray(np.rint(codes / 257).astype(np.uint8)), to_srgb))
            off = delta_e2000(srgb_to_lab(got / 255), srgb_to_lab(wanted / 255))
            # Codes of 8 bits are coarse in wide spaces.
            self.assertLess(np.median(off), 0.4, name)
            self.assertLess(off.max(), 2.5, name)


class Outputs(FolderCase):
    @classmethod
    def setUpClass(cls):
        light = night()
        # A lamp of a green and a blue that sRGB does not hold.
        light[40:80, 40:80] = (0.02, 0.5, 0.02)
        cls.renderer = Renderer(PreparedScene.from_radiance(RadianceMap(light, None)))

    def deliver(self, name: str, treatment: Treatment | None = None, **more) -> Path:
        path = self.folder / name
        output = Output(**{"format": path.suffix[1:]} | more)
        metadata = CaptureMetadata("Crenn", "T1", position=Position(-54.5012, 3.25, 12.5))
        self.delivered = deliver(self.renderer, treatment or Treatment(), path, output, metadata)
        return path

    def in_srgb(self, path: Path) -> np.ndarray:
        """A file as a colour engine shows it on a screen of sRGB, 0 to 1."""
        with Image.open(path) as picture:
            profile = ImageCms.ImageCmsProfile(io.BytesIO(picture.info["icc_profile"]))
            shown = ImageCms.profileToProfile(
                picture.convert("RGB"), profile, ImageCms.createProfile("sRGB"), renderingIntent=1
            )
        return np.asarray(shown) / 255

    def test_every_space_shows_the_same_picture_and_wide_ones_more_colour(self):
        plain = self.in_srgb(self.deliver("s.tif", bits=8))
        wall = np.s_[220:300, 50:400]
        for space in ("p3", "oprgb", "romm", "rec2020"):
            path = self.deliver(f"{space}.tif", bits=8, space=space)
            off = delta_e2000(srgb_to_lab(self.in_srgb(path)[wall]), srgb_to_lab(plain[wall]))
            # Eight bits are few for the widest.
            self.assertLess(off.mean(), 1.2 if SPACES[space].bits == 16 else 0.8, space)
            # The green is brought to the border of each space: the wider, the farther out it lies.
            codes = tifffile.imread(path)[60, 60] / 255
            light = SPACES[space].decoded(codes) @ np.linalg.inv(SPACES[space].shown[0].astype(np.float64)).T
            inside = light @ np.linalg.inv(XYZ_TO_REC2020 @ SRGB_TO_XYZ).T
            self.assertLess(inside.min(), -0.02 * inside.max(), space)
        srgb = srgb_decode(tifffile.imread(self.folder / "s.tif")[60, 60] / 255)
        self.assertGreaterEqual(srgb.min(), 0)

    def test_lamps_above_white_are_read_back_as_bright_as_they_are(self):
        whole = Window(0, 0, 480, 320, 480, 320)
        wide = SPACES["rec2020"].shown
        for stops in (1.0, 3.0):
            true = 203 * self.renderer.shown(Treatment(), whole, space=wide, peak=2**stops)[0]
            self.assertAlmostEqual(true.max(), 203 * 2**stops, delta=1)
            path = self.deliver("h.avif", hdr=stops, about={"creator": "N. Ight"})
            codes = imagecodecs.avif_decode(path.read_bytes())
            self.assertEqual(codes.dtype, np.uint16)
            self.assertLess(np.median(delta_itp(true, nits_of(codes / 1023))), 1)
            # The content's light level, as CTA-861.3 has it.
            most, mean = np.frombuffer(path.read_bytes().split(b"clli")[1][:4], ">u2")
            self.assertAlmostEqual(most, true.max(), delta=0.02 * true.max())
            self.assertAlmostEqual(mean, true.max(2).mean(), delta=1)
            self.assertEqual(treatment_in(path), Treatment())
            with Image.open(path) as picture:
                self.assertEqual((picture.size, picture.getexif()[315]), ((480, 320), "N. Ight"))
            path = self.deliver("h.png", hdr=stops)
            codes = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)[..., ::-1]
            self.assertLess(np.median(delta_itp(true, nits_of(codes / 65535))), 0.05)
            self.assertIn(b"cICP" + bytes((9, 16, 0, 1)), path.read_bytes())

    def test_a_gain_map_leaves_the_picture_and_tells_of_the_brighter_one(self):
        to_wide = (XYZ_TO_REC2020 @ SRGB_TO_XYZ).T
        plain = np.asarray(Image.open(self.deliver("p.jpg", quality=98)))
        for border, side in ((None, 0), ({"width": 5.0}, 24)):
            path = self.deliver("h.jpg", quality=98, hdr=2.0, border=border)
            inside = np.s_[side : side + 320, side : side + 480]
            with Image.open(path) as picture:
                np.testing.assert_allclose(np.asarray(picture)[inside], plain, atol=0 if border is None else 12)
            self.assertEqual(treatment_in(path), Treatment())
            read = {
                reach: imagecodecs.ultrahdr_decode(path.read_bytes(), dtype="float16", transfer=0, boost=reach)[..., :3]
                for reach in (1, 2, 4, 8)
            }
            for reach, light in read.items():
                # A screen that reaches less far shows less of it.
                self.assertAlmostEqual(float(light.max()), min(reach, 4), delta=0.1)
            true = self.renderer.shown(Treatment(), Window(0, 0, 480, 320, 480, 320), peak=4.0)[0]
            got = np.maximum(read[4][inside].astype(float), 0)
            off = delta_itp(203 * np.maximum(true, 0) @ to_wide, 203 * got @ to_wide)
            self.assertLess(np.median(off), 1)
            bright = true.max(2) > 1.1
            self.assertGreater(bright.sum(), 50)
            self.assertLess(np.median(off[bright]), 1.8)
            if side:
                np.testing.assert_allclose(read[4][:side].astype(float), 1, atol=0.02)
        # What cannot be held is not told of.
        self.assertEqual(self.deliver("h.tif", hdr=2.0).read_bytes(), self.deliver("p.tif").read_bytes())

    def test_a_raw_developer_reads_the_merged_light(self):
        true = night()
        true[40:80, 40:80] = (0.02, 0.5, 0.02)
        treatment = parse_treatment({"exposure": {"ev": 3.0}, "crop": {"width": 0.5}})
        for half, near in ((False, 1e-6), (True, 6e-4)):
            path = self.deliver("l.dng", treatment, half=half)
            with tifffile.TiffFile(path) as file:
                tags = {tag.code: tag.value for tag in file.pages[0].tags.values()}
                stored = file.pages[0].asarray().astype(np.float64)
            self.assertEqual((int(tags[262]), bytes(tags[50706])), (34892, bytes((1, 4, 0, 0))))
            self.assertAlmostEqual(tags[50730][0] / tags[50730][1], np.log2(true.max()), places=4)
            np.testing.assert_allclose(stored / tags[50717][0] * true.max(), true, rtol=near, atol=1e-6)
            with rawpy.imread(str(path)) as raw:
                self.assertEqual(list(raw.camera_whitebalance[:3]), [1, 1, 1])
                space = rawpy.ColorSpace.Rec2020
                read = raw.postprocess(gamma=(1, 1), no_auto_bright=True, output_bps=16, output_color=space)
            # It reads 14 bits of it.
            np.testing.assert_allclose(read / 65535 * true.max(), true, rtol=0.02, atol=true.max() / 8000)

    def test_sizes(self):
        size = (480, 320)
        sizes = {
            (480, 320): OutputSize(by="pixels", pixels=9000),
            (240, 160): OutputSize(by="share", share=50),
            (960, 640): OutputSize(by="share", share=200, enlarge=True),
            (591, 394): OutputSize(by="print", cm=5, dpi=300, enlarge=True),
            (387, 258): OutputSize(by="megapixels", megapixels=0.1),
        }
        for wanted, asked in sizes.items():
            self.assertEqual(asked.of(size), wanted)
        with self.assertRaisesRegex(CrennError, "1920 px"):
            OutputSize(by="pixels", pixels=1921, enlarge=True).of(size)
        path = self.deliver("p.tif", size=sizes[591, 394])
        with tifffile.TiffFile(path) as file:
            self.assertEqual(file.pages[0].shape, (394, 591, 3))
            self.assertEqual(file.pages[0].tags["XResolution"].value, (300, 1))

    def test_enlarged_pictures_are_true_to_what_was_there(self):
        full = cv2.GaussianBlur(night(640, 960), (0, 0), 1.2)
        small = cv2.resize(full, (240, 160), interpolation=cv2.INTER_AREA)
        got = enlarged(small, (4.0, 4.0), (0, 0, 960, 640))
        np.testing.assert_allclose(enlarged(small[30:90], (4.0, 4.0), (0, 120, 960, 40)), got[240:280], atol=2e-3)
        means = cv2.resize(got, (240, 160), interpolation=cv2.INTER_AREA)
        self.assertLess(np.abs(means - small).mean(), 0.1 * np.abs(small - small.mean()).mean())

        def off(light: np.ndarray) -> float:
            return float(np.sqrt(((np.sqrt(np.maximum(light, 0)) - np.sqrt(full)) ** 2).mean()))

        for method in (cv2.INTER_CUBIC, cv2.INTER_LANCZOS4):
            self.assertLess(off(got), off(cv2.resize(small, (960, 640), interpolation=method)))
        # An edge stays between the two sides of it.
        edge = np.full((60, 60, 3), 0.1, np.float32)
        edge[np.add.outer(np.arange(60), np.arange(60)) > 60] = 0.8
        wide = enlarged(edge, (3.0, 3.0), (0, 0, 180, 180))
        self.assertGreater(wide.min(), 0.08)
        self.assertLess(wide.max(), 0.83)
        np.testing.assert_allclose(enlarged(np.full_like(edge, 0.3), (2.5, 2.5), (0, 0, 150, 150)), 0.3, rtol=1e-4)

    def test_enlarged_files_are_the_same_however_they_are_cut(self):
        size = OutputSize(by="share", share=250, enlarge=True)
        whole = tifffile.imread(self.deliver("w.tif", size=size)).astype(float)
        self.assertEqual(whole.shape, (800, 1200, 3))
        for rows in (8, 101):
            with mock.patch.object(enlarge, "_PIXELS", rows * 1200):
                cut = tifffile.imread(self.deliver("c.tif", size=size)).astype(float)
            self.assertLess(np.abs(cut - whole).max(), 40)
        back = cv2.resize(whole, (480, 320), interpolation=cv2.INTER_AREA)
        plain = tifffile.imread(self.deliver("p.tif")).astype(float)
        self.assertLess(np.abs(back - plain).mean(), 400)

    def test_sharpening_spares_noise_and_draws_no_rims(self):
        rng = np.random.default_rng(4)
        codes = np.full((200, 300, 3), 20000.0)
        codes[:, 150:] = 40000
        codes = cv2.GaussianBlur(codes, (0, 0), 1.0)
        noisy = np.clip(codes + rng.normal(0, 300, codes.shape[:2])[..., None], 0, 65535).astype(np.uint16)
        noise = noise_of([noisy])
        self.assertAlmostEqual(noise, 300, delta=40)
        for medium in ("screen", "glossy", "matt"):
            how = Sharpening.made_for(medium, 100)
            out = how.sharpened(noisy, noise)
            even = np.s_[:, 20:120]
            self.assertLess(out[even].astype(float).std(), 1.25 * noisy[even].astype(float).std())
            steep = [np.abs(np.diff(one[:, 140:160, 0].astype(float).mean(0))).max() for one in (noisy, out)]
            self.assertGreater(steep[1], 1.06 * steep[0])
            self.assertLess(out[:, :, 0].mean(0).max(), 40000 + 0.08 * 20000)
            # Bands of any height give the same.
            for rows in (3, 17, 64):
                bands = (noisy[top : top + rows] for top in range(0, 200, rows))
                np.testing.assert_array_equal(np.concatenate(list(how.bands(bands, noise))), out)
        self.assertIsNone(Sharpening.made_for("none", 100))
        self.assertGreater(
            Sharpening.made_for("matt", 100, 600).deviation, Sharpening.made_for("matt", 100, 150).deviation
        )
        plain, sharp = (tifffile.imread(self.deliver("p.tif", sharpen=m)).astype(float) for m in ("none", "screen"))
        self.assertGreater(np.abs(plain - sharp).max(), 500)

    def test_a_file_keeps_within_its_kilobytes(self):
        for name in ("p.jpg", "p.webp", "p.avif"):
            free = self.deliver(name).stat().st_size
            most = max(int(free / 1000 * 0.5), 5)
            self.assertLessEqual(self.deliver(name, most_kb=most).stat().st_size, 1000 * most)
            self.assertLess(self.delivered.quality, 92)
        with self.assertRaisesRegex(CrennError, "kB"):
            self.deliver("p.jpg", most_kb=5, size=OutputSize(by="share", share=400, enlarge=True))

    def test_formats(self):
        plain = tifffile.imread(self.deliver("p.tif"))
        self.assertEqual(tifffile.imread(self.deliver("e.tif", bits=8)).dtype, np.uint8)
        eight = cv2.imread(str(self.deliver("e.png", bits=8)), cv2.IMREAD_UNCHANGED)[..., ::-1]
        self.assertLess(np.abs(eight - plain / 257).max(), 1.01)
        webp = np.asarray(Image.open(self.deliver("p.webp", quality=100))).astype(float) / 255
        self.assertLess(np.abs(webp - plain / 65535).mean(), 0.012)
        half, full = (read_exr(self.deliver("p.exr", half=half)).rgb for half in (True, False))
        np.testing.assert_allclose(half, full, rtol=1e-3, atol=1e-6)
        with Image.open(self.deliver("p.jpg", progressive=True, colour="halved")) as picture:
            self.assertTrue(picture.info.get("progressive"))
            self.assertEqual(picture.layer[0][1:3], (2, 2))

    def test_areas_are_pages_of_a_tiff_within_its_border(self):
        ellipse = {"kind": "ellipse", "centre": [0.5, 0.3], "radii": [0.2, 0.1]}
        gradient = {"kind": "gradient", "start": [0.2, 0.2], "end": [0.8, 0.2]}
        areas = [{"name": "Lamp é", "parts": [ellipse], "bends": {"exposure.ev": 1.0}}, {"parts": [gradient]}]
        treatment = parse_treatment({"areas": areas})
        border = {"width": 5, "caption": "Basin"}
        for size in (OutputSize(by="share", share=50), OutputSize(by="share", share=150, enlarge=True)):
            path = self.deliver("pages.tif", treatment, areas=True, border=border, size=size)
            with tifffile.TiffFile(path) as file:
                picture, first, second = (page.asarray() for page in file.pages)
                self.assertEqual(file.pages[1].tags[285].value, "Lamp ?")
                self.assertEqual(file.pages[2].tags[285].value, "Area")
            self.assertEqual((first.shape, first.dtype), (picture.shape[:2], np.uint16))
            self.assertEqual((int(first.max()), int(first[:3].max()), int(second[:, :3].max())), (65535, 0, 0))
            # Its middle lies where the ellipse's is within the picture, which has a border around it.
            plain = self.deliver("plain.tif", treatment, size=size)
            width = tifffile.imread(plain).shape[1]
            y, x = (values.mean() for values in np.nonzero(first))
            side = (first.shape[1] - width) / 2
            self.assertAlmostEqual((x - side) / width, 0.5, delta=0.01)
            self.assertAlmostEqual((y - side) / width, 0.3, delta=0.01)
        with tifffile.TiffFile(self.deliver("one.tif", treatment)) as file:
            self.assertEqual(len(file.pages), 1)

    def test_a_file_tells_of_itself_and_of_what_was_done(self):
        about = About(title="Basin", caption="Blue hour & lamps <late>", creator="N. Ight", copyright="© 2026 N. Ight")
        treatment = parse_treatment({"exposure": {"ev": 1.25}, "tone": {"contrast": 1.1}})
        for ending in ("jpg", "png", "tif", "avif", "webp"):
            path = self.deliver(f"p.{ending}", treatment, about=about)
            self.assertEqual(treatment_in(path).key, treatment.key, ending)
            self.assertIn(b"Blue hour &amp; lamps &lt;late&gt;", path.read_bytes())
        with Image.open(self.folder / "p.jpg") as picture:
            exif = picture.getexif()
            packed = re.search(b"<crenn:treatment>(.*)</crenn:treatment>", picture.info["xmp"])[1]
            self.assertEqual(json.loads(zlib.decompress(base64.b64decode(packed)))["version"], treatment.version)
            self.assertEqual((exif[272], exif[315]), ("T1", "N. Ight"))
        for ending in ("jpg", "png"):
            position = picture_metadata(self.folder / f"p.{ending}").position
            self.assertAlmostEqual(position.latitude, -54.5012, delta=3e-6)
            self.assertEqual((position.longitude, position.altitude), (3.25, 12.5))
        self.assertIn(b"<exif:GPSLatitude>54,30.072000S<", (self.folder / "p.tif").read_bytes())
        bare = self.deliver("bare.jpg", treatment, about=About(camera=False, treatment=False, position=False))
        self.assertIsNone(picture_metadata(bare).position)
        self.assertNotIn(b"GPS", bare.read_bytes())
        with Image.open(bare) as picture:
            self.assertNotIn(272, picture.getexif())
        with self.assertRaisesRegex(CrennError, "carries no treatment"):
            treatment_in(bare)
        broken = self.folder / "broken.jpg"
        broken.write_bytes(b"no picture")
        with self.assertRaisesRegex(CrennError, "no picture"):
            treatment_in(broken)
        told = bytearray((self.folder / "p.jpg").read_bytes())
        at = told.index(b"<crenn:treatment>") + 30
        told[at : at + 4] = b"!!!!"
        broken.write_bytes(told)
        with self.assertRaisesRegex(CrennError, "damaged"):
            treatment_in(broken)


class Names(FolderCase):
    def test_names_of_files(self):
        values = {"title": 'Pier 3/4: "late"', "width": 2048, "date": None}
        self.assertEqual(named("{title} {width} {date}", values, "jpg"), "Pier 3-4- -late- 2048.jpg")
        self.assertEqual(len(named("ä" * 200, {}, "tif").encode()), 204)
        for pattern in ("{nothing}", "{date}", " . "):
            with self.assertRaises(CrennError):
                named(pattern, values, "jpg")
        self.assertEqual(apart(["a.jpg", "A.jpg", "b.jpg"]), ["a.jpg", "A (2).jpg", "b.jpg"])


class Sheets(FolderCase):
    def test_many_scenes_make_several_pages_and_broken_pictures_a_pale_place(self):
        good, broken = self.folder / "good.jpg", self.folder / "broken.jpg"
        Image.new("RGB", (300, 450), (200, 40, 40)).save(good)
        broken.write_bytes(b"no picture")
        cells = [Cell(good if i % 2 else broken, f"Scene {i}, " + "long " * 40, ("4 × Crenn",)) for i in range(40)]
        write_sheet(self.folder / "s.pdf", "A night " * 30, cells, "pdf")
        text = (self.folder / "s.pdf").read_bytes()
        self.assertGreaterEqual(
            text.count(b"/Type /Page\n") + text.count(b"/Type /Page /") + text.count(b"/Type /Page>"), 2
        )
        with self.assertRaisesRegex(CrennError, "no scene"):
            write_sheet(self.folder / "s.pdf", "A night", [], "pdf")
        with self.assertRaisesRegex(CrennError, "too many"):
            write_sheet(self.folder / "s.jpg", "A night", cells * 11, "jpg")
