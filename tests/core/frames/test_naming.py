"""What scenes are called."""

import unittest
from datetime import datetime

from crenn.core.frames.naming import says_nothing, scene_title

EVENING = datetime(2026, 10, 17, 21, 4)


class Titles(unittest.TestCase):
    def test_names_of_cameras_say_nothing_and_others_do(self):
        for name in ("_DSC", "DSC_", "IMG_4512", "DSCF0042", "4512", "_MG_", "P1010003", ""):
            self.assertTrue(says_nothing(name), name)
        for name in ("Harbour", "Lock basin", "Ulm", "Pier 7", "2026-10-17 harbour", "Dom"):
            self.assertFalse(says_nothing(name), name)

    def test_a_name_that_says_something_is_kept_and_counted(self):
        self.assertEqual(scene_title("Harbour", ["_DSC0001.NEF"], EVENING, None), "Harbour")
        self.assertEqual(scene_title("Harbour", ["_DSC0001.NEF"], EVENING, 3), "Harbour 3")

    def test_else_numbers_of_the_files_or_the_time_tell(self):
        frames = [f"_DSC{n}.NEF" for n in (4512, 4513, 4516)]
        self.assertEqual(scene_title("_DSC", frames, EVENING, 1), "4512–4516")
        self.assertEqual(scene_title("_DSC", frames[:1], EVENING, None), "4512")
        self.assertEqual(scene_title("IMG", ["a.dng", "b.dng"], EVENING, 2), "21:04")
        self.assertEqual(scene_title("IMG", ["a.dng"], None, 2), "IMG 2")


if __name__ == "__main__":
    unittest.main()
