"""Areas moved: to a scene of other sides, or to the same scene shown another way."""

import numpy as np

from crenn.core.areas.area import AnyPart, Area
from crenn.core.areas.brush import GRID, Brush, BrushStroke
from crenn.core.areas.grown import Grown
from crenn.core.areas.shapes import Ellipse, Gradient
from crenn.core.basis import PlaceMap


def moved_part(part: AnyPart, by: PlaceMap) -> AnyPart:
    """A part with its places where a map takes them.

    What is found, and what goes by light or colour, has no places.
    """
    if isinstance(part, Gradient):
        return part.changed(start=by.place(part.start), end=by.place(part.end))
    if isinstance(part, Ellipse):
        return _moved_ellipse(part, by)
    if isinstance(part, Grown):
        return part.changed(seeds=[seed.changed(place=by.place(seed.place)) for seed in part.seeds])
    if isinstance(part, Brush):
        if (shift := by.shift) is not None:
            return part.changed(shift=[part.shift[0] + shift[0], part.shift[1] + shift[1]])
        return part.changed(strokes=[_moved_stroke(s, part.shift, by) for s in part.strokes], shift=[0.0, 0.0])
    return part


def _moved_ellipse(part: Ellipse, by: PlaceMap) -> Ellipse:
    steps = by.jacobian(part.centre)
    grown = by.scale(part.centre)
    # How far a map turns: that of the rotation nearest to it.
    turned = float(np.degrees(np.arctan2(steps[1, 0] - steps[0, 1], steps[0, 0] + steps[1, 1])))
    angle = np.radians(part.angle)
    along = steps @ [np.cos(angle), np.sin(angle)], steps @ [-np.sin(angle), np.cos(angle)]
    straight = round(part.angle / 90) * 90 == part.angle
    factors = [float(np.hypot(*v)) if straight else grown for v in along]
    radii = [r * f for r, f in zip(part.radii, factors)]
    changes: dict = {"centre": by.place(part.centre), "radii": radii}
    if abs(turned) > 1e-6:
        changes["angle"] = (part.angle + turned + 180) % 360 - 180
    return part.changed(**changes)


def _moved_stroke(stroke: BrushStroke, shift: list[float], by: PlaceMap) -> BrushStroke:
    places = stroke.places() + shift
    whole = np.round(by.at(places) * GRID).astype(np.int64)
    points = np.concatenate([whole[:1], np.diff(whole, axis=0)]).ravel().tolist()
    radius = stroke.radius * by.scale(places.mean(0).tolist())
    return stroke.changed(points=points, radius=min(max(radius, 0.0005), 0.5))


def moved_areas(areas: list[Area], by: PlaceMap) -> list[Area]:
    """Areas with their places where a map takes them."""
    return [area.changed(parts=[moved_part(part, by) for part in area.parts]) for area in areas]
