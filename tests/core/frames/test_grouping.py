"""Which frames belong together."""

import unittest
from datetime import datetime, timedelta

from crenn.core.frames.grouping import GroupingKey, group_frames


class Grouping(unittest.TestCase):
    def keys(self, *shots):
        """(seconds after start, exposure) to keys."""
        start = datetime(2026, 10, 17, 18, 0)
        return [GroupingKey(start + timedelta(seconds=at), s, s, "T1", 600, 400, 24.0) for at, s in shots]

    def test_two_brackets_in_a_row(self):
        shots = [(0, 0.25), (1, 1), (3, 4), (8, 0.25), (9, 1), (11, 4)]
        self.assertEqual(group_frames(self.keys(*shots)), [[0, 1, 2], [3, 4, 5]])

    def test_a_pause_parts_scenes(self):
        self.assertEqual(group_frames(self.keys((0, 0.25), (1, 1), (60, 4))), [[0, 1], [2]])

    def test_a_long_exposure_is_no_pause(self):
        self.assertEqual(group_frames(self.keys((0, 1), (2, 4), (7, 30), (38, 120))), [[0, 1, 2, 3]])

    def test_equal_frames_stay_together(self):
        self.assertEqual(group_frames(self.keys(*[(i * 11, 10) for i in range(8)])), [list(range(8))])

    def test_another_camera(self):
        keys = self.keys((0, 1), (1, 4))
        keys[1] = GroupingKey(keys[1].taken, 4, 4, "T2", 600, 400, 24.0)
        self.assertEqual(group_frames(keys), [[0], [1]])
