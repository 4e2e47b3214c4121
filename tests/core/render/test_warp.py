"""Planes resampled along a map: identity, whole pixels, what lies outside, and the scale on which it happens."""

import unittest

import numpy as np

from crenn.core.render.warp import AROUND, STEP, Map, compressed, filter_of, lift, opened

FLOOR = 0.01


def lights(height: int = 60, width: int = 90) -> np.ndarray:
    """Light over ten stops, some of it below nothing as noise has it, (h, w, 3)."""
    rng = np.random.default_rng(3)
    return (np.exp2(rng.uniform(-9, 1, (height, width, 3))) - 0.002).astype(np.float32)


def way(
    shape: tuple[int, int], shift: tuple[float, float], size: tuple[int, int], lobes: int = 3, zoom: float = 1.0
) -> Map:
    """A map that moves by x and y, and reduces."""
    rows, columns = (n // STEP + 2 for n in shape)
    y, x = np.mgrid[:rows, :columns] * float(STEP) * zoom
    nodes = np.stack([x + shift[0], y + shift[1]], -1)[None]
    return Map(nodes, (0.5, 0.5), shape, (float(size[1]), float(size[0])), (1.0, 1.0), lobes, max(zoom, 1.0))


def moved(light: np.ndarray, by: Map) -> np.ndarray:
    return opened(by.through(compressed(light, FLOOR, border=by.border), (0, 0)), FLOOR)


class Filters(unittest.TestCase):
    def test_weights_sum_to_one_and_a_pixel_is_itself(self):
        for lobes in (1, 2, 3):
            for stretch in (1.0, 1.7, 4.0):
                taps, before = filter_of(lobes, stretch)
                np.testing.assert_allclose(taps.sum(1), 1, atol=1e-5)
            taps, before = filter_of(lobes, 1.0)
            np.testing.assert_allclose(taps[0], np.arange(taps.shape[1]) == before, atol=1e-6)


class Scale(unittest.TestCase):
    def test_what_is_compressed_is_opened_again(self):
        light = lights()
        light[3, 4] = 0
        found = opened(compressed(light, FLOOR), FLOOR)
        np.testing.assert_allclose(found, light, rtol=2e-5, atol=1e-7)
        np.testing.assert_array_equal(found[3, 4], 0)

    def test_through_other_colours_and_back(self):
        matrix = np.array([[0.9, 0.2, -0.1], [0.1, 0.8, 0.1], [0.0, 0.3, 0.7]])
        light = np.abs(lights())
        found = opened(compressed(light, FLOOR, matrix), FLOOR, np.linalg.inv(matrix))
        np.testing.assert_allclose(found, light, rtol=1e-3, atol=1e-4)

    def test_a_border_repeats_the_edges(self):
        light = lights(8, 9)
        wide, bare = compressed(light, FLOOR, border=3), compressed(light, FLOOR)
        np.testing.assert_array_equal(wide, np.pad(bare, ((0, 0), (3, 3), (3, 3)), "edge"))


class Maps(unittest.TestCase):
    def test_identity_gives_the_light_back(self):
        light = lights()
        same = way((60, 90), (0, 0), (60, 90))
        np.testing.assert_allclose(moved(light, same), light, rtol=1e-4, atol=1e-6)
        coarse = way((60, 90), (0, 0), (60, 90), lobes=1).nearest(compressed(light, FLOOR, border=AROUND), FLOOR)
        np.testing.assert_allclose(coarse, light, rtol=1e-4, atol=1e-6)

    def test_whole_pixels_are_moved_unchanged_and_outside_is_black(self):
        light = lights()
        found = moved(light, way((60, 90), (7, -5), (60, 90)))
        np.testing.assert_allclose(found[5:, :-7], light[:-5, 7:], rtol=1e-4, atol=1e-6)
        self.assertFalse(found[:5].any() or found[:, -7:].any())

    def test_turned_it_is_what_the_filter_gives_at_each_place(self):
        size, shape = (60, 90), (40, 53)
        # Even light, so that nothing rings.
        light = np.repeat(np.hypot(*np.mgrid[: size[0], : size[1]] / 40.0)[..., None], 3, -1).astype(np.float32) + 0.2
        taps, before = filter_of(3, 1.0)
        for degrees in (0.4, -3.0, 9.0, 35.0):
            a = np.deg2rad(degrees)
            y, x = np.mgrid[: shape[0] // STEP + 2, : shape[1] // STEP + 2] * float(STEP)
            nodes = np.stack([np.cos(a) * x - np.sin(a) * y + 12.3, np.sin(a) * x + np.cos(a) * y + 4.6], -1)[None]
            by = Map(nodes, (0.0, 0.0), shape, (90.0, 60.0), (1.0, 1.0), 3, 1.0)
            border = by.border
            planes = compressed(light, FLOOR, border=border)
            found = by.through(planes, (0, 0))[1]
            y, x = np.mgrid[: shape[0], : shape[1]].astype(float)
            at = np.stack([np.cos(a) * x - np.sin(a) * y + 12.3, np.sin(a) * x + np.cos(a) * y + 4.6]) - 0.5
            inside = ((at > -0.5) & (at < np.array([89.5, 59.5])[:, None, None])).all(0)
            self.assertGreater(inside.mean(), 0.6)
            whole = np.floor(at + border).astype(int)
            places = np.rint((at + border - whole) * (len(taps) - 1)).astype(int)
            expected = np.zeros(shape)
            for row in range(6):
                for column in range(6):
                    value = planes[1][
                        np.clip(whole[1] + row - before, 0, None), np.clip(whole[0] + column - before, 0, None)
                    ]
                    expected += taps[places[1], row] * taps[places[0], column] * value
            np.testing.assert_allclose(found[inside], expected[inside], atol=2e-3)
            outside = ((at < -0.7) | (at > np.array([89.7, 59.7])[:, None, None])).any(0)
            self.assertEqual(outside.any(), degrees > 10)
            np.testing.assert_array_equal(found[outside], 0)

    def test_the_outermost_pixels_are_there_whatever_the_fraction(self):
        light = np.full((40, 50, 3), 0.5, np.float32)
        kept = compressed(light, FLOOR, border=AROUND)
        for shift in (-0.55, -0.3, 0.2, 0.55):
            by = way((40, 50), (shift, shift), (40, 50))
            coarse = way((40, 50), (shift, shift), (40, 50), lobes=1).nearest(kept, FLOOR)
            for found in (moved(light, by), coarse):
                with self.subTest(shift=shift):
                    np.testing.assert_allclose(found, 0.5, rtol=1e-4)

    def test_what_is_reduced_is_averaged(self):
        y, x = np.mgrid[:120, :160]
        light = np.repeat(np.exp2(0.2 * ((x + y) % 2))[..., None], 3, -1).astype(np.float32)
        found = moved(light, way((50, 60), (8, 8), (120, 160), lobes=2, zoom=2.0))
        np.testing.assert_allclose(np.log2(found), 0.1, atol=0.01)

    def test_each_colour_by_a_map_of_its_own(self):
        light = lights()
        ways = [way((60, 90), (shift, 0), (60, 90)) for shift in (1, 0, 2)]
        one = Map(
            np.concatenate([w.nodes for w in ways]),
            *(getattr(ways[0], n) for n in ("start", "shape", "size", "per", "lobes", "stretch")),
        )
        found = moved(light, one)
        for colour, own in enumerate(ways):
            np.testing.assert_array_equal(found[..., colour], moved(light, own)[..., colour])


class Lifting(unittest.TestCase):
    def test_light_is_brightened_by_ev_between_nodes(self):
        y, x = np.mgrid[:4, :5] * float(STEP)
        light = np.ones((30, 40, 3), np.float32)
        lift((0.01 * x - 0.02 * y).astype(np.float32), (0.5, 0.5), light)
        rows, columns = np.mgrid[:30, :40] + 0.5
        np.testing.assert_allclose(np.log2(light[..., 1]), 0.01 * columns - 0.02 * rows, atol=1e-5)
