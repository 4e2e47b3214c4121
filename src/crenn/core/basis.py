"""What places of a document hold on to: a part of a frame, as the merge that showed it had it.

A document's places are shares of the longer side of the scene that it was made on. Another merge may show another part
of what was recorded, or lay all frames over another one: `place_map` takes places along, by the homographies that the
merge has found between the frames.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated, Any

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

#: Maps that move no place by more than this, in shares of the scene's longer side, move none.
_NEAR = 1e-6
#: Nine numbers of a homography, row by row.
Homography = Annotated[list[float], Field(min_length=9, max_length=9)]


class Basis(BaseModel):
    """The part of a frame that a scene shows, in pixels of the frame as it was held."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    frame: str = Field(min_length=1, max_length=300, description="the reference frame's content hash, or its name")
    size: list[Annotated[int, Field(ge=1, le=200_000)]] = Field(
        min_length=2, max_length=2, description="width and height of the scene"
    )
    offset: list[Annotated[int, Field(ge=0, le=200_000)]] = Field(
        [0, 0], min_length=2, max_length=2, description="where its upper left corner lies in the frame"
    )

    @property
    def to_frame(self) -> np.ndarray:
        """From places, in shares, to pixels of the frame: float64 (3, 3)."""
        unit = max(self.size)
        return np.array([[unit, 0, self.offset[0]], [0, unit, self.offset[1]], [0, 0, 1.0]])


@dataclass(frozen=True, eq=False)
class PlaceMap:
    """Where places of one document lie in another.

    Attributes
    ----------
    matrix : ndarray, float64 (3, 3)
        A homography between shares of longer sides.
    """

    matrix: np.ndarray

    @classmethod
    def scaled(cls, across: float, down: float) -> "PlaceMap":
        """Places multiplied by factors."""
        return cls(np.diag([across, down, 1.0]))

    def at(self, places: np.ndarray) -> np.ndarray:
        """Where places, float64 (N, 2), lie."""
        p = np.asarray(places, np.float64) @ self.matrix[:, :2].T + self.matrix[:, 2]
        return np.asarray(p[:, :2] / p[:, 2:])

    def place(self, place: list[float]) -> list[float]:
        """Where one place lies."""
        x, y = self.at(np.array([place]))[0]
        return [float(x), float(y)]

    def jacobian(self, place: list[float]) -> np.ndarray:
        """What becomes of small steps at a place, float64 (2, 2)."""
        x, y, w = self.matrix @ [*place, 1.0]
        return np.asarray((self.matrix[:2, :2] - np.outer([x / w, y / w], self.matrix[2, :2])) / w)

    def scale(self, place: list[float]) -> float:
        """By how much lengths grow at a place."""
        return float(np.sqrt(abs(np.linalg.det(self.jacobian(place)))))

    @property
    def shift(self) -> tuple[float, float] | None:
        """By how much all places are moved, if that is all that happens to them."""
        moved = self.matrix - np.eye(3)
        moved[:2, 2] = 0
        return (float(self.matrix[0, 2]), float(self.matrix[1, 2])) if np.abs(moved).max() < _NEAR else None

    @property
    def still(self) -> bool:
        """Whether all places stay."""
        corners = np.array([[0, 0], [1, 0], [0, 1], [1, 1.0]])
        return bool(np.abs(self.at(corners) - corners).max() < _NEAR)


def basis_of(report: Mapping[str, Any] | None) -> tuple[Basis | None, Mapping[str, list[float]]]:
    """What places of a merged scene hold on to, and the maps to its frames; nothing if its report does not tell."""
    told = (report or {}).get("basis")
    return (None if told is None else Basis.model_validate(told)), (report or {}).get("maps") or {}


def place_map(before: Basis, after: Basis, maps: Mapping[str, list[float]]) -> PlaceMap:
    """Where the places of a document lie once the scene is shown another way.

    Parameters
    ----------
    before : Basis
        Of the document.
    after : Basis
        Of the scene as it is now.
    maps : mapping of str to list of float
        By frame, from pixels of the reference frame of ``after`` to its own, as the merge reports them. A frame that
        is not among them counts as lying where the reference frame does.
    """
    between = np.array(maps.get(before.frame, np.eye(3)), np.float64).reshape(3, 3)
    if before.frame == after.frame or abs(np.linalg.det(between)) < 1e-9:
        between = np.eye(3)
    matrix = np.linalg.inv(after.to_frame) @ np.linalg.inv(between) @ before.to_frame
    return PlaceMap(matrix / matrix[2, 2])


def carried_over(
    before: Basis, old: Mapping[str, list[float]], after: Basis, new: Mapping[str, list[float]]
) -> dict[str, list[float]]:
    """Maps of a new merge, with those to frames that it did not have, as far as a merge before tells."""
    out = dict(new)
    to_old: np.ndarray
    if before.frame in new or before.frame == after.frame:
        to_old = np.array(new.get(before.frame, np.eye(3)), np.float64).reshape(3, 3)
    elif after.frame in old and abs(np.linalg.det(np.array(old[after.frame]).reshape(3, 3))) > 1e-9:
        to_old = np.linalg.inv(np.array(old[after.frame], np.float64).reshape(3, 3))
    else:
        return out
    reached = {before.frame: np.eye(3)} | {name: np.array(m, np.float64).reshape(3, 3) for name, m in old.items()}
    for name, matrix in reached.items():
        if name not in out and name != after.frame:
            found = matrix @ to_old
            out[name] = (found / found[2, 2]).ravel().tolist()
    return out
