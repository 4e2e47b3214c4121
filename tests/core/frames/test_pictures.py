"""Developed pictures as frames: linear ones, display-referred ones, and what is said of them."""

import io

import cv2
import numpy as np
import OpenEXR
import tifffile
from PIL import Image, ImageCms
from PIL.TiffImagePlugin import IFDRational

from crenn.core.colorimetry.spaces import SRGB_XY, XYZ_TO_REC2020, rgb_to_xyz_matrix, srgb_encode
from crenn.core.errors import MismatchedFrames, UnreadableFrame
from crenn.core.frames.read import frame_metadata, read_frame
from crenn.core.merge.instructions import Instructions
from crenn.core.merge.merge import merge_frames
from tests.core.align.test_bracket import town
from tests.support import FolderCase

TIMES = (1 / 16, 1 / 4, 1.0, 4.0)


def curve(light: np.ndarray) -> np.ndarray:
    """A camera's tone curve, 0–1: darker toes and softer shoulders than sRGB."""
    code = srgb_encode(np.clip(light, 0, 1))
    return code**1.25 * (1.3 - 0.3 * code)


class Pictures(FolderCase):
    light = town()[:384, :560] * 2

    def jpegs(self, times=TIMES, exif: bool = True):
        paths = []
        rng = np.random.default_rng(1)
        for i, seconds in enumerate(times):
            noisy = self.light * seconds + 0.002 * rng.standard_normal(self.light.shape)
            picture = Image.fromarray(np.rint(curve(noisy) * 255).astype(np.uint8))
            tags = Image.Exif()
            if exif:
                block = tags.get_ifd(0x8769)
                block[33434], block[34855] = IFDRational(round(seconds * 10000), 10000), 100
            path = self.folder / f"p{i + 1}.jpg"
            picture.save(path, quality=97, subsampling=0, exif=tags)
            paths.append(path)
        return paths

    def error(self, merged, low=0.01, high=0.6) -> float:
        # Up to a scale: the file's own unit is where the curve ends.
        inner = (slice(20, -20), slice(20, -20))
        truth = self.light[inner][..., 1]
        ratio = np.log2(np.maximum(merged.rgb[inner][..., 1], 1e-6) / truth)
        part = (truth > low) & (truth < high)
        return float(np.median(np.abs(ratio[part] - np.median(ratio[part]))))

    def test_a_jpeg_bracket_gives_its_light_back(self):
        merged = merge_frames(self.jpegs(), reference=2)
        self.assertEqual(len(merged.report["frames"]), 4)
        self.assertLess(self.error(merged), 0.12)
        self.assertTrue(any("Debevec" in w for w in merged.report["warnings"]))
        for f, seconds in zip(merged.report["frames"], TIMES):
            self.assertAlmostEqual(f["ev"], np.log2(seconds), delta=0.15)

    def test_a_bracket_keeps_all_colours_of_every_pixel(self):
        # Fine colour that a mosaic would have to guess: stripes of one and two pixels.
        rng = np.random.default_rng(2)
        stripes = rng.uniform(0.05, 0.5, (1, 280, 3)).repeat(2, 1) * rng.uniform(0.4, 1, (384, 1, 3))
        self.light = cv2.GaussianBlur(stripes, (0, 0), 0.6).astype(np.float32)
        merged = merge_frames(self.jpegs(), reference=2)
        to_srgb = np.linalg.inv(XYZ_TO_REC2020 @ rgb_to_xyz_matrix(SRGB_XY)).T
        inner = (slice(20, -20), slice(20, -20))
        found, truth = (merged.rgb @ to_srgb)[inner], self.light[inner]
        found *= np.median(truth / found)
        error = np.abs(np.log2(np.maximum(found, 1e-3) / truth))
        self.assertLess(np.median(error), 0.09)
        self.assertLess(np.quantile(error, 0.95), 0.3)

    def test_a_lone_picture_comes_out_as_it_went_in(self):
        rng = np.random.default_rng(6)
        codes = rng.integers(0, 65536, (64, 97, 3), dtype=np.uint16)
        tifffile.imwrite(self.folder / "one.tif", codes, photometric="rgb")
        merged = merge_frames([self.folder / "one.tif"])
        to_srgb = np.linalg.inv(XYZ_TO_REC2020 @ rgb_to_xyz_matrix(SRGB_XY)).T
        back = np.rint(srgb_encode(np.clip(merged.rgb.astype(np.float64) @ to_srgb, 0, 1)) * 65535)
        # The sides are made even.
        self.assertEqual(back.shape, (64, 96, 3))
        self.assertLessEqual(np.abs(back - codes[:, :96]).max(), 1)

    def test_what_eight_bits_round_off_is_part_of_the_noise(self):
        """A dark slope, without noise of its own and with a little, as dithering gives: predicted as it is."""
        y, x = np.mgrid[:200, :320]
        light = np.exp2(-8 + 2.5 * x / 320 + 0.5 * y / 200)[..., None] * np.array([0.9, 1.0, 1.2])
        to_rec2020 = (XYZ_TO_REC2020 @ rgb_to_xyz_matrix(SRGB_XY)).T
        for noise, least, most in ((0.0, 0.7, 1.6), (0.4, 0.8, 1.25)):
            rng = np.random.default_rng(4)
            codes = np.rint(srgb_encode(light) * 255 + noise * rng.standard_normal(light.shape)).astype(np.uint8)
            Image.fromarray(codes).save(self.folder / "dark.png")
            merged = merge_frames([self.folder / "dark.png"])
            error = np.sqrt(np.square((merged.rgb - light @ to_rec2020) / merged.sigma).mean())
            with self.subTest(noise=noise):
                self.assertGreater(float(error), least / 1.2)
                self.assertLess(float(error), most)

    def test_a_profile_tells_colours_and_curve(self):
        profile = bytearray(ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes())
        tags = {bytes(profile[i : i + 4]): i for i in range(132, 132 + 12 * profile[131], 12)}
        offset = int.from_bytes(profile[tags[b"gTRC"] + 4 : tags[b"gTRC"] + 8], "big")
        # A plain power of 1.8.
        profile[offset : offset + 16] = b"para" + bytes(8) + round(1.8 * 65536).to_bytes(4, "big")
        codes = np.random.default_rng(6).integers(0, 65536, (32, 48, 3), dtype=np.uint16)
        tifffile.imwrite(self.folder / "one.tif", codes, photometric="rgb", iccprofile=bytes(profile))
        merged = merge_frames([self.folder / "one.tif"])
        to_srgb = np.linalg.inv(XYZ_TO_REC2020 @ rgb_to_xyz_matrix(SRGB_XY)).T
        np.testing.assert_allclose(merged.rgb @ to_srgb, (codes / 65535) ** 1.8, atol=2e-3)
        self.assertTrue(any("profile's curve" in w for w in merged.report["warnings"]))
        # What is no curve is not taken.
        profile[offset + 12 : offset + 16] = (-3 * 65536).to_bytes(4, "big", signed=True)
        tifffile.imwrite(self.folder / "two.tif", codes, photometric="rgb", iccprofile=bytes(profile))
        merged = merge_frames([self.folder / "two.tif"])
        self.assertTrue(any("sRGB curve" in w for w in merged.report["warnings"]))

    def test_without_times_they_are_asked_for_and_can_be_typed(self):
        paths = self.jpegs(exif=False)
        with self.assertRaises(MismatchedFrames) as caught:
            merge_frames(paths)
        self.assertIn("p1.jpg: has no exposure time", str(caught.exception))
        self.assertIn("Type it in", str(caught.exception))
        typed = Instructions(seconds={p.name: s for p, s in zip(paths, TIMES)})
        merged = merge_frames(paths, reference=2, instructions=typed)
        self.assertLess(self.error(merged), 0.12)
        self.assertIn("Exposure times as typed in", merged.report["warnings"][0])

    def test_linear_tiffs_merge_like_raw(self):
        paths = []
        rng = np.random.default_rng(1)
        for i, seconds in enumerate(TIMES):
            light = self.light * seconds
            noisy = light + np.sqrt(light * 2e-5 + 1e-8) * rng.standard_normal(light.shape)
            path = self.folder / f"t{i + 1}.tif"
            tifffile.imwrite(path, np.rint(np.clip(noisy, 0, 1) * 65535).astype(np.uint16), photometric="rgb")
            paths.append(path)
        typed = Instructions(seconds={p.name: s for p, s in zip(paths, TIMES)})
        merged = merge_frames(paths, reference=2, instructions=typed)
        self.assertTrue(any("linear light" in w for w in merged.report["warnings"]), merged.report["warnings"])
        self.assertLess(self.error(merged, 0.002), 0.05)

    def test_a_tiff_with_alpha_and_profile_says_so(self):
        rgba = np.dstack([np.rint(curve(self.light) * 255), np.full(self.light.shape[:2], 255)]).astype(np.uint8)
        profile = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB"))
        path = self.folder / "a.tif"
        Image.fromarray(rgba, "RGBA").save(path, icc_profile=profile.tobytes())
        notes = " ".join(merge_frames([path]).report["warnings"])
        self.assertIn("a.tif: its alpha channel is left out", notes)
        self.assertIn("by its profile (sRGB", notes)
        self.assertIn("its profile's curve", notes)

    def test_exr_is_light_in_its_own_primaries(self):
        path = self.folder / "e.exr"
        with OpenEXR.File(
            {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage, "expTime": 0.5},
            {"RGB": np.full((64, 96, 3), 0.18, np.float32) * np.float32([1, 1, 1])},
        ) as file:
            file.write(str(path))
        frame = read_frame(path)
        self.assertEqual((frame.encoding, frame.metadata.seconds), ("linear", 0.5))
        merged = merge_frames([path])
        np.testing.assert_allclose(merged.rgb[20:40, 20:40], merged.rgb[30, 30, 1], rtol=0.01)

    def test_sixteen_bits_of_a_png_are_kept(self):
        path = self.folder / "p.png"
        cv2.imwrite(str(path), np.linspace(0, 65535, 64 * 64 * 3).reshape(64, 64, 3).astype(np.uint16))
        self.assertGreater(np.unique(read_frame(path).mosaic).size, 3000)

    def test_broken_pictures_are_named(self):
        good = self.jpegs()[0]
        for name, data in (
            ("x.jpg", b"nothing"),
            ("cut.jpg", good.read_bytes()[:2000]),
            ("x.exr", b"v/1"),
            ("x.tif", b"II*\0"),
        ):
            path = self.folder / name
            path.write_bytes(data)
            with self.subTest(name=name), self.assertRaises(UnreadableFrame) as caught:
                read_frame(path)
            self.assertIn(name, str(caught.exception))
        with self.assertRaises(UnreadableFrame):
            frame_metadata(self.folder / "none.png")
        tiny = io.BytesIO()
        Image.new("RGB", (8, 8)).save(tiny, "PNG")
        (self.folder / "tiny.png").write_bytes(tiny.getvalue())
        with self.assertRaises(UnreadableFrame) as caught:
            frame_metadata(self.folder / "tiny.png")
        self.assertIn("only 8×8", str(caught.exception))
