"""What is freed is kept for what comes next, and given back on request."""

import json
import subprocess
import sys
import unittest

from tests.support import ROOT

_TRIED = """
import json, sys
import numpy as np
from crenn.memory import give_back_memory, keep_memory

def used():
    return next(int(line.split()[1]) for line in open("/proc/self/status") if line.startswith("RssAnon")) / 1024

if sys.argv[1] == "kept":
    keep_memory()
before = used()
picture = np.ones(25_000_000, np.float32)
del picture
left = used() - before
give_back_memory()
print(json.dumps([left, used() - before]))
"""


class Memory(unittest.TestCase):
    def left(self, way: str) -> list[float]:
        """MiB that a picture of 95 leaves behind, and what is left of that once memory is given back."""
        done = subprocess.run(
            [sys.executable, "-c", _TRIED, way],
            capture_output=True,
            text=True,
            check=True,
            env={"PYTHONPATH": str(ROOT / "src")},
        )
        return json.loads(done.stdout)

    def test_a_picture_leaves_its_memory_to_the_next_until_it_is_given_back(self):
        self.assertLess(self.left("as it was")[0], 10)
        kept, given_back = self.left("kept")
        self.assertGreater(kept, 90)
        self.assertLess(given_back, 10)
