"""The modules of the page that hold logic, run by the page's own runner."""

import json
import subprocess
import tempfile
import unittest
from pathlib import Path

from tests.support import ROOT


class PageModules(unittest.TestCase):
    def test_every_module_test_of_the_page(self):
        with tempfile.TemporaryDirectory() as folder:
            told = Path(folder) / "told.json"
            command = ["npx", "vitest", "run", "--reporter=json", f"--outputFile={told}"]
            done = subprocess.run(command, cwd=ROOT / "web", capture_output=True, text=True, timeout=120)
            self.assertTrue(told.exists(), done.stdout + done.stderr)
            report = json.loads(told.read_text("utf-8"))
        self.assertGreater(report["numTotalTests"], 30)
        for file in report["testResults"]:
            for test in file["assertionResults"]:
                with self.subTest(test=test["fullName"]):
                    self.assertEqual(test["status"], "passed", test["failureMessages"])
        self.assertEqual(report["numFailedTests"] + report["numFailedTestSuites"], 0)
