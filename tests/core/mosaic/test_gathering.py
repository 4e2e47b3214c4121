"""What sites say around places, against sums that are written out."""

import unittest

import numpy as np

from crenn.core.geometry.mapping import Mesh
from crenn.core.mosaic.gathering import gather
from crenn.core.mosaic.residuals import PAD, room_for_sites
from tests.support import RGGB

#: Of the frames' sites, and of the picture.
ROWS, COLUMNS, SIZE = 44, 70, (38, 61)
DEVIATIONS = np.array([0.55, 0.45, 0.55], np.float32)
SLOPES = np.array([[1e-3, 2e-3, 3e-3], [2e-3, 1e-3, 2e-3]], np.float32)
OFFSETS = np.array([[1e-4, 2e-4, 1e-4], [3e-4, 1e-4, 1e-4]], np.float32)


def turned(degrees: float, x: float, y: float) -> Mesh:
    a = np.deg2rad(degrees)
    matrix = np.array([[np.cos(a), -np.sin(a)], [np.sin(a), np.cos(a)]])
    return Mesh.of(lambda p: p @ matrix.T + (x, y), SIZE)


class Gathering(unittest.TestCase):
    def setUp(self):
        self.rng = np.random.default_rng(7)
        self.light = self.rng.uniform(0.1, 0.5, (3, *SIZE)).astype(np.float32)
        self.meshes = [turned(0.4, 2.3, 3.6), turned(-2.5, 4.1, 5.2)]

    def sites(self, planes: int) -> np.ndarray:
        """Of two frames, some of which say nothing, by their place on the sensor, (2, planes, ROWS, COLUMNS)."""
        out = self.rng.normal(size=(2, planes, ROWS, COLUMNS)).astype(np.float32)
        out[:, 0] = self.rng.random(out[:, 0].shape) < 0.8
        return out * out[:, :1]

    def gathered(self, sites: np.ndarray, at_once: bool) -> np.ndarray:
        planes = sites.shape[1]
        told = room_for_sites(2, planes, ROWS, COLUMNS)
        told[:] = 0
        for t in range(4):
            told[:, :, t, PAD : PAD + ROWS // 2, PAD : PAD + COLUMNS // 2] = sites[:, :, t // 2 :: 2, t % 2 :: 2]
        sums = np.full((3, 4 if planes == 3 else 8, *SIZE), np.nan, np.float32)
        into = np.stack([np.stack([m.nodes] * 3) for m in self.meshes])
        for number, some in enumerate([slice(0, 2)] if at_once else [slice(0, 1), slice(1, 2)]):
            frames = told[some], np.zeros(len(told[some]), np.int64), into[some], np.zeros(len(told[some]), bool)
            by = SLOPES[some], OFFSETS[some], self.light, DEVIATIONS
            gather(*frames, 0, RGGB, *by, number > 0, sums)
        return sums

    def expected(self, sites: np.ndarray, c: int, x: int, y: int) -> np.ndarray:
        """What is gathered at a place, for a colour."""
        lines = sites.shape[1] == 4
        out = np.zeros(8 if lines else 4)
        for frame, mesh, slope, offset in zip(sites, self.meshes, SLOPES[:, c], OFFSETS[:, c]):
            ((px, py),) = mesh.at(np.array([[x, y]], float))
            j, i = int(np.floor(px)), int(np.floor(py))
            share = 1 / (slope * self.light[c, y, x] + offset)
            weight = 0.0
            for row in range(max(i - 2, 0), min(i + 4, ROWS)):
                for column in range(max(j - 2, 0), min(j + 4, COLUMNS)):
                    if RGGB[row % 2, column % 2] != c:
                        continue
                    w = np.exp(-((row - py) ** 2 + (column - px) ** 2) / (2 * DEVIATIONS[c] ** 2))
                    says, off, told = frame[:3, row, column]
                    weight += w * says
                    if lines:
                        green, value = frame[3, row, column], off + told
                        products = green**2, green * value, value**2, off**2
                        out[:7] += share * w * np.array([says, green, value, *products])
                    else:
                        out[:3] += share * np.array([w * off, w * says, w * w * says])
            if lines:
                out[7] += weight
            elif weight > 0:
                out[3] = max(out[3], share)
        return out

    def test_sums_are_those_over_the_sites_around(self):
        for planes, colours in ((3, (0, 1, 2)), (4, (0, 2))):
            sites = self.sites(planes)
            sums = self.gathered(sites, True)
            for _ in range(60):
                x, y, c = self.rng.integers(SIZE[1]), self.rng.integers(SIZE[0]), self.rng.choice(colours)
                expected = self.expected(sites, c, x, y)
                np.testing.assert_allclose(sums[c, :, y, x], expected, rtol=2e-4, atol=2e-5 * np.abs(expected).max())

    def test_frames_are_gathered_alike_at_once_and_after_one_another(self):
        for planes in (3, 4):
            sites = self.sites(planes)
            together, apart = self.gathered(sites, True), self.gathered(sites, False)
            np.testing.assert_allclose(apart, together, rtol=1e-5, atol=1e-6 * np.abs(together).max())


if __name__ == "__main__":
    unittest.main()
