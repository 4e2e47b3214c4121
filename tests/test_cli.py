"""The headless job, as a user types it."""

import contextlib
import io
import json
import subprocess
import sys

import cv2
import numpy as np
import OpenEXR
from PIL import Image

from crenn.cli import parser
from crenn.core.errors import CrennError
from tests.core.colour.charts import colours
from tests.core.frames.mutated import make
from tests.support import ROOT, FolderCase, night, take


class CommandLine(FolderCase):
    def crenn(self, *arguments) -> subprocess.CompletedProcess:
        return subprocess.run(
            [sys.executable, "-m", "crenn", *map(str, arguments)],
            capture_output=True,
            text=True,
            cwd=self.folder,
            env={"PYTHONPATH": str(ROOT / "src"), "PATH": "/usr/bin:/bin"},
        )

    def each(self, commands) -> list[tuple[int, str]]:
        """Exit status and stderr of each command."""
        done = subprocess.run(
            [sys.executable, "-c", _EACH_IN_A_CHILD],
            input=json.dumps([[str(a) for a in command] for command in commands]),
            capture_output=True,
            text=True,
            timeout=240,
            cwd=self.folder,
            env={"PYTHONPATH": str(ROOT / "src"), "PATH": "/usr/bin:/bin"},
        )
        outcomes = json.loads(done.stdout)
        self.assertEqual(len(outcomes), len(commands))
        return outcomes

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
        self.told("render", *paths, "--out", self.folder / "p.tif")
        self.told("render", out, "--start", "even", "--out", self.folder / "even.png")
        even, usual = (np.asarray(Image.open(self.folder / name).convert("L")) for name in ("even.png", "p.tif"))
        self.assertGreater(even.mean(), usual.mean() * 1.1)
        # A lamp is gone that the treatment mends.
        spot = {"points": [round(250 / 480 * 16384), round(215 / 480 * 16384)], "radius": 0.025}
        treatment.write_text(json.dumps({"mend": [{"patches": [spot]}]}))
        self.told("render", out, "--treatment", treatment, "--out", self.folder / "mended.png")
        self.told("render", out, "--out", self.folder / "whole.png")
        lamps = [np.asarray(Image.open(self.folder / f"{n}.png").convert("L")) for n in ("whole", "mended")]
        before, after = (v[210:221, 245:256].mean() for v in lamps)
        self.assertGreater(before, 1.3 * after)
        np.testing.assert_allclose(lamps[0][:100].astype(int), lamps[1][:100], atol=2)
        # What is finished is finished here too.
        treatment.write_text(json.dumps({"vignette": {"amount": -2}}))
        self.told("render", out, "--treatment", treatment, "--out", self.folder / "fallen.png")
        fallen = np.asarray(Image.open(self.folder / "fallen.png").convert("L"))
        self.assertLess(fallen[:20, :20].mean(), 0.7 * lamps[0][:20, :20].mean())
        np.testing.assert_allclose(fallen[150:170, 230:250].astype(int), lamps[0][150:170, 230:250], atol=2)

        # Presets go on top, by their strengths; a border goes round.
        preset = self.folder / "fall.json"
        preset.write_text(json.dumps({"format": "crenn-preset", "name": "Fall", "steps": {"vignette": {"amount": -4}}}))
        self.told("render", out, "--preset", f"{preset}@50", "--out", self.folder / "half.png")
        half = np.asarray(Image.open(self.folder / "half.png").convert("L"))
        np.testing.assert_allclose(half.astype(int), fallen, atol=2)
        self.told("render", out, "--border", "5", "--caption", "Night", "--out", self.folder / "framed.png")
        self.assertEqual(Image.open(self.folder / "framed.png").size[0], 480 + 48)
        # What the file is to be like, as a document and by options over it; what it carries is done again.
        like = self.folder / "o.json"
        like.write_text(json.dumps({"space": "p3", "size": {"by": "share", "share": 50}, "sharpen": "screen"}))
        wide, again = self.folder / "wide.jpg", self.folder / "again.png"
        self.told("render", out, "--treatment", treatment, "--output", like, "--title", "Basin", "--out", wide)
        with Image.open(wide) as picture:
            self.assertEqual(picture.size, (240, 160))
            self.assertIn(b"Display P3".decode().encode("utf-16-be"), picture.info["icc_profile"])
        self.told("render", out, "--treatment", wide, "--out", again)
        np.testing.assert_array_equal(np.asarray(Image.open(again).convert("L")), fallen)
        self.told("render", out, "--megapixels", 0.6144, "--enlarge", "--bits", 8, "--out", again)
        self.assertEqual(Image.open(again).size, (960, 640))
        like.write_text("{")
        for wrong, said in ((("--output", like), "tells of no output"), (("--quality", 0), "quality")):
            with self.assertRaisesRegex(CrennError, said):
                self.told("render", out, *wrong, "--out", wide)
        with self.assertRaisesRegex(CrennError, "border"):
            self.told("render", out, "--border", "50", "--out", self.folder / "framed.png")
        with self.assertRaisesRegex(CrennError, "One of both"):
            self.told("render", "--out", self.folder / "nothing.png")

    def told(self, *arguments) -> str:
        """What a command prints, run in this process: starting another takes seconds."""
        parsed = parser().parse_args([str(a) for a in arguments])
        with contextlib.redirect_stdout(io.StringIO()) as out:
            parsed.run(parsed)
        return out.getvalue()

    def test_colours_of_places_and_a_cast(self):
        rgb = np.empty((120, 180, 3), np.float32)
        rgb[:, :90], rgb[:, 90:] = colours(30.0, 0.15, 0.5), colours(250.0, 0.15, 0.5)
        paths = take(self.folder / "in", rgb)
        asked = "colour", *paths, "--at", "0.2,0.3", "--at", "0.8,0.3", "--patch", "15"
        found = json.loads(self.told(*asked, "--cast", "dull", "--box", "0,0,0.45,0.6", "--json"))
        for place, hue in zip(found["places"], (30, 250)):
            self.assertLess(abs((place["hue"] - hue + 180) % 360 - 180), 8)
        self.assertGreater(found["cast"]["red"], 0.2)
        turned = self.folder / "turned.json"
        turned.write_text(json.dumps({"saturation": {"hue": 40}}))
        again = json.loads(self.told(*asked, "--treatment", turned, "--json"))
        self.assertAlmostEqual(again["places"][0]["hue"] - found["places"][0]["hue"], 40, delta=2)
        self.assertIn("saturation", self.told(*asked))
        self.assertIn("over green", self.told("colour", *paths, "--cast", "edges", "--above", "-8"))

    def test_a_mask_of_an_area_is_written_by_name_or_number(self):
        paths = take(self.folder / "in", night(120, 180))
        treatment, out = self.folder / "t.json", self.folder / "mask.png"
        areas = [
            {"name": "All", "parts": [{"kind": "light"}]},
            {"name": "Disc", "parts": [{"kind": "ellipse", "centre": [0.5, 0.33], "radii": [0.2, 0.1]}]},
        ]
        treatment.write_text(json.dumps({"areas": areas}))
        masks = []
        for wanted in ("Disc", "2", "1"):
            self.told("mask", *paths, "--treatment", treatment, "--area", wanted, "--out", out)
            masks.append(cv2.imread(str(out), cv2.IMREAD_UNCHANGED))
        self.assertEqual((masks[0].shape, masks[0].dtype), ((120, 180), np.uint16))
        np.testing.assert_array_equal(masks[0], masks[1])
        self.assertEqual((int(masks[0][60, 90]), int(masks[0][5, 5])), (65535, 0))
        self.assertTrue((masks[2] == 65535).all())
        for arguments, says in (
            (("--area", "Sky", "--out", out), "no area “Sky”"),
            (("--area", "1", "--out", "m.jpg"), "PNG"),
        ):
            done = self.crenn("mask", *paths, "--treatment", treatment, *arguments)
            self.assertEqual(done.returncode, 1)
            self.assertRegex(done.stderr, f"^crenn: .*{says}.*\n$")

    def test_horizon_and_noise_model(self):
        paths = take(self.folder, night(200, 300) * np.float32(0.1), noise_profile=(8e-5, 8e-8) * 3)
        model, merged = self.folder / "n.json", self.folder / "m.exr"
        self.assertIn("ISO 100", self.told("noise-model", *paths, "--out", model))
        self.assertIn("Noise as fitted", self.told("merge", *paths, "--noise-model", model, "--out", merged))
        plain = json.loads(self.told("horizon", *paths, "--json"))
        fitted, small, print_of_it = (
            json.loads(self.told("horizon", merged, "--json", *more))
            for more in ((), ("--long-edge", 118), ("--print", 5, "--dpi", 60))
        )
        self.assertEqual([t["long_edge"] for t in (plain, fitted, small, print_of_it)], [300, 300, 118, 118])
        self.assertLess(fitted["before"]["lifted"], plain["before"]["lifted"], "there is less noise than files tell")
        self.assertEqual(small, print_of_it)
        self.assertLess(plain["after"]["lifted"], plain["before"]["lifted"])
        self.assertIn("middle grey", self.told("horizon", merged))
        done = self.crenn("noise-model", *paths, "--box", "0.5,0.5,0.01,0.01", "--out", model)
        self.assertEqual(done.returncode, 1)
        self.assertRegex(done.stderr, "^crenn: At ISO 100 these places are too small.*\n$")

    def test_faults_are_one_line_that_names_the_file(self):
        (self.folder / "notes.dng").write_text("no picture")
        (self.folder / "t.json").write_text('{"exposure": {"ev": 40}}')
        path = take(self.folder, night(64, 96))[0]
        faulty = (
            (("merge", "notes.dng", "--out", "m.exr"), "notes.dng"),
            (("merge", "absent.dng", "--out", "m.exr"), "absent.dng"),
            (("merge", path, "--out", "nowhere/m.exr"), "m.exr"),
            (("render", "absent.exr", "--out", "p.jpg"), "absent.exr"),
            (("render", path, "--treatment", "t.json", "--out", "p.jpg"), "t.json"),
            (("render", path, "--out", "p.gif"), "p.gif"),
            (("shoot", "ferry-hall", "--out", "x", "--lens", "macro"), "macro"),
            (("shoot", "harbour", "--out", "x"), "harbour"),
            (("worker",), "--database"),
            (("merge", path), "--out"),
            (("shoot", "ferry-hall", "--out", "x", "--size", "big"), "3000x2000"),
            (("dance",), "dance"),
            (("merge", path, "--noise-model", "t.json", "--out", "m.exr"), "t.json"),
            (("horizon", path, "--print", "wide"), "wide"),
            (("horizon", path, "--print", "30", "--long-edge", "2000"), "--print"),
            (("colour", path), "--at"),
            (("colour", path, "--at", "2"), "0.4,0.1"),
            (("colour", path, "--cast", "dull", "--above", "30"), "-16 to 4"),
            (("colour", "absent.exr", "--at", "0.1,0.1"), "absent.exr"),
            (("noise-model", path, "--box", "0.1,0.2", "--out", "n.json"), "0.4,0.1,0.05,0.05"),
            (("noise-model", "notes.dng", "--out", "n.json"), "notes.dng"),
        )
        for (arguments, words), (status, said) in zip(faulty, self.each([command for command, _ in faulty])):
            with self.subTest(arguments=arguments):
                self.assertNotEqual(status, 0)
                self.assertEqual(len(said.strip().splitlines()), 1, said)
                self.assertIn(words, said)
        self.assertFalse((self.folder / "m.exr").exists())

    def test_a_damaged_file_costs_one_line_whatever_libraries_say(self):
        """Every kind of damaged frame, merged and rendered."""
        paths = make(self.folder / "odd", 4, seed=4)
        commands = [
            ("merge", path, "--out", "m.exr") if number % 2 else ("render", path, "--long-edge", 64, "--out", "p.jpg")
            for number, path in enumerate(paths)
        ]
        failed = 0
        for path, (status, said) in zip(paths, self.each(commands)):
            with self.subTest(path=path.name, said=said):
                lines = said.strip().splitlines()
                if status:
                    failed += 1
                    self.assertEqual(status, 1)
                    self.assertEqual(len(lines), 1)
                    self.assertIn(path.name, lines[0])
                self.assertTrue(all(line.startswith("crenn: ") for line in lines))
        self.assertGreater(failed, len(paths) // 4)


#: Prints (exit status, what stood on stderr) of each command, in a child of one process that has imported all.
_EACH_IN_A_CHILD = """
import json, os, sys, tempfile
from crenn import cli
from crenn.core.merge import merge
from crenn.core.deliver import files
outcomes = []
for command in json.load(sys.stdin):
    with tempfile.TemporaryFile("w+") as said:
        child = os.fork()
        if not child:
            os.dup2(said.fileno(), 2)
            os.dup2(os.open(os.devnull, os.O_WRONLY), 1)
            sys.stderr = os.fdopen(2, "w", closefd=False)
            try:
                status = cli.main(command)
            except SystemExit as left:
                status = left.code
            sys.stderr.flush()
            os._exit(status)
        status = os.waitstatus_to_exitcode(os.waitpid(child, 0)[1])
        said.seek(0)
        outcomes.append((status, said.read()))
print(json.dumps(outcomes))
"""
