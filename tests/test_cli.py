"""The headless job, as a user types it."""

import json
import subprocess
import sys

import numpy as np
import OpenEXR
from PIL import Image

from tests.support import ROOT, FolderCase, night, take


class CommandLine(FolderCase):
    def crenn(self, *arguments) -> subprocess.CompletedProcess:
        return subprocess.run([sys.executable, "-m", "crenn", *map(str, arguments)], capture_output=True, text=True,
                              cwd=self.folder, env={"PYTHONPATH": str(ROOT / "src"), "PATH": "/usr/bin:/bin"})

    def test_merge_and_render(self):
        paths = take(self.folder, night())
        out, report = self.folder / "m.exr", self.folder / "r.json"
        done = self.crenn("merge", *paths, "--out", out, "--report", report, "--reference", 2)
        self.assertEqual(done.returncode, 0, done.stderr)
        told = json.loads(report.read_text())
        self.assertEqual((told["reference"], len(told["frames"])), (2, 4))
        with OpenEXR.File(str(out), separate_channels=True) as file:
            self.assertEqual(file.channels()["R"].pixels.dtype, np.float32)
        treatment = self.folder / "t.json"
        treatment.write_text(json.dumps({"exposure": {"ev": 1.0}}))
        done = self.crenn("render", out, "--treatment", treatment, "--long-edge", 200, "--out", self.folder / "p.jpg")
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertEqual(Image.open(self.folder / "p.jpg").size, (200, 133))
        done = self.crenn("render", *paths, "--out", self.folder / "p.tif")
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertTrue((self.folder / "p.tif").exists())

    def test_faults_are_one_line_that_names_the_file(self):
        (self.folder / "notes.dng").write_text("no picture")
        (self.folder / "t.json").write_text('{"exposure": {"ev": 40}}')
        path = take(self.folder, night(64, 96))[0]
        for arguments, words in (
            (("merge", "notes.dng", "--out", "m.exr"), "notes.dng"),
            (("merge", "absent.dng", "--out", "m.exr"), "absent.dng"),
            (("merge", path, "--out", "nowhere/m.exr"), "m.exr"),
            (("render", "absent.exr", "--out", "p.jpg"), "absent.exr"),
            (("render", path, "--treatment", "t.json", "--out", "p.jpg"), "t.json"),
            (("render", path, "--out", "p.gif"), "p.gif"),
            (("shoot", "harbour", "--out", "x"), "harbour"),
            (("worker",), "--database"),
            (("merge", path), "--out"),
            (("shoot", "ferry-hall", "--out", "x", "--size", "big"), "3000x2000"),
            (("dance",), "dance"),
        ):
            with self.subTest(arguments=arguments):
                done = self.crenn(*arguments)
                self.assertNotEqual(done.returncode, 0)
                self.assertEqual(len(done.stderr.strip().splitlines()), 1, done.stderr)
                self.assertIn(words, done.stderr)
        self.assertFalse((self.folder / "m.exr").exists())
