"""How the camera was held: pictures, places and boxes turn alike."""

import itertools
import unittest

import numpy as np

from crenn.core.geometry.orientation import (
    as_held,
    box_as_held,
    box_on_sensor,
    flip_of_exif,
    lies_across,
    place_on_sensor,
)

FLIPS = (0, 3, 5, 6)


def sensor(height: int = 40, width: int = 60) -> np.ndarray:
    """A picture whose pixels name their place on the sensor: (H, W, 2) of column and row shares."""
    y, x = np.mgrid[:height, :width]
    return np.stack([(x + 0.5) / width, (y + 0.5) / height], -1)


class Turns(unittest.TestCase):
    def test_exif_orientations_are_those_of_the_standard(self):
        # Exif 2.32, tag 274: the side of the picture at which the sensor's row 0 and column 0 lie.
        picture = np.array([[1, 2, 3], [4, 5, 6]])
        meant = {
            1: [[1, 2, 3], [4, 5, 6]],
            3: [[6, 5, 4], [3, 2, 1]],
            6: [[4, 1], [5, 2], [6, 3]],
            8: [[3, 6], [2, 5], [1, 4]],
        }
        for orientation, rows in meant.items():
            np.testing.assert_array_equal(as_held(picture, flip_of_exif(orientation)), rows, str(orientation))

    def test_what_is_no_orientation_turns_nothing(self):
        for orientation in (0, 2, 4, 5, 7, 9, -1, 255):
            self.assertEqual(flip_of_exif(orientation), 0)

    def test_width_and_height_change_places_for_quarter_turns(self):
        for flip in FLIPS:
            height, width = as_held(sensor(), flip).shape[:2]
            self.assertEqual((height, width) == (60, 40), lies_across(flip))

    def test_places_of_the_picture_are_found_on_the_sensor(self):
        for flip in FLIPS:
            held = as_held(sensor(), flip)
            height, width = held.shape[:2]
            for row, column in itertools.product((0, 7, height - 1), (0, 11, width - 1)):
                place = place_on_sensor((column + 0.5) / width, (row + 0.5) / height, flip)
                np.testing.assert_allclose(place, held[row, column], atol=1e-9, err_msg=f"flip {flip}")

    def test_boxes_turn_with_what_they_hold(self):
        mask = np.zeros((40, 60), np.uint8)
        mask[5:12, 20:50] = 1
        box = (20 / 60, 5 / 40, 30 / 60, 7 / 40)
        for flip in FLIPS:
            held = as_held(mask, flip)
            rows, columns = np.flatnonzero(held.any(1)), np.flatnonzero(held.any(0))
            height, width = held.shape
            seen = (
                columns[0] / width,
                rows[0] / height,
                (columns[-1] + 1 - columns[0]) / width,
                (rows[-1] + 1 - rows[0]) / height,
            )
            np.testing.assert_allclose(box_as_held(box, flip), seen, atol=1e-9, err_msg=f"flip {flip}")
            np.testing.assert_allclose(box_on_sensor(seen, flip), box, atol=1e-9, err_msg=f"flip {flip}")

    def test_nothing_is_copied_where_nothing_turns(self):
        picture = sensor()
        self.assertIs(as_held(picture, 0), picture)
        self.assertTrue(as_held(picture, 5).flags.c_contiguous)
