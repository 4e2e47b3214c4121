"""Areas keep to what they cover when a scene is shown another way."""

import unittest

import numpy as np

from crenn.core.areas.area import Area
from crenn.core.areas.brush import GRID
from crenn.core.areas.moving import moved_areas
from crenn.core.basis import Basis, PlaceMap, carried_over, place_map
from crenn.core.geometry.crop import CropParameters

AREAS = [
    Area.model_validate(
        {
            "parts": [
                {"kind": "gradient", "start": [0.2, 0.1], "end": [0.6, 0.4]},
                {"kind": "ellipse", "centre": [0.5, 0.3], "radii": [0.2, 0.1], "angle": 30},
                {"kind": "brush", "strokes": [{"points": [8000, 4000, 500, 200], "radius": 0.05}], "shift": [0.1, 0]},
                {"kind": "found", "what": "sky"},
            ]
        }
    )
]
#: All of a frame of 1200 x 800, what is left without 60 columns on the left and 40 rows above, and another frame.
WHOLE, CUT = Basis(frame="one", size=[1200, 800]), Basis(frame="one", size=[1140, 760], offset=[60, 40])
OTHER = Basis(frame="two", size=[1200, 800])


def turned(degrees: float, scale: float = 1.0, shift: tuple[float, float] = (0.0, 0.0)) -> np.ndarray:
    """A turn about the corner, a scale and a shift, in pixels."""
    cos, sin = scale * np.cos(np.radians(degrees)), scale * np.sin(np.radians(degrees))
    return np.array([[cos, -sin, shift[0]], [sin, cos, shift[1]], [0, 0, 1.0]])


class Moving(unittest.TestCase):
    def on_frame(self, places, basis: Basis) -> np.ndarray:
        """The pixels of a frame at places of a scene."""
        return np.array(places, np.float64).reshape(-1, 2) * max(basis.size) + basis.offset

    def places(self, areas: list[Area]) -> np.ndarray:
        gradient, ellipse, brush, _ = areas[0].parts
        own = [gradient.start, gradient.end, ellipse.centre]
        return np.concatenate([own, brush.strokes[0].places() + brush.shift])

    def test_places_keep_their_pixel_of_the_frame(self):
        after = moved_areas(AREAS, place_map(WHOLE, CUT, {}))
        near = 1.5 * 1200 / GRID
        np.testing.assert_allclose(
            self.on_frame(self.places(after), CUT), self.on_frame(self.places(AREAS), WHOLE), atol=near
        )
        np.testing.assert_allclose(np.array(after[0].parts[1].radii) * 1140, np.array([0.2, 0.1]) * 1200)
        self.assertEqual(after[0].parts[3], AREAS[0].parts[3])

    def test_over_another_frame_they_go_along_the_homography_between_them(self):
        matrix = turned(3.0, 1.02, (14.0, -9.0))
        # From the new reference frame to the old one.
        maps = {"one": np.linalg.inv(matrix).ravel().tolist()}
        after = moved_areas(AREAS, place_map(WHOLE, OTHER, maps))
        was = np.concatenate([self.on_frame(self.places(AREAS), WHOLE), np.ones((5, 1))], 1)
        np.testing.assert_allclose(self.on_frame(self.places(after), OTHER), (was @ matrix.T)[:, :2], atol=0.12)
        self.assertAlmostEqual(after[0].parts[1].angle, 33.0, places=5)
        np.testing.assert_allclose(np.array(after[0].parts[1].radii) / 1.02, [0.2, 0.1])

    def test_a_crop_goes_along(self):
        crop = CropParameters(centre=[0.5, 0.3], width=0.4)
        after = crop.moved(place_map(WHOLE, CUT, {}))
        np.testing.assert_allclose(self.on_frame(after.centre, CUT), self.on_frame(crop.centre, WHOLE))
        self.assertAlmostEqual(after.width * 1140, 0.4 * 1200)
        self.assertIsNone(after.height)

    def test_back_again_they_are_what_they_were(self):
        there = moved_areas(AREAS, place_map(WHOLE, CUT, {}))
        back = moved_areas(there, place_map(CUT, WHOLE, {}))
        np.testing.assert_allclose(self.places(back), self.places(AREAS), atol=2 / GRID)

    def test_what_is_only_shifted_keeps_its_strokes(self):
        after = moved_areas(AREAS, PlaceMap(np.array([[1, 0, 0.01], [0, 1, -0.02], [0, 0, 1.0]])))
        self.assertIs(after[0].parts[2].strokes, AREAS[0].parts[2].strokes)
        np.testing.assert_allclose(after[0].parts[2].shift, [0.11, -0.02])

    def test_frames_that_are_left_out_are_known_by_the_merge_before(self):
        to_two, to_three = turned(1.0, 1.0, (5, 0)), turned(0, 1, (0, 8))
        old = {"two": to_two.ravel().tolist(), "three": to_three.ravel().tolist()}
        # The new merge is laid over “two”, and knows no more of “three”.
        new = {"one": np.linalg.inv(to_two).ravel().tolist()}
        maps = carried_over(WHOLE, old, OTHER, new)
        found = np.array(maps["three"]).reshape(3, 3)
        np.testing.assert_allclose(found / found[2, 2], to_three @ np.linalg.inv(to_two), atol=1e-9)
        self.assertEqual(maps["one"], new["one"])
