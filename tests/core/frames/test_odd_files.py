"""Files that are odd, damaged, or claim too much: each is refused in words or read, whatever it holds."""

import os
import subprocess
import sys
from collections import namedtuple
from unittest import mock

import cv2
import numpy as np
import OpenEXR
import tifffile
from PIL import Image

from crenn.core.errors import UnreadableFrame
from crenn.core.frames import sizes
from crenn.core.frames.metadata import FrameMetadata, plain_text, plausible
from crenn.core.frames.position import Position
from crenn.core.frames.read import frame_metadata, read_frame
from crenn.core.merge.merge import merge_frames
from tests.core.frames.mutated import make
from tests.support import ROOT, FolderCase, night, take

#: Damaged files of every kind of frame.
_EACH = 45


class Damaged(FolderCase):
    def test_every_damaged_file_is_refused_in_words_or_read(self):
        paths = make(self.folder / "odd", _EACH, seed=20261017)
        done = subprocess.run(
            [sys.executable, "-m", "tests.core.frames.mutated", str(self.folder / "odd")],
            cwd=ROOT,
            text=True,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            timeout=240,
            env=os.environ | {"PYTHONPATH": str(ROOT / "src")},
        )
        # Decoders print to the same channel; an outcome is the last part of its line or stands on the next.
        outcomes = [
            line.split("\t")[-2:]
            for line in done.stdout.splitlines()
            if line.count("\t") and line.rsplit("\t", 1)[1][-3:-2] == "."
        ]
        last = done.stdout.splitlines()[-1] if done.stdout else ""
        self.assertEqual(done.returncode, 0, f"the reader was killed by {last}")
        self.assertEqual(len(outcomes), len(paths))
        wrong = [
            line for line in done.stdout.splitlines() if "fault:" in line or "unnamed:" in line or "numbers:" in line
        ]
        self.assertEqual(wrong, [])
        self.assertLess(max(float(seconds) for _, seconds in outcomes), 20)
        kinds = [what for what, _ in outcomes]
        self.assertGreater(kinds.count("refused"), len(paths) // 4, "damage is noticed")
        self.assertGreater(kinds.count("read"), len(paths) // 10, "what can be read is")


class Odd(FolderCase):
    def test_one_channel_is_read_as_grey(self):
        grey = np.clip(night(64, 96).mean(-1) * 60, 0, 255).astype(np.uint8)
        deep = grey.astype(np.uint16) * 257
        alpha = np.stack([grey, np.full_like(grey, 255)], -1)
        tifffile.imwrite(self.folder / "grey.tif", deep, photometric="minisblack")
        tifffile.imwrite(self.folder / "alpha.tif", alpha, photometric="minisblack", extrasamples=["unassalpha"])
        tifffile.imwrite(self.folder / "one.tif", deep[..., None], photometric="minisblack")
        Image.fromarray(grey).save(self.folder / "grey.jpg")
        Image.fromarray(grey).save(self.folder / "grey.png")
        Image.fromarray(alpha, "LA").save(self.folder / "alpha.png")
        cv2.imwrite(str(self.folder / "deep.png"), deep)
        light = np.ascontiguousarray(night(64, 96).mean(-1), np.float32)
        with OpenEXR.File(
            {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}, {"Y": light}
        ) as file:
            file.write(str(self.folder / "grey.exr"))
        for path in sorted(self.folder.iterdir()):
            with self.subTest(path=path.name):
                frame = read_frame(path)
                colours = [frame.mosaic[::2, ::2], frame.mosaic[::2, 1::2], frame.mosaic[1::2, 1::2]]
                means = [float(c.mean()) for c in colours]
                self.assertGreater(min(means), 100)
                self.assertLess(max(means) / min(means), 1.05, "grey stays grey")

    def test_a_raw_file_of_one_channel_is_read_as_grey(self):
        path = self.folder / "mono.dng"
        mosaic = np.clip(night(64, 96).mean(-1) * 9000 + 512, 0, 16383).astype(np.uint16)
        tifffile.imwrite(
            path,
            mosaic,
            photometric="minisblack",
            metadata=None,
            extratags=[
                (50706, 1, 4, (1, 4, 0, 0), True),
                (50708, 2, 0, "Crenn Mono", True),
                (50714, 4, 1, 512, True),
                (50717, 4, 1, 16383, True),
                (33434, 5, 1, (1, 4), True),
                (34855, 3, 1, 100, True),
            ],
        )
        # The writer has no linear raw of one channel: the tag PhotometricInterpretation is changed from 1 to 34892.
        data = path.read_bytes()
        self.assertEqual(data.count(plain := b"\x06\x01\x03\x00\x01\x00\x00\x00\x01\x00"), 1)
        path.write_bytes(data.replace(plain, plain[:-2] + (34892).to_bytes(2, "little")))
        frame = read_frame(path)
        self.assertEqual(frame.mosaic.shape, (64, 96))
        self.assertTrue(np.isfinite(frame.black).all())
        radiance = merge_frames([path])
        self.assertTrue((radiance.rgb[..., 0] == radiance.rgb[..., 2]).all(), "no false colour in fine detail")
        self.assertAlmostEqual(
            float(radiance.rgb[30, 40, 1]), (float(mosaic[30, 40]) - 512) / (16383 - 512), delta=1e-4
        )

    def test_long_and_odd_names_are_cut(self):
        path = take(self.folder, night(64, 96), make="M" * 500, model="a\x07b" + "l" * 900)[0]
        about = read_frame(path).metadata
        self.assertLessEqual(max(len(about.make), len(about.model), len(about.lens)), 120)
        self.assertTrue(about.model.isprintable())

    def test_numbers_that_cannot_be_are_left_out(self):
        nan, inf = float("nan"), float("inf")
        about = FrameMetadata(10, 10, nan, inf, -5.0, None, "a", "b", "c", 1e30, None)
        self.assertEqual((about.seconds, about.aperture, about.iso, about.focal_length), (None, None, 100.0, None))
        self.assertIsNone(about.sensitivity)
        for value in (nan, inf, -1, 0, "fast", None, 10**400):
            self.assertIsNone(plausible("seconds", value), value)
        self.assertEqual(plausible("seconds", 30), 30.0)

    def test_places_that_cannot_be_are_left_out(self):
        def told(latitude, longitude, **more):
            tags = {"Latitude": latitude, "LatitudeRef": "S", "Longitude": longitude, "LongitudeRef": "E"} | more
            return Position.of({f"GPS GPS{k}": v if isinstance(v, str) else Tag(v) for k, v in tags.items()})

        Tag = namedtuple("Tag", "values")
        self.assertEqual(told([54, 30, 18], [3, 15, 0]), Position(-54.505, 3.25))
        self.assertEqual(told([54], [3], Altitude=[float("inf")]).altitude, None)
        nan = float("nan")
        for wrong in ([91, 0, 0], [nan, 0, 0], ["x"], [None], 7, []):
            self.assertIsNone(told(wrong, wrong), wrong)
        self.assertIsNone(told([0, 0, 0], [0, 0, 0]), "a receiver that found nothing")
        self.assertIsNone(Position.of({}))

    def test_text_is_made_plain(self):
        self.assertEqual(plain_text("a\x00b\ud800c\n\x1b[31m" + "x" * 50, 8), "ab?c[31m"[:8])
        self.assertEqual(plain_text("Tarrowick\u202f– Kiln\u00a0yard"), "Tarrowick\u202f– Kiln\u00a0yard")

    def test_a_reader_that_stumbles_is_told_in_words(self):
        path = take(self.folder, night(64, 96))[0]
        for fault, words in ((RuntimeError("x"), "RuntimeError"), (MemoryError(), "too large")):
            with (
                mock.patch("crenn.core.frames.read.read_raw", side_effect=fault),
                self.assertRaisesRegex(UnreadableFrame, words) as told,
            ):
                read_frame(path, "as shown.dng")
            self.assertIn("as shown.dng", str(told.exception))


class Claims(FolderCase):
    """A file is refused by what its header claims, before anything is decoded."""

    def setUp(self):
        super().setUp()
        patched = mock.patch.object(sizes, "machine_memory", return_value=2**30)
        patched.start()
        self.addCleanup(patched.stop)

    def refused(self, path) -> None:
        for read in (read_frame, frame_metadata):
            with (
                self.subTest(path=path.name, read=read.__name__),
                self.assertRaisesRegex(
                    UnreadableFrame, r"64 megapixels; this machine's 1 GB of memory are enough for \d+\."
                ),
            ):
                read(path)

    def test_small_files_of_large_pictures(self):
        side = 8000
        black = np.zeros((side, side), np.uint8)
        tifffile.imwrite(self.folder / "bomb.tif", black, compression="zlib", rowsperstrip=side)
        Image.fromarray(black).save(self.folder / "bomb.png")
        Image.fromarray(black).save(self.folder / "bomb.jpg", quality=5)
        with OpenEXR.File(
            {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}, {"Y": black.astype(np.float16)}
        ) as file:
            file.write(str(self.folder / "bomb.exr"))
        for path in sorted(self.folder.iterdir()):
            self.assertLess(path.stat().st_size, 1_000_000)
            self.refused(path)

    def test_a_raw_file_that_claims_too_much(self):
        take(self.folder, np.full((4, 4, 3), 0.1, np.float32)[:1].repeat(16, 0).repeat(4, 1))
        path = self.folder / "large.dng"
        tifffile.imwrite(
            path,
            np.zeros((8000, 8000), np.uint16),
            photometric=32803,
            metadata=None,
            compression="zlib",
            rowsperstrip=8000,
            extratags=[
                (50706, 1, 4, (1, 4, 0, 0), True),
                (50708, 2, 0, "Crenn", True),
                (33421, 3, 2, (2, 2), True),
                (33422, 1, 4, (0, 1, 1, 2), True),
            ],
        )
        self.refused(path)

    def test_the_limit_is_a_third_of_the_memory(self):
        self.assertAlmostEqual(sizes.most_pixels("raw"), 2**30 / 3 / 64, delta=1)
        with mock.patch.object(sizes, "machine_memory", return_value=2**50):
            self.assertEqual(sizes.most_pixels("raw"), 400_000_000)
