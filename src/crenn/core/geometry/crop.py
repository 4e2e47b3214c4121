"""Crop: the part of the straightened picture that is kept."""

from itertools import combinations
from typing import Annotated, Literal

import cv2
import numpy as np
from pydantic import Field

from crenn.core.basis import PlaceMap
from crenn.core.errors import CrennError
from crenn.core.pipeline.picture_geometry import PictureGeometry
from crenn.core.pipeline.scene import SceneLight
from crenn.core.pipeline.step import FrameStep, StepParameters, choice, toggle

#: Sides of the ratios to choose from, wider side first.
RATIOS = {
    "3:2": (3, 2),
    "4:3": (4, 3),
    "1:1": (1, 1),
    "16:9": (16, 9),
    "16:10": (16, 10),
    "5:4": (5, 4),
    "7:5": (7, 5),
    "2:1": (2, 1),
}
Ratio = Literal["free", "own", "scene", "3:2", "4:3", "1:1", "16:9", "16:10", "5:4", "7:5", "2:1"]
#: A crop has at least so many pixels on its shorter side.
LEAST = 16

Place = Annotated[list[Annotated[float, Field(ge=-2, le=3)]], Field(min_length=2, max_length=2)]


#: Two sides, of any unit.
Sides = Annotated[list[Annotated[float, Field(ge=0.01, le=1000)]], Field(min_length=2, max_length=2)]


class CropParameters(StepParameters):
    ratio: Ratio = choice(
        "scene",
        "Ratio",
        "Of the longer to the shorter side.",
        {"scene": "as shot", "free": "free", **{name: name for name in RATIOS}, "own": "own"},
    )
    own: Sides = Field([3.0, 2.0], description="Sides of the ratio “own”.")
    portrait: bool = toggle(False, "Standing", "Whether the longer side stands.")
    centre: Place | None = Field(None, description="Middle of the crop, a place of the scene; null: found.")
    width: float | None = Field(
        None, gt=0, le=4, description="Width, in shares of the scene's longer side; null: as wide as fits."
    )
    height: float | None = Field(
        None,
        gt=0,
        le=4,
        description="Height, likewise. With a ratio, width and height say how large the crop is, not its shape.",
    )
    corners: bool = toggle(
        False,
        "Show empty corners",
        "Lets the crop reach beyond what was recorded; black there.",
        usual=False,
    )

    def moved(self, by: PlaceMap) -> "CropParameters":
        """The crop with its places where a map takes them."""
        middle = self.centre if self.centre is not None else [0.5, 0.35]
        scale = by.scale(middle)
        return self.model_copy(
            update={
                "centre": None if self.centre is None else by.place(self.centre),
                "width": None if self.width is None else self.width * scale,
                "height": None if self.height is None else self.height * scale,
            }
        )


def ratio_of(parameters: CropParameters, size: tuple[int, int]) -> float | None:
    """Width over height that the crop of a plane of size (H, W) keeps; None if it is free."""
    if parameters.ratio == "free":
        return None
    sides = parameters.own if parameters.ratio == "own" else RATIOS.get(parameters.ratio, size)
    long, short = max(sides), min(sides)
    standing = parameters.portrait if parameters.ratio != "scene" else (size[0] > size[1]) != parameters.portrait
    return short / long if standing else long / short


def largest_within(walls: np.ndarray, half: np.ndarray, centre: np.ndarray | None = None) -> tuple[np.ndarray, float]:
    """The largest box of a shape that lies within walls: its middle and the factor on its half sides.

    Parameters
    ----------
    walls : ndarray (K, 3)
        See `crenn.core.pipeline.picture_geometry.Frame.walls`.
    half : ndarray (2,)
        Half width and half height of the shape.
    centre : ndarray (2,), optional
        Its middle; the best one if None.

    Raises
    ------
    CrennError
        If not even a small box fits.
    """
    normals, limits = walls[:, :2], walls[:, 2]
    reach = np.abs(normals) @ half
    if centre is not None:
        factor = float(((limits - normals @ centre) / reach).min())
        if factor <= 0:
            raise CrennError("The crop lies outside the picture.", remedy="Move it back inside.")
        return centre, factor
    # Middle and factor at once are a linear programme in three unknowns: its answers are where three walls meet. Where
    # several are as good, the box may slide between them, and stands in the middle.
    system = np.concatenate([normals, reach[:, None]], 1)
    slack = 1e-9 * float(np.abs(limits).max())
    corners = []
    for rows in combinations(range(len(walls)), 3):
        part = system[list(rows)]
        if abs(np.linalg.det(part)) > 1e-9 * float(reach.max()):
            found = np.linalg.solve(part, limits[list(rows)])
            if (system @ found <= limits + slack).all():
                corners.append(found)
    best = max((c[2] for c in corners), default=0.0)
    if best <= 0:
        raise CrennError("No crop of this shape fits into the picture.", remedy="Take some of the perspective back.")
    middle = np.mean([c[:2] for c in corners if c[2] >= best * (1 - 1e-6)], 0)
    return middle, float(best)


class Crop(FrameStep[CropParameters]):
    """A box of the plane, on whole pixels. It holds on to a place of the scene, and never says where it must be wrong:
    what does not fit is made smaller about the same place."""

    name, station, title, parameters = "crop", "geometry", "Crop", CropParameters

    def frame(self, frame: PictureGeometry, parameters: CropParameters, scene: SceneLight) -> PictureGeometry:
        box = self.box(frame, parameters)
        if box == (0, 0, frame.size[1], frame.size[0]):
            return frame
        x, y, width, height = box
        return frame.after(np.array([[1, 0, x], [0, 1, y], [0, 0, 1.0]]), (height, width))

    def box(self, frame: PictureGeometry, parameters: CropParameters) -> tuple[int, int, int, int]:
        """The crop in pixels of the plane that it is cut from: x, y, width, height.

        Raises
        ------
        CrennError
            If nothing would be left.
        """
        p, unit = parameters, frame.long_side
        ratio = ratio_of(p, frame.size)
        half = _sides(p, ratio) * unit / 2 if p.width is not None or p.height is not None else None
        free = frame.size[0] / frame.size[1] if p.portrait else frame.size[1] / frame.size[0]
        shape = half if half is not None else np.array([ratio or free, 1.0])
        centre = None if p.centre is None else frame.of_shares(np.array([p.centre]))[0]
        if p.corners:
            low, high = frame.outline.reshape(-1, 2).min(0), frame.outline.reshape(-1, 2).max(0)
            middle = (low + high) / 2 if centre is None else centre
            if half is None:
                # Without a size the box holds all there is.
                half = (high - low) / 2 if ratio is None else shape * ((high - low) / 2 / shape).max()
            if not _touches(middle - half, middle + half, frame.outline.reshape(-1, 2)):
                raise CrennError("The crop lies outside the picture.", remedy="Move it back inside.")
        else:
            middle, factor = largest_within(frame.walls, shape, centre)
            half = shape * (factor if half is None else min(factor, 1.0))
        return _on_pixels(middle - half, middle + half, min(LEAST, *frame.scene))


def _touches(low: np.ndarray, high: np.ndarray, outline: np.ndarray) -> bool:
    """Whether a box shares more than a pixel with what lies within an outline, float64 (N, 2), bent or not."""
    hull = cv2.convexHull(outline.astype(np.float32))
    box = np.array([low, [high[0], low[1]], high, [low[0], high[1]]], np.float32)
    area, _ = cv2.intersectConvexConvex(hull, box)
    return area > 1


def _sides(p: CropParameters, ratio: float | None) -> np.ndarray:
    """Width and height, float64 (2,), in shares of the scene's longer side; one of them at least is given."""
    width, height = p.width, p.height
    if width is None or height is None:
        side = width if width is not None else height
        assert side is not None, "one side is given"
        scale = ratio or 1.0
        return np.array([side, side / scale]) if width is not None else np.array([side * scale, side])
    if ratio is None:
        return np.array([height, width] if p.portrait else [width, height])
    # The shape is the ratio's: as much picture as was kept before.
    area = width * height
    return np.sqrt(np.array([area * ratio, area / ratio]))


def _on_pixels(low: np.ndarray, high: np.ndarray, least: int) -> tuple[int, int, int, int]:
    """The whole pixels nearest to a box that is no smaller; the centres of all of them lie in it."""
    # Documents round places, and hands stop short of walls: what is a twentieth of a pixel short is whole.
    width, height = (int(np.floor(v + 0.05)) for v in high - low)
    if min(width, height) < least:
        raise CrennError("The crop leaves nothing of the picture.", remedy=f"Keep at least {least} pixels each way.")
    return int(np.floor(low[0] + 0.5)), int(np.floor(low[1] + 0.5)), width, height
