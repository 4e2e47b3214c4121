"""Areas stay on what they cover when a scene is merged anew."""

import unittest

import numpy as np

from crenn.core.areas.area import Area
from crenn.core.areas.brush import GRID
from crenn.core.areas.moving import remerged

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


def report(width: int, height: int, part: tuple[float, float, float, float]) -> dict:
    return {"width": width, "height": height, "capture": {"part": list(part)}}


#: Of a sensor of 1200 x 800, all of it, and what is left without 60 columns on the left and 40 rows above.
WHOLE, CUT = report(1200, 800, (0, 0, 1, 1)), report(1140, 760, (0.05, 0.05, 0.95, 0.95))


class Remerging(unittest.TestCase):
    def sensor(self, place, told: dict) -> np.ndarray:
        """The pixel of the sensor at a place of the scene."""
        corner = np.array([told["capture"]["part"][0] * 1200, told["capture"]["part"][1] * 800])
        return np.array(place) * max(told["width"], told["height"]) + corner

    def test_places_keep_their_pixel_of_the_sensor(self):
        after = remerged(AREAS, WHOLE, CUT)
        assert after is not None
        for one, other in zip(AREAS[0].parts[:2], after[0].parts[:2]):
            for name in ("start", "end", "centre"):
                if hasattr(one, name):
                    was, now = self.sensor(getattr(one, name), WHOLE), self.sensor(getattr(other, name), CUT)
                    np.testing.assert_allclose(now, was, atol=1e-6)
        np.testing.assert_allclose(np.array(after[0].parts[1].radii) * 1140, np.array([0.2, 0.1]) * 1200)
        strokes = [areas[0].parts[2] for areas in (AREAS, after)]
        was, now = (
            self.sensor(np.array(brush.strokes[0].places()) + brush.shift, told)
            for brush, told in zip(strokes, (WHOLE, CUT))
        )
        np.testing.assert_allclose(now, was, atol=1.5 * 1200 / GRID)
        self.assertEqual(after[0].parts[3], AREAS[0].parts[3])

    def test_back_again_they_are_what_they_were(self):
        there = remerged(AREAS, WHOLE, CUT)
        assert there is not None
        back = remerged(there, CUT, WHOLE)
        assert back is not None
        np.testing.assert_allclose(back[0].parts[1].centre, AREAS[0].parts[1].centre, atol=1e-9)
        np.testing.assert_allclose(back[0].parts[2].strokes[0].points, AREAS[0].parts[2].strokes[0].points, atol=2)

    def test_where_nothing_moves_nothing_is_changed(self):
        self.assertIsNone(remerged(AREAS, WHOLE, WHOLE))
        self.assertIsNone(remerged([], WHOLE, CUT))
