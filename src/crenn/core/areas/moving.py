"""Parts of masks moved: to a scene of other sides, or to the same scene merged anew."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from crenn.core.areas.area import AnyPart, Area
from crenn.core.areas.brush import GRID, Brush
from crenn.core.areas.shapes import Ellipse, Gradient
from crenn.core.pipeline.scene import Capture

#: Places that move by less, in shares of the scene's longer side, stay.
_NEAR = 1e-5


def moved(part: AnyPart, by: tuple[float, float], shift: tuple[float, float] = (0.0, 0.0)) -> AnyPart:
    """A part with its places multiplied by factors across and down, and then shifted.

    What is found, and what goes by light or colour, has no places.
    """

    def at(place: list[float]) -> list[float]:
        return [place[0] * by[0] + shift[0], place[1] * by[1] + shift[1]]

    grown = (by[0] * by[1]) ** 0.5
    if isinstance(part, Gradient):
        return part.changed(start=at(part.start), end=at(part.end))
    if isinstance(part, Ellipse):
        straight = round(part.angle / 90) * 90 == part.angle
        along = by if part.angle % 180 == 0 else by[::-1]
        radii = [r * f for r, f in zip(part.radii, along if straight else (grown, grown))]
        return part.changed(centre=at(part.centre), radii=radii)
    if isinstance(part, Brush):
        first = [round(v * GRID) for v in shift]
        strokes = [
            stroke.changed(
                points=[round(v * by[i % 2]) + (first[i] if i < 2 else 0) for i, v in enumerate(stroke.points)],
                radius=min(max(stroke.radius * grown, 0.0005), 0.5),
            )
            for stroke in part.strokes
        ]
        return part.changed(strokes=strokes, shift=[part.shift[0] * by[0], part.shift[1] * by[1]])
    return part


def remerged(areas: list[Area], before: Mapping[str, Any], after: Mapping[str, Any]) -> list[Area] | None:
    """Areas with their places where they were on the sensor, once a scene was merged anew and shows another part of it.

    Parameters
    ----------
    areas : list of Area
    before, after : mapping
        Reports of the merge before, and of the new one.

    Returns
    -------
    list of Area or None
        None where nothing moves.
    """
    one, other = (Capture.from_report(dict(report)).part for report in (before, after))
    sizes = [np.array([report["width"], report["height"]], float) for report in (before, after)]
    # Pixels of the sensor: the scene's over the share of it that the merge kept.
    corners = [np.array(part[:2]) * size / np.array(part[2:]) for part, size in zip((one, other), sizes)]
    sides = [float(size.max()) for size in sizes]
    scale = sides[0] / sides[1]
    shift = (corners[0] - corners[1]) / sides[1]
    if not areas or (abs(scale - 1) < _NEAR and np.abs(shift).max() < _NEAR):
        return None
    there = float(shift[0]), float(shift[1])
    return [area.changed(parts=[moved(part, (scale, scale), there) for part in area.parts]) for area in areas]
