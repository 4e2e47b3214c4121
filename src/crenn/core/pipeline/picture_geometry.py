"""The frame: how the picture plane lies over the scene plane.

Places in pixels are continuous: the upper left corner of a plane is (0, 0), the centre of its first pixel (0.5, 0.5).
Places in documents are shares of the scene plane's longer side.
"""

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from crenn.core.errors import CrennError

#: Places along each side of the scene by which the frame's region is found.
_ALONG = 17
#: What a projection may do to a place: its depth, relative to the middle's, stays above this.
_NEAREST = 0.15
#: A plane is at most so many times as long as the scene.
_LARGEST = 3.0


@dataclass(frozen=True)
class PictureGeometry:
    """The map from a plane to the scene plane: a projection, and a lens behind it.

    Attributes
    ----------
    scene : tuple of int
        (H, W) of the scene plane.
    size : tuple of int
        (H, W) of this plane.
    matrix : ndarray, float64 (3, 3)
        From this plane's pixels to the scene as a lens without faults would have drawn it.
    lens : LensMap or None
        From there to the scene as it was drawn.
    """

    scene: tuple[int, int]
    size: tuple[int, int]
    matrix: np.ndarray = field(default_factory=lambda: np.eye(3))
    lens: "LensMap | None" = None

    @classmethod
    def whole(cls, scene: tuple[int, int]) -> "PictureGeometry":
        """The scene plane itself."""
        return cls(scene, scene)

    @property
    def long_side(self) -> int:
        """Longer side of the scene plane, in pixels: the unit of places in documents."""
        return max(self.scene)

    @cached_property
    def key(self) -> tuple:
        """What tells it from other frames of the same scene."""
        return self.size, self.matrix.tobytes(), None if self.lens is None else self.lens.key

    @cached_property
    def offset(self) -> tuple[int, int] | None:
        """(x, y) of the scene's pixel in the upper left corner, where the plane is a part of it; None elsewhere."""
        x, y = self.matrix[0, 2], self.matrix[1, 2]
        moved = np.array([[1, 0, x], [0, 1, y], [0, 0, 1.0]])
        bent = self.lens is not None and self.lens.recorded is not None
        if bent or not np.array_equal(self.matrix, moved) or x % 1 or y % 1:
            return None
        if min(x, y) < 0 or x + self.size[1] > self.scene[1] or y + self.size[0] > self.scene[0]:
            return None
        return int(x), int(y)

    @property
    def fades(self) -> bool:
        """Whether its lens has taken light from the corners that is given back."""
        return self.lens is not None and self.lens.falloff is not None

    @property
    def falloff_key(self) -> bytes:
        """What tells that from what other lenses take; nothing if nothing is."""
        return self.lens.falloff_key if self.lens is not None and self.fades else b""

    def falloff_at(self, places: np.ndarray) -> np.ndarray:
        """EV that the lens has taken at places of the scene, float64 (N, 2) in pixels; float64 (N,)."""
        if self.lens is None or self.lens.falloff is None:
            return np.zeros(len(places))
        return self.lens.falloff(places)

    def after(self, matrix: np.ndarray, size: tuple[int, int] | None = None) -> "PictureGeometry":
        """The frame of a plane whose pixels a homography, float64 (3, 3), maps to this plane's."""
        return replace(self, matrix=self.matrix @ matrix, size=size or self.size)

    def to_scene(self, points: np.ndarray, channel: int = 1) -> np.ndarray:
        """Where places of the plane, float64 (N, 2) in pixels, lie in the scene plane, for a colour's light."""
        ideal = _projected(self.matrix, points)
        return ideal if self.lens is None else self.lens.to_recorded(ideal, channel)

    def to_plane(self, points: np.ndarray) -> np.ndarray:
        """Where places of the scene plane, float64 (N, 2) in pixels, lie in the plane."""
        ideal = points if self.lens is None else self.lens.to_ideal(points)
        return _projected(np.linalg.inv(self.matrix), ideal)

    def shares(self, points: np.ndarray) -> np.ndarray:
        """Where places of the plane, float64 (N, 2) in pixels, lie in the scene, as documents say it."""
        return self.to_scene(points) / self.long_side

    def of_shares(self, places: np.ndarray) -> np.ndarray:
        """Where places of documents, float64 (N, 2), lie in the plane, in pixels."""
        return self.to_plane(np.asarray(places, np.float64) * self.long_side)

    def meshes(self, count: int = 17) -> dict[str, list]:
        """The map at nodes, for whoever draws over the picture.

        Returns
        -------
        dict
            ``to_scene``: over an even lattice of count by count places from corner to corner of this plane, the places
            of the scene as documents say it, row by row; ``to_plane``: over one from corner to corner of the scene, the
            pixels of this plane. ``scene`` is the (width, height) of the scene in such shares, ``long`` its longer side
            in pixels.
        """
        u, v = np.meshgrid(np.linspace(0, 1, count), np.linspace(0, 1, count))
        lattice = np.stack([u.ravel(), v.ravel()], -1)
        there = self.shares(lattice * (self.size[1], self.size[0]))
        back = self.to_plane(lattice * (self.scene[1], self.scene[0]))
        return {
            "to_scene": np.round(there, 6).tolist(),
            "to_plane": np.round(back, 2).tolist(),
            "scene": [self.scene[1] / self.long_side, self.scene[0] / self.long_side],
            "long": self.long_side,
        }

    @cached_property
    def outline(self) -> np.ndarray:
        """The scene's border in this plane, float64 (4, N, 2): top, right, bottom, left.

        Raises
        ------
        CrennError
            If a projection turns part of the scene over, or blows it up beyond use.
        """
        height, width = self.scene
        along = np.linspace(0, 1, _ALONG)
        x, y = along * width, along * height
        sides = [
            np.stack([x, np.zeros(_ALONG)], -1),
            np.stack([np.full(_ALONG, width), y], -1),
            np.stack([x[::-1], np.full(_ALONG, height)], -1),
            np.stack([np.zeros(_ALONG), y[::-1]], -1),
        ]
        border = np.concatenate(sides)
        if self.lens is not None:
            border = self.lens.to_ideal(border)
        inverse = np.linalg.inv(self.matrix)
        depth = np.concatenate([border, np.ones((len(border), 1))], 1) @ inverse[2]
        middle = np.array([width / 2, height / 2, 1.0]) @ inverse[2]
        if not np.isfinite(depth).all() or (depth / middle < _NEAREST).any():
            raise CrennError("This perspective turns the picture over.", remedy="Take some of it back.")
        out = _projected(inverse, border)
        if np.ptp(out, axis=0).max() > _LARGEST * self.long_side:
            raise CrennError("This perspective stretches the picture beyond use.", remedy="Take some of it back.")
        return out.reshape(4, _ALONG, 2)

    @cached_property
    def walls(self) -> np.ndarray:
        """What lies within the scene: float64 (4, 3) of (nx, ny, d), inside where n · place ≤ d.

        Each side of the scene is one line; where a lens bends the side, the line keeps to its inner part.
        """
        walls = []
        for side in self.outline:
            way = side[-1] - side[0]
            normal = np.array([way[1], -way[0]]) / np.hypot(*way)
            # With y downwards and the border run clockwise, this normal looks outwards; mirrored planes turn it.
            inside = _projected(np.linalg.inv(self.matrix), np.array([[self.scene[1] / 2, self.scene[0] / 2]]))[0]
            if normal @ (inside - side[0]) > 0:
                normal = -normal
            walls.append((*normal, float((side @ normal).min())))
        return np.array(walls)

    @cached_property
    def room(self) -> np.ndarray:
        """The corners of what the walls enclose, float64 (4, 2): where each meets the one before it."""
        return np.array(
            [np.linalg.solve(self.walls[[k - 1, k], :2], self.walls[[k - 1, k], 2]) for k in range(len(self.walls))]
        )


@dataclass(frozen=True, eq=False)
class LensMap:
    """A lens: from the scene as it would be without faults to the scene as it was recorded, by colour.

    Attributes
    ----------
    key : tuple
        What tells it from others.
    recorded : callable or None
        Where the light of ideal places, float64 (N, 2) in pixels, was recorded in a channel of the camera's; None if
        where it should be.
    by_colour : bool
        Whether red and blue lie elsewhere than green.
    falloff : callable or None
        EV by which the light is too weak at recorded places, float64 (N, 2) in pixels.
    falloff_key : bytes
        What tells its fall-off from that of others.
    to_camera : ndarray, float64 (3, 3)
        From the light's colours to the camera's.
    """

    key: tuple
    recorded: Callable[[np.ndarray, int], np.ndarray] | None
    by_colour: bool = False
    falloff: Callable[[np.ndarray], np.ndarray] | None = None
    falloff_key: bytes = b""
    to_camera: np.ndarray = field(default_factory=lambda: np.eye(3))

    def to_recorded(self, points: np.ndarray, channel: int = 1) -> np.ndarray:
        """Where the light of ideal places, float64 (N, 2) in pixels, was recorded in a channel."""
        return points if self.recorded is None else self.recorded(points, channel)

    def to_ideal(self, points: np.ndarray) -> np.ndarray:
        """The ideal places of recorded ones, found by fixed-point iteration on green."""
        points = np.asarray(points, np.float64)
        if self.recorded is None:
            return points
        ideal = points.copy()
        for _ in range(30):
            ideal = ideal - (self.recorded(ideal, 1) - points)
        return ideal


def _projected(matrix: np.ndarray, points: np.ndarray) -> np.ndarray:
    points = np.asarray(points, np.float64)
    p = points @ matrix[:, :2].T + matrix[:, 2]
    return p[:, :2] / p[:, 2:]


def about(centre: tuple[float, float], matrix: np.ndarray) -> np.ndarray:
    """A homography, float64 (3, 3), with its origin at a place instead of the corner."""
    there = np.array([[1, 0, centre[0]], [0, 1, centre[1]], [0, 0, 1.0]])
    back = np.array([[1, 0, -centre[0]], [0, 1, -centre[1]], [0, 0, 1.0]])
    return there @ matrix @ back
