"""Where the places of one picture lie in another: smooth maps, kept as a mesh."""

from collections.abc import Callable
from dataclasses import dataclass

import numba as nb
import numpy as np

#: Nodes of a mesh are this many pixels apart; in between, places are interpolated linearly. A homography or a lens
#: bends so little over that length that the error stays below a thousandth of a pixel.
STEP = 32


@nb.njit(inline="always", error_model="numpy")
def place(nodes, x, y):
    """Where pixel (x, y) maps to."""
    j, i = x // STEP, y // STEP
    fx, fy = (x - j * STEP) / STEP, (y - i * STEP) / STEP
    a = (1 - fx) * nodes[i, j, 0] + fx * nodes[i, j + 1, 0]
    b = (1 - fx) * nodes[i + 1, j, 0] + fx * nodes[i + 1, j + 1, 0]
    c = (1 - fx) * nodes[i, j, 1] + fx * nodes[i, j + 1, 1]
    d = (1 - fx) * nodes[i + 1, j, 1] + fx * nodes[i + 1, j + 1, 1]
    return (1 - fy) * a + fy * b, (1 - fy) * c + fy * d


@dataclass(frozen=True)
class Mesh:
    """A smooth map from the pixels of one picture to those of another.

    Attributes
    ----------
    nodes : ndarray, float64 (rows, columns, 2)
        For the node at pixel ``(column * STEP, row * STEP)`` the (x, y) it maps to. Pixel centres are whole numbers.
    size : tuple of int
        (H, W) of the picture that is mapped from.
    """

    nodes: np.ndarray
    size: tuple[int, int]

    @classmethod
    def of(cls, function: Callable[[np.ndarray], np.ndarray], size: tuple[int, int]) -> "Mesh":
        """From a function that takes and gives points, float64 (N, 2) in pixels."""
        height, width = size
        rows, columns = -(-height // STEP) + 1, -(-width // STEP) + 1
        y, x = np.mgrid[:rows, :columns].astype(np.float64) * STEP
        points = function(np.stack([x.ravel(), y.ravel()], -1))
        return cls(np.ascontiguousarray(points.reshape(rows, columns, 2)), (height, width))

    @classmethod
    def identity(cls, size: tuple[int, int]) -> "Mesh":
        """The map that leaves everything where it is."""
        return cls.of(lambda p: p, size)

    @classmethod
    def from_homography(cls, matrix: np.ndarray, size: tuple[int, int]) -> "Mesh":
        """From a homography, float64 (3, 3)."""
        return cls.of(lambda p: apply_homography(matrix, p), size)

    def at(self, points: np.ndarray) -> np.ndarray:
        """Where points, float64 (N, 2), lie in the other picture."""
        points = np.asarray(points, np.float64)
        rows, columns = self.nodes.shape[:2]
        x, y = points[:, 0] / STEP, points[:, 1] / STEP
        j, i = np.clip(x.astype(int), 0, columns - 2), np.clip(y.astype(int), 0, rows - 2)
        fx, fy = (x - j)[:, None], (y - i)[:, None]
        n = self.nodes
        return (1 - fy) * ((1 - fx) * n[i, j] + fx * n[i, j + 1]) + fy * ((1 - fx) * n[i + 1, j] + fx * n[i + 1, j + 1])

    def inverted(self, size: tuple[int, int]) -> "Mesh":
        """The way back, from a picture of a size (H, W); this map must be a gentle one, as of a camera that was moved.

        Beyond what this mesh covers it is continued in straight lines.
        """

        def back(points: np.ndarray) -> np.ndarray:
            # Each round leaves of the error what the map departs from a plain shift by.
            found = points - (self.at(points) - points)
            for _ in range(30):
                found = found + points - self.at(found)
            return found

        return Mesh.of(back, size)

    @property
    def largest_shift(self) -> float:
        """Longest way between a place and where it maps to, in pixels."""
        height, width = self.size
        y, x = np.mgrid[: self.nodes.shape[0], : self.nodes.shape[1]].astype(np.float64) * STEP
        inside = (x < width + STEP) & (y < height + STEP)
        return float(np.hypot(self.nodes[..., 0] - x, self.nodes[..., 1] - y)[inside].max())

    def covered(self, other: tuple[int, int]) -> tuple[int, int, int, int]:
        """Largest rectangle found whose places all lie in a picture of size ``other`` (H, W): (x, y, width, height)."""
        height, width = self.size
        left, top, right, bottom = 0, 0, width, height
        for _ in range(8):
            xs, ys = np.linspace(left, right - 1, 65), np.linspace(top, bottom - 1, 65)
            sides = [self.at(np.stack([np.full(65, v), ys], -1))[:, 0] for v in (left, right - 1)]
            sides += [self.at(np.stack([xs, np.full(65, v)], -1))[:, 1] for v in (top, bottom - 1)]
            over = [
                max(0.0, -sides[0].min()),
                max(0.0, sides[1].max() - (other[1] - 1)),
                max(0.0, -sides[2].min()),
                max(0.0, sides[3].max() - (other[0] - 1)),
            ]
            if max(over) <= 0:
                break
            left, right = left + int(np.ceil(over[0])), right - int(np.ceil(over[1]))
            top, bottom = top + int(np.ceil(over[2])), bottom - int(np.ceil(over[3]))
            if right - left < 2 or bottom - top < 2:
                return 0, 0, 0, 0
        return left, top, right - left, bottom - top


def apply_homography(matrix: np.ndarray, points: np.ndarray) -> np.ndarray:
    """Map points, float64 (N, 2), by a homography (3, 3)."""
    p = np.concatenate([points, np.ones((len(points), 1))], 1) @ np.asarray(matrix, np.float64).T
    return p[:, :2] / p[:, 2:]


Box = tuple[int, int, int, int]


def common_part(box: Box, mesh: Mesh, size: tuple[int, int]) -> Box:
    """The part of a box (x, y, width, height) that a moved picture of a size (H, W) covers, too."""
    x, y, width, height = mesh.covered(size)
    left, top = max(box[0], x), max(box[1], y)
    right, bottom = min(box[0] + box[2], x + width), min(box[1] + box[3], y + height)
    return left, top, max(right - left, 0), max(bottom - top, 0)
